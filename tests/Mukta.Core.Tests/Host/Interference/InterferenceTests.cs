using System.Diagnostics;
using Mukta.Host;
using Mukta.Host.Checks;
using Mukta.Host.Interference;
using Mukta.Products;
using Mukta.Tests;

namespace Mukta.Core.Tests.Host.Interference;

/// <summary>Each thing that can be in the way, for real: once with it and once without.</summary>
public sealed class InterferenceTests : IDisposable
{
    private readonly Scratch scratch = new();
    private readonly List<Process> started = [];

    [Fact]
    public async Task A_library_that_is_put_into_the_game_is_named_with_its_owner_and_how_it_got_there()
    {
        Need.Program("dpkg-query");
        var hook = scratch.Write("overlay/libgull.so", File.ReadAllBytes(AnyLibrary));
        var clean = Game();
        var hooked = Game(start => start.Environment["LD_PRELOAD"] = hook);
        await SeenAsync(() => File.ReadAllText($"/proc/{hooked.Id}/maps").Contains(hook, StringComparison.Ordinal));

        var facts = await LookAsync();
        facts.Preloads.ShouldHaveSingleItem().ShouldSatisfyAllConditions(
            p => p.Way.ShouldBe(PreloadWay.Process), p => p.Libraries.ShouldBe(hook), p => p.Where.ShouldStartWith($"process {hooked.Id}, "));
        facts.Injected.ShouldHaveSingleItem().ShouldSatisfyAllConditions(
            l => l.Process.Pid.ShouldBe(hooked.Id), l => l.Library.ShouldBe(hook), l => l.Owner.ShouldNotBeNull());
        hooked.Kill();
        hooked.WaitForExit();
        (await LookAsync()).ShouldSatisfyAllConditions(f => f.Preloads.ShouldBeEmpty(), f => f.Injected.ShouldBeEmpty());
        clean.HasExited.ShouldBeFalse();
    }

    [Fact]
    public async Task A_tracer_of_the_game_is_named()
    {
        Need.Program("strace");
        Need.Root();
        var game = Game();
        (await LookAsync()).Traced.ShouldBeEmpty();
        var tracer = Run("strace", ["-o", "/dev/null", "-p", $"{game.Id}"]);
        await SeenAsync(() => File.ReadAllText($"/proc/{game.Id}/status").Contains($"TracerPid:\t{tracer.Id}\n", StringComparison.Ordinal));
        var traced = (await LookAsync()).Traced.ShouldHaveSingleItem();
        (traced.Process.Pid, traced.Tracer.Pid, traced.Tracer.Name, traced.Tracer.Owner).ShouldBe((game.Id, tracer.Id, "strace", 0u));
    }

    [Fact]
    public async Task A_scanner_of_the_installs_disk_is_told_from_one_that_only_watches_and_from_one_of_another_disk()
    {
        Need.Program("python3");
        Need.Root();
        var (games, other) = (Mounted("games"), Mounted("other"));
        Directory.CreateDirectory(Path.Join(games, "pier"));
        (await LookAsync()).Scanners.ShouldBeEmpty();
        var elsewhere = await WatchingAsync(other, OnMount, OpenExecPermission);
        (await LookAsync()).Scanners.ShouldBeEmpty();
        foreach (var (kind, mask, mayRefuse) in new[]
        {
            (OnMount, OpenExecPermission, true), (OnFileSystem, OpenExecPermission, true), (OnFileSystem, Opened, false), (OnFolder, Opened, false),
        })
        {
            var scanner = await WatchingAsync(kind == OnFolder ? Path.Join(games, "pier") : games, kind, mask);
            var found = (await LookAsync()).Scanners.ShouldHaveSingleItem();
            (found.Program.Pid, found.MayRefuse).ShouldBe((scanner.Id, mayRefuse), $"{kind} {mask}");
            InterferenceFindings.Of(await LookAsync()).Single(f => f.Kind == FindingKind.FileScanner)
                .Verdict.ShouldBe(mayRefuse ? Verdict.Warning : Verdict.Ok);
            scanner.Kill();
            scanner.WaitForExit();
        }

        elsewhere.HasExited.ShouldBeFalse();
    }

    [Fact]
    public async Task A_file_that_another_program_has_locked_is_named_and_one_that_is_only_open_is_not()
    {
        Need.Program("flock");
        var file = scratch.Write("games/pier/maps/a.pak", "map");
        var reader = Run("tail", ["-f", file]);
        await SeenAsync(() => Directory.EnumerateFileSystemEntries($"/proc/{reader.Id}/fd").Any(f => new FileInfo(f).LinkTarget == file));
        (await LookAsync()).Locks.ShouldBeEmpty();
        var locker = Run("flock", ["--no-fork", file, "sleep", "600"]);
        await SeenAsync(() => File.ReadAllText($"/proc/{locker.Id}/comm") == "sleep\n");
        var found = (await LookAsync()).Locks.ShouldHaveSingleItem();
        (found.Program.Pid, found.File).ShouldBe((locker.Id, "maps/a.pak"));
    }

