using Mukta.Tests;

namespace Mukta.Disk.Tests;

/// <summary>A copy is what was there, or it is none.</summary>
public sealed class TreeCopyTests : IDisposable
{
    private readonly Scratch scratch = new(inMemory: true);

    [Fact]
    public void A_copy_that_the_disk_has_got_wrong_is_told()
    {
        scratch.Fill("from/a", 5000, 1);
        CopyWith(DiskChangeKind.FlushFile, () => scratch.Flip("to/a", 4000)).What.ShouldContain("does not read back");
    }

    [Fact]
    public void A_file_that_is_written_to_while_it_is_copied_is_told()
    {
        scratch.Fill("from/a", 5000, 1);
        CopyWith(DiskChangeKind.Write, () => File.AppendAllText(scratch.At("from/a"), "more"))
            .What.ShouldContain("changed while it was copied");
    }

    public void Dispose() => scratch.Dispose();

    private MuktaException CopyWith(DiskChangeKind after, Action meanwhile)
    {
        using var root = Folder.Open(scratch.Root);
        using var watching = new Meanwhile(c => c.Kind == after && c.Path.EndsWith("to/a", StringComparison.Ordinal), meanwhile).Watching();
        return Should.Throw<MuktaException>(
            () => new TreeCopy(root, root, CopyWay.Bytes).Copy("from", "to", null, null, TestContext.Current.CancellationToken));
    }
}
