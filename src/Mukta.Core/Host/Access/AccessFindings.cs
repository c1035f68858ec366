using System.Globalization;
using Mukta.Disk;
using Mukta.Host.Checks;

namespace Mukta.Host.Access;

/// <summary>What keeps somebody from entering, reading, writing or starting what a product needs. Pure.</summary>
public static class AccessFindings
{
    /// <summary>Draws findings from what was seen.</summary>
    /// <param name="facts">What was seen.</param>
    /// <param name="install">The install, for commands to type.</param>
    /// <param name="hasPrograms">True if the product has programs to start.</param>
    public static IEnumerable<CheckFinding> Of(AccessFacts facts, string install, bool hasPrograms)
    {
        if (facts.Mount is { IsReadOnly: true } readOnly)
        {
            yield return new CheckFinding(
                FindingKind.MountReadOnly, Verdict.Bad, readOnly.Point,
                $"the disk at {PathBytes.Shown(readOnly.Point)} is mounted read-only",
                Advice: $"look for disk errors with dmesg, then: sudo mount -o remount,rw {PathBytes.Shown(readOnly.Point)}");
        }

        if (hasPrograms && facts.Mount is { ForbidsPrograms: true } noPrograms)
        {
            yield return new CheckFinding(
                FindingKind.MountNoExec, Verdict.Bad, noPrograms.Point,
                $"no program can be started from the disk at {PathBytes.Shown(noPrograms.Point)} (noexec)",
                Advice: $"take noexec out of /etc/fstab, then: sudo mount -o remount,exec {PathBytes.Shown(noPrograms.Point)}");
        }

        foreach (var blocked in facts.Blocked)
        {
            var (what, bits) = LackOf(blocked.Lacks);
            var others = bits.Replace("w", "", StringComparison.Ordinal);
            string?[] rights = [others.Length > 0 ? $"a+{others}" : null, bits.Contains('w', StringComparison.Ordinal) ? "u+w" : null];
            yield return new CheckFinding(
                FindingKind.FolderBlocked, blocked.IsVital ? Verdict.Bad : Verdict.Warning, blocked.Path,
                $"the player cannot {what} {PathBytes.Shown(blocked.Path)} (owner {Number(blocked.Owner)}, mode "
                + $"{Units.Mode(blocked.Mode)}), and {blocked.For} needs it",
                Advice: $"sudo chmod {string.Join(',', rights.OfType<string>())} {PathBytes.Shown(blocked.Path)}, or give it to the "
                + $"player with chown");
        }

        if (facts.Foreign is { } foreign)
        {
            yield return new CheckFinding(
                FindingKind.ForeignOwner, Verdict.Warning, foreign.First,
                $"{Units.Count(foreign.Count, "name")} in the install belong to another user ({Number(foreign.Owner)}), the first is "
                + $"{PathBytes.Shown(foreign.First)}",
                Advice: $"sudo chown -R --reference={PathBytes.Shown(install)} {PathBytes.Shown(install)}");
        }

        if (facts.Locked is { } locked)
        {
            yield return new CheckFinding(
                FindingKind.Immutable, Verdict.Bad, locked.First,
                $"nobody may change {Units.Count(locked.Count, "name")} in the install (immutable flag), the first is "
                + $"{PathBytes.Shown(locked.First)}", Advice: $"sudo chattr -R -i -a {PathBytes.Shown(install)}");
        }

        if (facts.Mount is null)
        {
            yield return new CheckFinding(
                FindingKind.AccessUnknown, Verdict.Unknown, install, "which mount the install is on cannot be told");
        }

        if (facts.Unseen > 0)
        {
            yield return new CheckFinding(
                FindingKind.AccessUnknown, Verdict.Unknown, install,
                $"{Units.Count(facts.Unseen, "folder")} in the install cannot be looked into", Remedy.LookAsRoot);
        }
    }

    private static (string What, string Bits) LackOf(Right lacks)
    {
        var each = new[] { (Right.Enter, "enter", "x"), (Right.Read, "list", "r"), (Right.Write, "write to", "w") }.Where(
            r => lacks.HasFlag(r.Item1)).ToList();
        return (string.Join(" or ", each.Select(e => e.Item2)), string.Concat(each.Select(e => e.Item3)));
    }

    private static string Number(uint user) => user == 0 ? "root" : user.ToString(CultureInfo.InvariantCulture);
}