    [Fact]
    public async Task A_program_that_the_profile_names_as_a_conflict_counts_while_it_runs()
    {
        var gull = scratch.Write("bin/gull-overlay-x", File.ReadAllBytes("/bin/sleep"), Scratch.Program);
        const string Conflicts = "conflicts: [{name: gull, processes: [gull-overlay-x], why: it draws over the game}, {name: tern, units: [tern.service]}]";
        var services = new FakeServices { Active = "inactive" };
        (await LookAsync(Conflicts, services)).Conflicts.ShouldBeEmpty();
        var running = Run(gull, ["600"]);
        await SeenAsync(() => File.ReadAllText($"/proc/{running.Id}/comm").StartsWith("gull", StringComparison.Ordinal));
        (await LookAsync(Conflicts, services)).Conflicts.ShouldHaveSingleItem().Processes.ShouldHaveSingleItem().Pid.ShouldBe(running.Id);
        services.Active = "active";
        (await LookAsync(Conflicts, services)).Conflicts.Select(c => c.Conflict.Name).ShouldBe(["gull", "tern"]);
    }

    [Fact]
    public async Task Preloaded_libraries_of_a_machine_are_found_in_every_place_and_comments_are_none()
    {
        var machine = Disk();
        (await new InterferenceLook(machine, new FakeServices(), _ => null).OfMachineAsync(TestContext.Current.CancellationToken)).Preloads.ShouldBeEmpty();
        scratch.Write("disk/etc/ld.so.preload", "# /lib/not.so\n/lib/one.so:/lib/two.so # both\n\t/lib/three.so\n");
        scratch.Write("disk/etc/environment", "PATH=/bin\n#LD_PRELOAD=/no\nLD_PRELOAD=\"/lib/four.so\"\nLD_AUDIT=\n");
        scratch.Write("disk/home/anna/.config/environment.d/50-a.conf", "LD_AUDIT=/lib/five.so\n");
        var found = (await new InterferenceLook(machine, new FakeServices(), _ => null).OfMachineAsync(TestContext.Current.CancellationToken)).Preloads;
        found.Select(p => (p.Where, p.Variable, p.Libraries)).ShouldBe(
        [
            ("/etc/ld.so.preload", null, "/lib/one.so /lib/two.so /lib/three.so"), ("/etc/environment", "LD_PRELOAD", "/lib/four.so"),
            ("/home/anna/.config/environment.d/50-a.conf", "LD_AUDIT", "/lib/five.so"),
        ]);
        var here = new Machine("/", UserFolders.Of(name => name == "HOME" ? scratch.Root : null));
        (await new InterferenceLook(here, new FakeServices(), name => name == "LD_PRELOAD" ? "/lib/six.so" : null).OfMachineAsync(TestContext.Current.CancellationToken))
            .Preloads.Select(p => p.Way).ShouldContain(PreloadWay.Environment);
    }

    [Fact]
    public async Task A_variable_in_a_shortcut_counts_unless_the_profile_asks_for_it()
    {
        const string Shortcuts = "shortcuts: [{entry: \"${data}/applications/pier.desktop\", program: bin/pier, environment: {LD_AUDIT: /lib/asked.so}}]";
        scratch.Write("games/pier/bin/pier", "x");
        scratch.Write(
            ".local/share/applications/pier.desktop",
            "[Desktop Entry]\nType=Application\nName=Pier\nExec=env LD_AUDIT=/lib/asked.so LD_PRELOAD=/lib/other.so /games/pier/bin/pier\n");
        var found = (await LookAsync(Shortcuts)).Preloads.ShouldHaveSingleItem();
        (found.Way, found.Libraries).ShouldBe((PreloadWay.Shortcut, "/lib/other.so"));
    }

    [Fact]
    public async Task Graphics_layers_count_that_are_always_on_and_come_from_no_package()
    {
        var machine = Disk();
        scratch.Write("disk/etc/vulkan/implicit_layer.d/gull.json", """
            {"file_format_version":"1.2.0","layer":{"name":"VK_LAYER_gull","library_path":"./libgull.so","disable_environment":{"NO_GULL":"1"}}}
            """);
        scratch.Write("disk/usr/share/vulkan/implicit_layer.d/two.json", """
            {"layers":[{"name":"VK_LAYER_tern","enable_environment":{"TERN":"1"}},{"name":5}]}
            """);
        scratch.Write("disk/home/anna/.local/share/vulkan/implicit_layer.d/broken.json", "{");
        scratch.Write("disk/home/anna/.local/share/vulkan/explicit_layer.d/not.json", """{"layer":{"name":"VK_LAYER_no"}}""");
        var facts = await new InterferenceLook(machine, new FakeServices(), _ => null).OfMachineAsync(TestContext.Current.CancellationToken);
        facts.Layers.Select(l => (l.File, l.Name, l.Disable, l.Enable)).ShouldBe(
        [
            ("/etc/vulkan/implicit_layer.d/gull.json", "VK_LAYER_gull", "NO_GULL=1", null),
            ("/usr/share/vulkan/implicit_layer.d/two.json", "VK_LAYER_tern", null, "TERN=1"),
            ("/usr/share/vulkan/implicit_layer.d/two.json", "two.json", null, null),
        ]);
        InterferenceFindings.Of(facts).Select(f => f.Verdict).ShouldBe([Verdict.Warning, Verdict.Ok, Verdict.Warning]);
    }

