using System.Diagnostics;
using Mukta.Disk;
using Mukta.Tests;

namespace Mukta.Manifests.Tests;

public sealed class ManifestMakerTests : IDisposable
{
    private readonly Scratch scratch = new();

    [Fact]
    public void The_same_tree_gives_the_same_bytes_in_whatever_order_the_disk_lists_it()
    {
        foreach (var (tree, order) in new[] { ("one", Enumerable.Range(0, 40)), ("two", Enumerable.Range(0, 40).Reverse()) })
        {
            foreach (var i in order)
                scratch.Fill($"{tree}/d{i % 5}/f{i}", 500 * i, seed: i);
        }

        Bytes("one").ShouldBe(Bytes("two"));
    }

    [Fact]
    public void Pieces_are_listed_only_where_a_file_has_more_than_one()
    {
        scratch.Fill("tree/short", 1024, 1);
        scratch.Fill("tree/long", 2049, 2);
        scratch.Fill("tree/empty", 0, 3);
        var files = Make("tree").Manifest.Files;
        files.Select(f => (f.Path, f.Pieces?.Count, f.PieceCount)).ShouldBe([("empty", null, 0), ("long", 3, 3), ("short", null, 1)]);
    }

    [Fact]
    public void What_a_manifest_cannot_list_is_left_out_and_named()
    {
        scratch.Fill("tree/good", 10, 1);
        scratch.Fill("tree/line\nbreak", 10, 1);
        Process.Start("mkfifo", scratch.At("tree/pipe")).WaitForExit();
        File.CreateSymbolicLink(scratch.At("tree/inside"), "good");
        File.CreateSymbolicLink(scratch.At("tree/outside"), "/etc/hostname");
        Process.Start("touch", [scratch.At("tree") + "/back\\slash"]).WaitForExit();
        scratch.Fill("tree/.mukta/kept/x", 10, 1);
        var made = Make("tree");
        made.Manifest.Files.Select(f => f.Path).ShouldBe(["good"]);
        made.Manifest.Links.Select(l => (l.Path, l.Target)).ShouldBe([("inside", "good")]);
        made.LeftOut.Select(l => l.Path).ShouldBe(["back\\slash", "line\nbreak", "outside", "pipe"]);
    }

    [Fact]
    public void The_groups_right_to_write_is_not_published()
    {
        scratch.Fill("tree/f", 10, 1, Scratch.Program | UnixFileMode.GroupWrite);
        Make("tree").Manifest.Files[0].Mode.ShouldBe(Convert.ToInt32("755", 8));
    }

    public void Dispose() => scratch.Dispose();

    private MadeManifest Make(string tree)
    {
        using var folder = Folder.Open(scratch.At(tree));
        return ManifestMaker.Make(folder, new ManifestRequest { PieceLength = 1024 }, null, TestContext.Current.CancellationToken);
    }

    private byte[] Bytes(string tree)
    {
        using var stream = new MemoryStream();
        MetalinkWriter.Write(Make(tree).Manifest, stream);
        return stream.ToArray();
    }
}
