using System.Diagnostics;
using Mukta.Tests;

namespace Mukta.Core.Tests;

/// <summary>A small disk on which files can share their bytes. A test that makes one needs the rights of root.</summary>
internal sealed class BtrfsDisk : IDisposable
{
    private readonly Scratch scratch = new();

    public BtrfsDisk()
    {
        Need.Root();
        Need.Program("mkfs.btrfs");
        Directory.CreateDirectory(Mount);
        Need.That(
            Runs("sh", "-c", $"truncate -s 120M {scratch.At("image")} && mkfs.btrfs -q {scratch.At("image")} "
            + $"&& mount -o loop {scratch.At("image")} {Mount}"),
            "no image of btrfs can be mounted");
        Directory.CreateDirectory(Root);
    }

    /// <summary>A folder on it.</summary>
    public string Root => scratch.At("disk/files");

    private string Mount => scratch.At("disk");

    public string At(string path) => scratch.At("disk/files", path);

    /// <summary>Changes one byte.</summary>
    public void Flip(string path, long offset) => scratch.Flip($"disk/files/{path}", offset);

    public void Dispose()
    {
        Runs("umount", Mount);
        scratch.Dispose();
    }

    private static bool Runs(string program, params string[] arguments)
    {
        using var process = Process.Start(program, arguments);
        process.WaitForExit();
        return process.ExitCode == 0;
    }
}