    [Fact]
    public async Task On_a_disk_that_is_only_mounted_what_runs_is_not_known()
    {
        var facts = await new InterferenceLook(Disk(), new FakeServices(), _ => null)
            .OfAsync(new LookedProduct(Profile(""), null, []), TestContext.Current.CancellationToken);
        InterferenceFindings.Of(facts).ShouldHaveSingleItem().Verdict.ShouldBe(Verdict.Unknown);
    }

    public void Dispose()
    {
        foreach (var process in started)
        {
            if (!process.HasExited)
                process.Kill(entireProcessTree: true);
            process.WaitForExit();
            process.Dispose();
        }

        foreach (var mount in mounts)
            Process.Start("umount", ["--lazy", mount]).WaitForExit();
        scratch.Dispose();
    }

    private const string OnMount = "0x10", OnFileSystem = "0x100", OnFolder = "0", OpenExecPermission = "0x40000", Opened = "0x20";

    private readonly List<string> mounts = [];

    /// <summary>Any library of the system: whichever this process has loaded.</summary>
    private static string AnyLibrary => File.ReadLines("/proc/self/maps").Select(l => l.Split(' ')[^1])
        .First(p => Path.GetFileName(p).StartsWith("libm.so", StringComparison.Ordinal));

    private static async Task SeenAsync(Func<bool> isSo)
    {
        for (var i = 0; i < 1000 && !isSo(); i++)
            await Task.Delay(20, TestContext.Current.CancellationToken);
        isSo().ShouldBeTrue();
    }

    private static Profile Profile(string more) => ProfileReader.Read(
        new StringReader(
            "format: mukta.profile/1\nproduct: pier\ntitle: Pier\nkind: game\ninstalls: {places: [\"${home}/games/pier\"]}\n" + more), "pier.yaml");

    private Machine Disk()
    {
        Directory.CreateDirectory(scratch.At("disk/home/anna"));
        return new Machine(scratch.At("disk"), UserFolders.Below(scratch.At("disk"), "/home/anna"));
    }

    private Task<InterferenceFacts> LookAsync(string more = "", FakeServices? services = null)
    {
        Directory.CreateDirectory(scratch.At("games/pier"));
        var machine = new Machine("/", UserFolders.Of(name => name == "HOME" ? scratch.Root : null));
        return new InterferenceLook(machine, services ?? new FakeServices(), _ => null)
            .OfAsync(new LookedProduct(Profile(more), scratch.At("games/pier"), []), TestContext.Current.CancellationToken);
    }

    /// <summary>A game that runs from the install: a copy of a real program, with a name that no other test asks for.</summary>
    private Process Game(Action<ProcessStartInfo>? change = null)
    {
        if (!File.Exists(scratch.At("games/pier/bin/foghorn")))
            scratch.Write("games/pier/bin/foghorn", File.ReadAllBytes("/bin/sleep"), Scratch.Program);
        return Run(scratch.At("games/pier/bin/foghorn"), ["600"], change);
    }

    private Process Run(string program, IEnumerable<string> arguments, Action<ProcessStartInfo>? change = null)
    {
        var start = new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardError = true };
        change?.Invoke(start);
        var process = Process.Start(start)!;
        started.Add(process);
        return process;
    }

    private string Mounted(string name)
    {
        Directory.CreateDirectory(scratch.At(name));
        using var mount = Process.Start("mount", ["-t", "tmpfs", "tmpfs", scratch.At(name)]);
        mount.WaitForExit();
        Need.That(mount.ExitCode == 0, "nothing can be mounted here");
        mounts.Add(scratch.At(name));
        return scratch.At(name);
    }

    /// <summary>A program that asks the kernel to be told of files (fanotify_mark(2)), and answers nothing.</summary>
    private async Task<Process> WatchingAsync(string path, string kind, string mask)
    {
        var script = $"import ctypes, time\nl = ctypes.CDLL(None)\nfd = l.fanotify_init(4, 0)\n"
            + $"print(l.fanotify_mark(fd, 1 | {kind}, ctypes.c_uint64({mask}), -100, b'{path}'), flush=True)\ntime.sleep(600)\n";
        var watching = Run("python3", ["-c", script]);
        (await watching.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken)).ShouldBe("0");
        return watching;
    }
}
