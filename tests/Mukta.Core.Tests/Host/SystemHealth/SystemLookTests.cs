using Mukta.Host;
using Mukta.Host.Packages;
using Mukta.Host.SystemHealth;
using Mukta.Products;
using Mukta.Tests;

namespace Mukta.Core.Tests.Host.SystemHealth;

public sealed class SystemLookTests : IDisposable
{
    private readonly Scratch scratch = new();

    [Fact]
    public async Task A_restart_is_due_for_each_of_its_reasons()
    {
        scratch.Write("proc/sys/kernel/osrelease", "6.1.0-28-amd64\n");
        (await LookAsync()).RestartDue.ShouldBeNull();
        Directory.CreateDirectory(scratch.At("lib/modules/6.1.0-31-amd64"));
        (await LookAsync()).RestartDue!.ShouldContain("6.1.0-28-amd64");
        Directory.CreateDirectory(scratch.At("lib/modules/6.1.0-28-amd64"));
        (await LookAsync()).RestartDue.ShouldBeNull("its modules are there");
        File.CreateSymbolicLink(scratch.At("system-update"), "var/lib/prepared");
        (await LookAsync()).RestartDue.ShouldBe("an update is prepared and waits for it");
        scratch.Write("run/reboot-required", "");
        scratch.Write("run/reboot-required.pkgs", "linux-image\nlibc6\nlinux-image\n");
        (await LookAsync()).RestartDue.ShouldBe("an update of linux-image, libc6 asks for it");
    }

    [Fact]
    public async Task A_graphics_driver_is_compared_with_its_library_and_other_devices_do_not_count()
    {
        Device("0000:00:1f.0", "0x020000", null);
        Device("0000:01:00.0", "0x030000", "gullfx");
        Device("0000:02:00.0", "0x030200", null);
        Device("0000:03:00.0", "0x038000", "kernels-own");
        scratch.Write("sys/module/gullfx/version", "550.54.14\n");
        scratch.Write("usr/lib/x86_64-linux-gnu/libGLX_gullfx.so.550.54.14", "");
        scratch.Write("usr/lib/x86_64-linux-gnu/libGLX_gullfx.so.0", "");
        scratch.Write("usr/lib64/libEGL_gullfx.so.560.1", "");
        var found = (await LookAsync()).Graphics;
        found.Select(g => (g.Device, g.Module, g.Version)).ShouldBe(
            [("0000:01:00.0", "gullfx", "550.54.14"), ("0000:02:00.0", null, null), ("0000:03:00.0", "kernels-own", null)]);
        found[0].Libraries.ShouldBe(["550.54.14", "560.1"]);
    }

    [Fact]
    public async Task Memory_and_limits_are_those_of_this_machine()
    {
        var here = await new SystemLook(Here, null, SystemPlaces.Usual).OfMachineAsync(TestContext.Current.CancellationToken);
        var (free, total) = (here.MemoryFree.ShouldNotBeNull(), here.MemoryTotal.ShouldNotBeNull());
        free.ShouldBeInRange(1, total);
        var limit = File.ReadLines("/proc/self/limits").First(l => l.StartsWith("Max open files", StringComparison.Ordinal))
            .Split(' ', StringSplitOptions.RemoveEmptyEntries)[4];
        here.OpenFiles.ShouldBe(limit == "unlimited" ? null : long.Parse(limit, System.Globalization.CultureInfo.InvariantCulture));
        here.IsClockSynchronised.ShouldNotBeNull("the kernel says of its clock what it knows");
        scratch.Write("proc/meminfo", "MemTotal: 2048 kB\nMemAvailable: nonsense\nSwapFree: 1 kB\n");
        var odd = await LookAsync();
        (odd.MemoryTotal, odd.MemoryFree, odd.SwapFree).ShouldBe((2048L << 10, null, 1024L));
    }

    public void Dispose() => scratch.Dispose();

    private static Machine Here => new("/", UserFolders.Of(_ => null));

    private Task<SystemFacts> LookAsync() => new SystemLook(
        Here, (IPackageManager?)null, new SystemPlaces(scratch.At("proc"), scratch.At("sys"), scratch.At("run"), scratch.Root))
        .OfMachineAsync(TestContext.Current.CancellationToken);

    private void Device(string address, string kind, string? driver)
    {
        scratch.Write($"sys/bus/pci/devices/{address}/class", kind + "\n");
        if (driver is not null)
            File.CreateSymbolicLink(scratch.At("sys/bus/pci/devices", address, "driver"), $"../../../../bus/pci/drivers/{driver}");
    }
}
