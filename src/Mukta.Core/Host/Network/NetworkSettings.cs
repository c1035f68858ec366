using System.Globalization;
using Mukta.Fetching;

namespace Mukta.Host.Network;

/// <summary>A proxy that is set somewhere.</summary>
/// <param name="Where">A file, or "the environment".</param>
/// <param name="Variable">The variable's name.</param>
/// <param name="Value">Its value, without a password.</param>
public sealed record ProxySetting(string Where, string Variable, string Value);

/// <summary>What the machine's settings say of its way to the network.</summary>
/// <param name="Proxies">Proxies that are set.</param>
/// <param name="Tunnel">The interface through which everything goes, where that is a tunnel; null if it is not one.</param>
/// <param name="HasDefaultRoute">True if there is a way to the outside at all; null if that cannot be told.</param>
public sealed record NetworkSettings(IReadOnlyList<ProxySetting> Proxies, string? Tunnel, bool? HasDefaultRoute)
{
    private const string TunnelKind = "65534"; // ARPHRD_NONE: tun and wireguard interfaces have no link layer.
    private const string PointToPoint = "512"; // ARPHRD_PPP

    /// <summary>Reads them.</summary>
    /// <param name="machine">The machine.</param>
    /// <param name="environment">The environment variables.</param>
    /// <param name="proc">Where the kernel shows its routes.</param>
    /// <param name="sys">Where it shows its interfaces.</param>
    public static NetworkSettings Of(Machine machine, Func<string, string?> environment, string proc = "/proc", string sys = "/sys")
    {
        var ways = DefaultInterfaces(proc);
        return new NetworkSettings(
            [.. ProxiesOf(machine, environment)], ways?.FirstOrDefault(i => IsTunnel(sys, i)), ways is null ? null : ways.Count > 0);
    }

    private static IEnumerable<ProxySetting> ProxiesOf(Machine machine, Func<string, string?> environment)
    {
        foreach (var name in new[] { "http_proxy", "https_proxy", "all_proxy", "HTTP_PROXY", "HTTPS_PROXY", "ALL_PROXY" })
        {
            if (machine.IsLive && environment(name) is { Length: > 0 } value)
                yield return new ProxySetting("the environment", name, HttpSettings.Redacted(value));
        }

        foreach (var variable in EnvironmentFiles.Of(machine)
            .Where(v => v.Name.EndsWith("_proxy", StringComparison.OrdinalIgnoreCase)
            && !v.Name.Equals("no_proxy", StringComparison.OrdinalIgnoreCase)))
            yield return new ProxySetting(variable.File, variable.Name, HttpSettings.Redacted(variable.Value));
    }

    /// <summary>
    /// The interfaces of default routes (IPv4, proc_pid_net(5): interface, destination, gateway, flags, and at 7 the mask), and
    /// of the two halves 0.0.0.0/1 and 128.0.0.0/1 with which tunnels go before a default route. Null if the kernel does not say.
    /// </summary>
    private static List<string>? DefaultInterfaces(string proc)
    {
        if (!File.Exists(Path.Join(proc, "net/route")))
            return null;
        var routes = Lines(Path.Join(proc, "net/route")).Skip(1).Select(l => l.Split('\t', StringSplitOptions.TrimEntries))
            .Where(f => f.Length > 7)
            .Select(f => (Interface: f[0], To: Hex(f[1]), Mask: Hex(f[7]))).ToList();
        var halves = routes.Where(r => r.Mask == 0x80 && r.To is 0 or 0x80); // The least significant byte comes first.
        var ipv6 = Lines(Path.Join(proc, "net/ipv6_route")).Select(l => l.Split(' ', StringSplitOptions.RemoveEmptyEntries))
            .Where(f => f is [_, "00", .., var name] && name != "lo" && f[0].All(c => c == '0')).Select(f => f[^1]);
        return [.. halves.Concat(routes.Where(r => (r.To, r.Mask) == (0, 0))).Select(r => r.Interface).Concat(ipv6).Distinct()];
    }

    private static long Hex(string text) =>
        long.TryParse(text, NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var number) ? number : -1;

    private static bool IsTunnel(string sys, string name)
    {
        var folder = Path.Join(sys, "class/net", name);
        return Lines(Path.Join(folder, "type")) is [TunnelKind or PointToPoint, ..] || File.Exists(Path.Join(folder, "tun_flags"))
            || Lines(Path.Join(folder, "uevent")).Contains("DEVTYPE=wireguard");
    }

    private static string[] Lines(string file)
    {
        try
        {
            return File.Exists(file) ? File.ReadAllLines(file) : [];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }
}
