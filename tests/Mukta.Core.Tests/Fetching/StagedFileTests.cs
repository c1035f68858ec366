using System.Diagnostics;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Tests;

namespace Mukta.Core.Tests.Fetching;

public sealed class StagedFileTests
{
    [Fact]
    public void What_was_taken_from_one_file_stays_where_files_share_their_bytes_and_another_is_taken_from()
    {
        Need.Root();
        Need.Program("mkfs.btrfs");
        using var scratch = new Scratch();
        var disk = Directory.CreateDirectory(scratch.At("disk")).FullName;
        Need.That(
            Runs("sh", "-c", $"truncate -s 120M {scratch.At("image")} && mkfs.btrfs -q {scratch.At("image")} "
            + $"&& mount -o loop {scratch.At("image")} {disk}"),
            "no image of btrfs can be mounted");
        try
        {
            using var install = Install.Usual();
            File.Copy(install.Scratch.At("release/maps/pier.pak"), scratch.At("disk/first"));
            File.Copy(install.Scratch.At("release/maps/pier.pak"), scratch.At("disk/second"));
            scratch.Flip("disk/first", 5);
            scratch.Flip("disk/second", Install.PieceLength + 5);
            Directory.CreateDirectory(scratch.At("disk/staging"));
            using var folder = Folder.Open(disk);
            using var staged = StagedFile.Open(
                folder, "staging", install.Manifest.Files.Single(f => f.Path == "maps/pier.pak"), null,
                TestContext.Current.CancellationToken);
            foreach (var name in new[] { "first", "second" })
            {
                using var file = folder.OpenRead(name);
                staged.TakeFrom(file, TestContext.Current.CancellationToken);
            }

            staged.IsComplete.ShouldBeTrue();
            File.ReadAllBytes(scratch.At("disk", staged.Path)).ShouldBe(File.ReadAllBytes(install.Scratch.At("release/maps/pier.pak")));
        }
        finally
        {
            Runs("umount", disk);
        }
    }

    private static bool Runs(string program, params string[] arguments)
    {
        using var process = Process.Start(program, arguments);
        process.WaitForExit();
        return process.ExitCode == 0;
    }
}
