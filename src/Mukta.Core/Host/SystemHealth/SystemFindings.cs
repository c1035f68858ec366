using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Host.Packages;
using Mukta.Products;

namespace Mukta.Host.SystemHealth;

/// <summary>What of a machine's condition keeps a product from running. Pure.</summary>
public static class SystemFindings
{
    private const int MostNamed = 5;
    private const long LeastMemory = 256L << 20;

    /// <summary>What is wrong with the packages that a product needs.</summary>
    public static IEnumerable<CheckFinding> Of(PackageFacts facts)
    {
        foreach (var file in facts.Altered)
        {
            // Manuals, translations and the like may be left out on purpose.
            if (file.IsMissing && file.Path.StartsWith("/usr/share/", StringComparison.Ordinal))
                continue;
            var isNeeded = facts.NeededFiles.Any(f => f == file.Path || PackageManagers.OtherName(f) == file.Path);
            yield return new CheckFinding(
                FindingKind.PackageAltered, isNeeded ? Verdict.Bad : Verdict.Warning, file.Path,
                $"{PathBytes.Shown(file.Path)} of the package {file.Package} {(file.IsMissing ? "is missing" : "was altered")}",
                Advice: facts.Manager?.Reinstall(file.Package));
        }

        foreach (var update in facts.Updates)
        {
            yield return new CheckFinding(
                FindingKind.UpdatePending, Verdict.Warning, update.Package,
                $"the package {update.Package} is {update.Installed}, {update.Candidate} is available",
                Advice: facts.Manager?.Update(update.Package));
        }
    }

    /// <summary>What is wrong with the machine.</summary>
    /// <param name="facts">The machine.</param>
    /// <param name="needs">What the product asks for.</param>
    public static IEnumerable<CheckFinding> Of(SystemFacts facts, RuntimeNeeds needs)
    {
        if (facts.Unfinished.Count > 0)
        {
            var some = facts.Unfinished.Take(MostNamed).Select(p => $"{p.Name} ({p.State})");
            var more = facts.Unfinished.Count > MostNamed ? $" and {facts.Unfinished.Count - MostNamed} more" : "";
            yield return new CheckFinding(
                FindingKind.PackageUnfinished, Verdict.Warning, facts.Unfinished[0].Name,
                $"{Units.Count(facts.Unfinished.Count, "package")} {(facts.Unfinished.Count == 1 ? "is" : "are")} only partly installed: "
                + $"{string.Join(", ", some)}{more}", Advice: facts.Manager?.Finish);
        }

        if (facts.RestartDue is { } restart)
        {
            yield return new CheckFinding(
                FindingKind.RestartDue, Verdict.Warning, "restart", $"a restart of this machine is due: {PathBytes.Shown(restart)}",
                Advice: "restart the machine");
        }

        foreach (var finding in facts.Graphics.Select(Of).OfType<CheckFinding>().Concat(Memory(facts, needs)))
            yield return finding;
        if (needs.OpenFiles is { } wanted && facts.OpenFiles is { } limit && limit < wanted)
        {
            yield return new CheckFinding(
                FindingKind.OpenFilesLow, Verdict.Warning, "open files",
                $"a program may have {Units.Number(limit)} files open, {Units.Number(wanted)} are needed",
                Advice: $"set DefaultLimitNOFILE={wanted} in /etc/systemd/system.conf and user.conf, then restart the machine");
        }

        if (facts.IsClockSynchronised == false)
        {
            yield return new CheckFinding(
                FindingKind.ClockUnsynchronised, Verdict.Ok, "clock", "no time service keeps the clock right",
                Advice: "timedatectl set-ntp true");
        }

        if (facts.Manager is null)
        {
            yield return new CheckFinding(
                FindingKind.SystemUnknown, Verdict.Unknown, "packages", "there is no package manager that could be asked (dpkg, rpm)");
        }

        if (facts.Unseen is { } unseen)
            yield return new CheckFinding(FindingKind.SystemUnknown, Verdict.Unknown, "system", unseen);
    }

    private static CheckFinding? Of(GraphicsDevice device) => device switch
    {
        { Module: null } => new CheckFinding(
            FindingKind.GraphicsUndriven, Verdict.Warning, device.Device, $"the graphics device {device.Device} has no driver",
            Advice: "install the driver with the system's package manager, then restart the machine"),
        { Version: { } version, Libraries.Count: > 0 } when !device.Libraries.Contains(version) => new CheckFinding(
            FindingKind.DriverMismatch, Verdict.Bad, device.Module,
            $"the kernel module {device.Module} is {version}, but its library is {string.Join(", ", device.Libraries)}",
            Advice: "restart the machine; if they still differ, install the driver again with the system's package manager"),
        _ => null,
    };

    private static IEnumerable<CheckFinding> Memory(SystemFacts facts, RuntimeNeeds needs)
    {
        if (facts.MemoryTotal is { } total && needs.Memory is { } asked && total + facts.SwapFree < asked)
        {
            yield return new CheckFinding(
                FindingKind.MemoryShort, Verdict.Bad, "memory",
                $"this machine has {Units.Bytes(total)} of memory, {Units.Bytes(asked)} are needed", Advice: "add memory, or swap space");
        }
        else if (facts.MemoryFree is { } free && free + facts.SwapFree < (needs.Memory ?? LeastMemory))
        {
            yield return new CheckFinding(
                FindingKind.MemoryShort, Verdict.Warning, "memory",
                $"{Units.Bytes(free)} of memory and {Units.Bytes(facts.SwapFree)} of swap are free, "
                + $"{Units.Bytes(needs.Memory ?? LeastMemory)} are needed", Advice: "end other programs first");
        }
    }
}
