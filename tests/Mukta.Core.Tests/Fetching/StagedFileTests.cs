using Mukta.Disk;
using Mukta.Fetching;

namespace Mukta.Core.Tests.Fetching;

public sealed class StagedFileTests
{
    [Fact]
    public void What_was_taken_from_one_file_stays_where_files_share_their_bytes_and_another_is_taken_from()
    {
        using var disk = new BtrfsDisk();
        using var install = Install.Usual();
        File.Copy(install.Scratch.At("release/maps/pier.pak"), disk.At("first"));
        File.Copy(install.Scratch.At("release/maps/pier.pak"), disk.At("second"));
        disk.Flip("first", 5);
        disk.Flip("second", Install.PieceLength + 5);
        Directory.CreateDirectory(disk.At("staging"));
        using var folder = Folder.Open(disk.Root);
        using var staged = StagedFile.Open(
            folder, "staging", install.Manifest.Files.Single(f => f.Path == "maps/pier.pak"), null, TestContext.Current.CancellationToken);
        foreach (var name in new[] { "first", "second" })
        {
            using var file = folder.OpenRead(name);
            staged.TakeFrom(file, TestContext.Current.CancellationToken);
        }

        staged.IsComplete.ShouldBeTrue();
        File.ReadAllBytes(disk.At(staged.Path)).ShouldBe(File.ReadAllBytes(install.Scratch.At("release/maps/pier.pak")));
    }
}
