using Mukta.Tests;

namespace Mukta.Disk.Tests;

public sealed class DiskOrderTests
{
    [Fact]
    public void A_file_tells_where_it_lies_as_filefrag_does()
    {
        Need.Program("filefrag");
        using var scratch = new Scratch();
        scratch.Fill("a", 3 << 20, 1);
        using (var sync = System.Diagnostics.Process.Start("sync", [scratch.At("a")]))
            sync.WaitForExit();
        using var file = File.OpenHandle(scratch.At("a"));
        var told = System.Diagnostics.Process.Start(new System.Diagnostics.ProcessStartInfo(
            "filefrag", ["-b1", "-v", scratch.At("a")])
        { RedirectStandardOutput = true })!.StandardOutput.ReadToEnd();
        var first = told.Split('\n').FirstOrDefault(l => l.TrimStart().StartsWith("0:", StringComparison.Ordinal));
        Assert.SkipWhen(first is null && DiskOrder.StartOf(file) is null, "This file system does not tell.");
        DiskOrder.StartOf(file).ShouldBe(
            ulong.Parse(first!.Split(':')[2].Split('.')[0], System.Globalization.CultureInfo.InvariantCulture));
    }

    [Fact]
    public void A_file_system_without_a_disk_of_its_own_does_not_rotate()
    {
        DiskOrder.IsRotating(0).ShouldBeFalse();
        DiskOrder.IsRotating(Node.At("/proc")!.Value.Device).ShouldBeFalse();
    }

    [Fact]
    public void What_the_kernel_says_of_each_disk_is_told()
    {
        foreach (var disk in Directory.EnumerateDirectories("/sys/block").Where(d => File.Exists(Path.Join(d, "queue/rotational"))))
        {
            var number = File.ReadAllText(Path.Join(disk, "dev")).Trim().Split(':')
                .Select(n => ulong.Parse(n, System.Globalization.CultureInfo.InvariantCulture)).ToList();
            DiskOrder.IsRotating((number[0] << 32) | number[1])
                .ShouldBe(File.ReadAllText(Path.Join(disk, "queue/rotational")).Trim() == "1", disk);
        }
    }
}
