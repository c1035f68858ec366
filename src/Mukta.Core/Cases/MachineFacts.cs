using System.Globalization;
using System.Runtime.InteropServices;
using Mukta.Host;

namespace Mukta.Cases;

/// <summary>A machine as a report names it: nothing in it says whose it is.</summary>
/// <param name="System">The system's name (os-release(5), PRETTY_NAME).</param>
/// <param name="Kernel">The kernel's release; empty for a disk.</param>
/// <param name="Architecture">The processor's architecture; empty for a disk.</param>
/// <param name="MemoryBytes">All of its memory, bytes; 0 for a disk.</param>
public sealed record MachineFacts(string System, string Kernel, string Architecture, long MemoryBytes)
{
    private static readonly string[] Releases = ["/etc/os-release", "/usr/lib/os-release"];

    /// <summary>Looks at a machine.</summary>
    public static MachineFacts Of(Machine machine)
    {
        var name = Releases.SelectMany(f => SmallText.Read(machine.At(f)).Split('\n'))
            .Select(l => l.Split('=', 2)).FirstOrDefault(l => l is ["PRETTY_NAME", _])?[1].Trim('"', '\'', '\r') ?? "not known";
        if (!machine.IsLive)
            return new MachineFacts(name, "", "", 0);
        var memory = File.ReadLines("/proc/meminfo").Select(l => l.Split(' ', StringSplitOptions.RemoveEmptyEntries))
            .FirstOrDefault(l => l is ["MemTotal:", _, ..])?[1];
        return new MachineFacts(
            name, File.ReadAllText("/proc/sys/kernel/osrelease").Trim(), RuntimeInformation.OSArchitecture.ToString().ToLowerInvariant(),
            long.TryParse(memory, NumberStyles.None, CultureInfo.InvariantCulture, out var kibibytes) ? kibibytes * 1024 : 0);
    }
}
