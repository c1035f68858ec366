using System.Globalization;
using Mukta.Disk;
using Mukta.Host.Checks;

namespace Mukta.Host.Network;

/// <summary>What is wrong on the way to the mirrors. Pure.</summary>
public static class NetworkFindings
{
    private const double SlowBytesPerSecond = 256 * 1024;
    private static readonly TimeSpan LargestClockError = TimeSpan.FromMinutes(5);

    /// <summary>Draws findings from what was seen.</summary>
    /// <param name="mirrors">What trying the mirrors has shown.</param>
    /// <param name="settings">The machine's settings.</param>
    public static IEnumerable<CheckFinding> Of(IReadOnlyList<MirrorFacts> mirrors, NetworkSettings settings)
    {
        var answers = mirrors.Any(m => m.FailedAt is null && m.Status is >= 200 and < 300 && !m.IsPage);
        foreach (var mirror in mirrors)
        {
            var name = PathBytes.Shown(mirror.Sample.Mirror);
            if (mirror.IsPage && mirror.Sample.HoldsFile && mirror.Status is not (>= 400 and < 600))
            {
                yield return new CheckFinding(
                    FindingKind.CaptivePortal, Verdict.Bad, mirror.Sample.Mirror, $"a web page comes in the place of a file from {name}",
                    Advice: "open a browser and sign in to this network; if there is no sign-in page, the mirror's address is wrong");
            }
            else if (Trouble(mirror) is { } trouble)
            {
                yield return new CheckFinding(
                    FindingKind.MirrorUnreachable, answers ? Verdict.Warning : Verdict.Bad, mirror.Sample.Mirror,
                    $"{name}: {trouble}{(mirror.Proxy is null ? "" : $", through the proxy {PathBytes.Shown(mirror.Proxy)}")}",
                    Advice: Advice(mirror));
            }
            else if (mirror.Speed is < SlowBytesPerSecond)
            {
                yield return new CheckFinding(
                    FindingKind.MirrorSlow, Verdict.Warning, mirror.Sample.Mirror,
                    $"{name} sends only {Units.Bytes((long)mirror.Speed)}/s",
                    Advice: "check what else uses the network, or use another mirror");
            }
        }

        if (mirrors.Select(m => m.ClockAhead).OfType<TimeSpan>().Where(a => a.Duration() > LargestClockError).ToList() is [var wrong, ..])
        {
            yield return new CheckFinding(
                FindingKind.ClockWrong, Verdict.Bad, "clock",
                $"this machine's clock is {Units.Time(wrong.Duration())} {(wrong > TimeSpan.Zero ? "behind" : "ahead of")} the mirror's",
                Advice: "sudo timedatectl set-ntp true");
        }

        foreach (var proxy in settings.Proxies.DistinctBy(p => (p.Where, p.Value)))
        {
            yield return new CheckFinding(
                FindingKind.ProxySet, Verdict.Warning, proxy.Variable,
                $"a proxy is set in {PathBytes.Shown(proxy.Where)}: {proxy.Variable}={PathBytes.Shown(proxy.Value)}",
                Advice: $"if no proxy is meant to be used, take {proxy.Variable} out of {PathBytes.Shown(proxy.Where)}");
        }

        if (settings.Tunnel is { } tunnel)
        {
            yield return new CheckFinding(
                FindingKind.TunnelRoute, Verdict.Warning, tunnel, $"everything goes through the tunnel {PathBytes.Shown(tunnel)}",
                Advice: "turn the tunnel off and try the game again");
        }

        if (mirrors.Count == 0)
        {
            yield return new CheckFinding(
                FindingKind.NetworkUnknown, Verdict.Unknown, "network", "no mirror is named, so no way to one was tried");
        }
    }

    private static string? Trouble(MirrorFacts mirror) => mirror switch
    {
        { FailedAt: { } step } => $"{StepName(step)} fails ({mirror.Reason})",
        { Status: >= 200 and < 300 } => null,
        { Status: >= 300 and < 400 } => null, // It sends on to another place, which a repair follows.
        { Status: 404, Sample.HoldsFile: false } => null, // A mirror need not list its folders.
        _ => string.Create(CultureInfo.InvariantCulture, $"it answers {mirror.Status}"),
    };

    private static string StepName(NetworkStep step) => step switch
    {
        NetworkStep.NameLookup => "the name look-up",
        NetworkStep.Connect => "connecting",
        NetworkStep.Tls => "encryption (TLS)",
        NetworkStep.FirstByte => "the answer",
        _ => "reading",
    };

    private static string Advice(MirrorFacts mirror) => mirror.FailedAt switch
    {
        NetworkStep.NameLookup => "check the network connection and its name servers: resolvectl status",
        NetworkStep.Connect => "check the network connection, and at firewalls on the way",
        NetworkStep.Tls => "check the machine's clock, and for programs that open encrypted connections",
        _ => "try again later, or use another mirror",
    };
}
