using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Manifests;
using Mukta.Manifests.Formats;
using Mukta.Manifests.Signatures;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A manifest as a person reads it.</summary>
internal sealed class ManifestText(IAnsiConsole console)
{
    /// <summary>The summary, and the list if asked for.</summary>
    public void Write(Manifest manifest, Signer? signer, string path, bool listFiles)
    {
        console.MarkupLineInterpolated($"[bold]{VerifyText.Title(manifest)}[/] in {PathBytes.Shown(path)}");
        if (manifest.Format != ManifestFormat.Metalink)
            Line("format", manifest.Format.Title());
        Line(
            "files", $"{Units.Number(manifest.Files.Count)}, "
            + (manifest.LacksSizes ? "whose sizes it does not say" : Units.Bytes(manifest.TotalSize)));
        if (signer is not null)
            Line("signed by", PathBytes.Shown(signer.Name) + (signer.At is { } at ? $", {at:yyyy-MM-dd HH:mm} UTC" : ""));
        if (manifest.Links.Count > 0)
            Line("links", Units.Number(manifest.Links.Count));
        Line("hashes",
            string.Join(
            ", ", manifest.Files.GroupBy(f => f.ProofKind).OrderBy(g => g.Key)
            .Select(g => $"{g.Key.IanaName()} ({Units.Number(g.Count())})")));
        Line("pieces", Pieces(manifest));
        if (manifest.Files.Concat<ManifestEntry>(manifest.Links).Where(e => e.Component is not null).GroupBy(e => e.Component)
            .ToList() is { Count: > 0 } components)
            Line("components", string.Join(", ", components.Select(c => $"{PathBytes.Shown(c.Key!)} ({Units.Number(c.Count())})")));
        if (manifest.Expires is { } expires)
            Line("expires", $"{expires:yyyy-MM-dd HH:mm} UTC");
        foreach (var mirror in manifest.Bases)
            Line("mirror", mirror.Url.AbsoluteUri + (mirror.Location is null ? "" : $" ({PathBytes.Shown(mirror.Location)})"));
        if (manifest.WeakFiles > 0)
        {
            console.MarkupLineInterpolated(
                $"  [yellow]weak[/]         only sha-1 or md5 vouches for {Units.Count(manifest.WeakFiles, "file")}");
        }

        if (listFiles)
            List(manifest);
    }

    private void List(Manifest manifest)
    {
        console.WriteLine();
        foreach (var file in manifest.Files)
        {
            var size = file.HasSize ? Units.Number(file.Size) : "";
            console.WriteLine($"  {(file.Mode is { } mode ? Units.Mode(mode) : "    ")}  {size,15}  {PathBytes.Shown(file.Path)}");
        }

        foreach (var link in manifest.Links)
            console.WriteLine($"  link  {"",15}  {PathBytes.Shown(link.Path)} -> {PathBytes.Shown(link.Target)}");
    }

    private static string Pieces(Manifest manifest)
    {
        var cut = manifest.Files.Where(f => f.Pieces is not null).ToList();
        if (cut.Count == 0)
            return "none; a damaged file is downloaded whole";
        var lengths = cut.Select(f => f.Pieces!.PieceLength).Distinct().Order().Select(Units.Bytes).ToList();
        return $"{Units.Number(cut.Sum(f => (long)f.Pieces!.Count))} of {string.Join(", ", lengths.Take(3))} in "
            + $"{Units.Count(cut.Count, "file")}";
    }

    private void Line(string name, string text) => console.WriteLine($"  {name,-12} {text}");
}
