using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Verification;

namespace Mukta.Cli.Rendering;

/// <summary>Findings in words.</summary>
internal static class FindingWords
{
    private const int RangesInText = 4;

    /// <summary>The state's name, as commands and documents write it.</summary>
    public static string Name(FileState state) => state switch
    {
        FileState.WrongKind => "wrong-kind",
        FileState.WrongMode => "wrong-mode",
        _ => state.ToString().ToLowerInvariant(),
    };

    /// <summary>The name of a kind.</summary>
    public static string Name(NodeKind kind) => kind switch
    {
        NodeKind.Special => "socket, pipe or device",
        _ => kind.ToString().ToLowerInvariant(),
    };

    /// <summary>What all findings of a state come to.</summary>
    public static string Sum(FileState state, IReadOnlyList<Finding> findings) => state switch
    {
        FileState.Damaged =>
            $"{Units.Count(findings.OfType<Damaged>().Sum(d => d.BadPieces), "bad piece")}, {ToDownload(findings)}",
        FileState.Missing or FileState.WrongKind => ToDownload(findings),
        FileState.Stray =>
        $"{Units.Bytes(findings.OfType<Stray>().Where(s => s.Found.Kind == NodeKind.File).Sum(s => s.Found.Size))}, left alone",
        _ => "",
    };

    private static string ToDownload(IReadOnlyList<Finding> findings) =>
        findings.Any(f => f is Missing { Entry: ManifestFile { HasSize: false } } or Damaged { File.HasSize: false }) ? "size not known"
        : $"{Units.Bytes(findings.Sum(f => f.BytesToFetch))} to download";

    /// <summary>What one finding rests on.</summary>
    public static string Evidence(Finding finding) => finding switch
    {
        Missing { Entry: ManifestFile { HasSize: true } file } => Units.Bytes(file.Size),
        Missing { Entry: ManifestLink link } => $"link to {PathBytes.Shown(link.Target)}",
        Damaged damaged => Evidence(damaged),
        DamagedLink link => $"points to {PathBytes.Shown(link.TargetFound)}, should point to {PathBytes.Shown(link.Link.Target)}",
        Miscased miscased => $"found as {PathBytes.Shown(miscased.FoundAt)}",
        WrongKind { Found: NodeKind.Folder } w => $"a folder with {Units.Count(w.FilesInside, "file")}, where a {Belongs(w)} belongs",
        WrongKind w => $"a {Name(w.Found)}, where a {Belongs(w)} belongs",
        WrongMode w => $"{Units.Mode(w.Found.Mode)}, should be {Units.Mode(w.File.Mode ?? 0)}",
        Unreadable u => u.Reason,
        Stray { Found.Kind: NodeKind.File } s => Units.Bytes(s.Found.Size),
        Stray s => Name(s.Found.Kind),
        _ => "",
    };

    private static string Belongs(WrongKind wrong) => wrong.Entry switch { null => "folder", ManifestLink => "link", _ => "file" };

    private static string Evidence(Damaged damaged)
    {
        var total = damaged.File.PieceCount;
        var parts = new List<string>();
        if (damaged.Bad.Count > 0)
        {
            var ranges = string.Join(", ", damaged.Bad.Take(RangesInText).Select(Range))
                + (damaged.Bad.Count > RangesInText ? ", ..." : "");
            parts.Add(total == 1 ? "the whole file" : $"{(damaged.BadPieces == 1 ? "piece" : "pieces")} {ranges} of {Units.Number(total)}");
        }

        if (damaged.Found.Size != damaged.File.Size)
        {
            var only = damaged.Found.Size < damaged.File.Size ? "only " : "";
            parts.Add($"{only}{Units.Number(damaged.Found.Size)} of {Units.Number(damaged.File.Size)} bytes");
        }
        else if (damaged.Bad.FirstOrDefault(b => b.ZerosFrom is not null)?.ZerosFrom is { } zeros)
            parts.Add($"zeros from byte {Units.Number(zeros)}");
        return string.Join(", ", parts);
    }

    private static string Range(BadRange range) =>
        range.FirstPiece == range.LastPiece ? Units.Number(range.FirstPiece + 1)
        : $"{Units.Number(range.FirstPiece + 1)}-{Units.Number(range.LastPiece + 1)}";
}
