using Mukta.Disk;
using Mukta.Verification;

namespace Mukta.Repair.Damage;

/// <summary>Tells from facts what damage looks like. Pure.</summary>
public static class DamageReading
{
    private const long FewBits = 4096;

    private static readonly string[] ProgramEndings = [".exe", ".dll", ".so", ".sys", ".bin", ".appimage"];

    /// <summary>What the damage of one file looks like; null if it has none.</summary>
    public static FoundCause? Of(DamageFacts facts)
    {
        if (facts.SizeFound == facts.SizePublished && facts.Differing == 0)
            return null;
        if (facts.IsConvertedText)
        {
            return new FoundCause(
                DamageCause.LineEndings,
                $"with its line ends converted back it is as published ({Units.Number(facts.SizeFound)} bytes instead of "
                + $"{Units.Number(facts.SizePublished)})");
        }

        if (facts.BadPieces > 0 && facts.OlderPieces == facts.BadPieces)
        {
            return new FoundCause(
                DamageCause.OlderRelease, $"{Units.Count(facts.BadPieces, "piece is", "pieces are")} as the older release lists them");
        }

        if (facts.SizeFound < facts.SizePublished && facts.Differing == 0)
        {
            var atPiece = facts.SizeFound % facts.PieceLength == 0;
            return new FoundCause(
                DamageCause.Truncated,
                $"it ends after {Units.Number(facts.SizeFound)} of {Units.Number(facts.SizePublished)} "
                + $"bytes{(atPiece ? ", at the end of a piece" : "")}, and all of them are right");
        }

        if (facts.OtherFile is { } other)
            return new FoundCause(DamageCause.ForeignBlocks, $"bytes of {PathBytes.Shown(other)} stand in it");
        if (facts.Differing > 0 && facts.DifferingZeros == facts.Differing && facts.Differing >= 64)
        {
            return new FoundCause(
                DamageCause.CutShort,
                $"zeros in place of {Units.Number(facts.Differing)} other bytes, from byte {Units.Number(facts.FirstAt)} on");
        }

        if (facts.Differing > 0 && facts.DifferingBits == facts.Differing && facts.Differing <= FewBits)
        {
            var bits = facts.FlippedBits.Select((count, bit) => (Bit: bit, Count: count)).Where(b => b.Count > 0).ToList();
            return new FoundCause(
                DamageCause.FlippedBits,
                $"{Units.Count(facts.Differing, "single bit")} "
                + $"flipped{(bits.Count == 1 && facts.Differing > 1 ? $", always bit {bits[0].Bit} of a byte" : "")}");
        }

        if (facts.Blocks > 0 && facts.WholeBlocks == facts.Blocks)
            return new FoundCause(DamageCause.ForeignBlocks, $"{Units.Count(facts.Blocks, "whole block")} of 4,096 bytes hold other bytes");
        return new FoundCause(
            DamageCause.NotRecognised,
            facts.Differing == 0
                ? $"{Units.Count(facts.SizeFound - facts.SizePublished, "byte")} too many at its end, and the rest is right"
                : $"{Units.Number(facts.Differing)} of {Units.Number(facts.Compared)} bytes that were compared differ");
    }

    /// <summary>What findings look like that are not about the bytes of single files.</summary>
    public static IEnumerable<FoundCause> Of(VerifyResult found)
    {
        var missing = found.Findings.OfType<Missing>().Where(m => m.Entry is Manifests.ManifestFile).ToList();
        if (missing.Count > 0 && missing.All(m => IsProgram((Manifests.ManifestFile)m.Entry)))
        {
            var others = found.Manifest.Files.Count(f => !IsProgram(f));
            if (others > 0)
            {
                yield return new FoundCause(
                    DamageCause.ProgramsGone,
                    $"of all files only {Units.Count(missing.Count, "program or library is", "programs and libraries are")} gone")
                {
                    Paths = [.. missing.Select(m => m.Path)],
                };
            }
        }

        if (found.Findings.OfType<Miscased>().ToList() is { Count: > 0 } miscased)
        {
            yield return new FoundCause(
                DamageCause.LetterCase, $"{Units.Count(miscased.Count, "name differs", "names differ")} only by letter case")
            {
                Paths = [.. miscased.Select(m => m.Path)],
            };
        }

        if (found.Findings.OfType<WrongMode>().ToList() is { Count: > 0 } modes && found.Problems.All(p => p is WrongMode))
        {
            yield return new FoundCause(
                DamageCause.PermissionsOnly,
                $"the bytes of all files are right; {Units.Count(modes.Count, "mode differs", "modes differ")}")
            {
                Paths = [.. modes.Select(m => m.Path)],
            };
        }
    }

    /// <summary>Causes of single files, put together by what they look like.</summary>
    public static IReadOnlyList<FoundCause> Together(IEnumerable<(string Path, FoundCause Cause)> found) =>
    [
        .. found.GroupBy(f => f.Cause.Cause).OrderBy(g => g.Key).Select(g =>
        {
            var paths = g.OrderBy(f => f.Path, StringComparer.Ordinal).ToList();
            return new FoundCause(
                g.Key, $"{PathBytes.Shown(paths[0].Path)}: "
                + $"{paths[0].Cause.Evidence}{(paths.Count > 1 ? $", and {Units.Count(paths.Count - 1, "more file")} like it" : "")}")
            {
                Paths = [.. paths.Select(p => p.Path)],
            };
        }),
    ];

    private static bool IsProgram(Manifests.ManifestFile file) =>
        (file.Mode & 0b001_001_001) > 0 || ProgramEndings.Any(e => file.Path.EndsWith(e, StringComparison.OrdinalIgnoreCase))
        || file.Path.Contains(".so.", StringComparison.Ordinal);
}
