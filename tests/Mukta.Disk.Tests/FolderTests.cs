using Mukta.Tests;

namespace Mukta.Disk.Tests;

/// <summary>Rule 6: nothing below an install is reached through a link or a way out, whichever way the kernel helps.</summary>
public sealed class FolderTests : IDisposable
{
    private readonly Scratch scratch = new();

    public FolderTests()
    {
        scratch.Write("outside/secret", "not yours");
        scratch.Write("install/maps/pier.pak", "pier");
        Directory.CreateSymbolicLink(scratch.At("install/door"), scratch.At("outside"));
        File.CreateSymbolicLink(scratch.At("install/peep"), scratch.At("outside/secret"));
    }

    public static TheoryData<bool, string> WaysOut() => new(
        from stepByStep in new[] { false, true }
        from path in new[]
        {
            "../outside/secret",
            "maps/../../outside/secret",
            "door/secret",
            "peep",
            "/etc/hostname",
            "door/../outside/secret",
        }
        select (stepByStep, path));

    [Theory]
    [MemberData(nameof(WaysOut))]
    public void No_way_out_can_be_opened(bool stepByStep, string path)
    {
        using var folder = new Folder(scratch.At("install"), stepByStep);
        Should.Throw<DiskException>(() => folder.OpenRead(path).Dispose());
    }

    [Theory]
    [InlineData("maps/pier.pak")]
    [InlineData("./maps/pier.pak")]
    [InlineData("maps/./pier.pak")]
    [InlineData("././maps/pier.pak")]
    public void Both_ways_find_the_same(string path)
    {
        using var asked = new Folder(scratch.At("install"), stepByStep: false);
        using var walked = new Folder(scratch.At("install"), stepByStep: true);
        walked.Look(path).ShouldBe(asked.Look(path));
        walked.Look(path)!.Value.Kind.ShouldBe(NodeKind.File);
        walked.EnsureFolder("./saves/old");
        asked.Look("saves/old")!.Value.Kind.ShouldBe(NodeKind.Folder);
    }

    [Theory]
    [InlineData("install/maps/pier.pak", "maps/pier.pak")]
    [InlineData("install/inner", "maps/pier.pak")]
    [InlineData("install/rooted", "maps/pier.pak")]
    [InlineData("install/chain", "maps/pier.pak")]
    [InlineData("install/above", "maps/pier.pak")]
    [InlineData("install/maps/deep", "maps/pier.pak")]
    [InlineData("install/maps/deeper", "maps/pier.pak")]
    [InlineData("install/here/maps", "maps")]
    [InlineData("install/here/here/inner", "maps/pier.pak")]
    [InlineData("install", "")]
    [InlineData("install/door/secret", null)]
    [InlineData("install/peep", null)]
    [InlineData("install/round", null)]
    [InlineData("install/inner/..", "")]
    [InlineData("install/inner/x", null)]
    [InlineData("install/gone", null)]
    public void A_path_on_a_mounted_disk_means_what_it_means_to_its_machine_both_ways(string path, string? found)
    {
        foreach (var (link, target) in new[]
        {
            ("inner", "maps/pier.pak"), ("rooted", "/maps/pier.pak"), ("chain", "here/rooted"), ("above", "../../maps//./pier.pak"),
            ("here", "."), ("round", "round"), ("maps/deep", "/maps/pier.pak"), ("maps/deeper", "../maps/deep"),
        })
        {
            File.CreateSymbolicLink(scratch.At("install", link), target);
        }

        var expected = found is null ? null : scratch.At(("install/" + found).TrimEnd('/'));
        foreach (var stepByStep in new[] { false, true })
            Folder.ResolvedIn(scratch.At("install"), scratch.Root + "/" + path, stepByStep).ShouldBe(expected);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void No_way_out_can_be_written_moved_or_removed(bool stepByStep)
    {
        using var folder = new Folder(scratch.At("install"), stepByStep);
        foreach (var act in new Action[]
        {
            () => folder.CreateFile("door/new", 0x1A4).Dispose(),
            () => folder.OpenOrCreateFile("door/secret", 0x1A4).Dispose(),
            () => folder.MakeFolder("door/new", 0x1ED),
            () => folder.Move("maps/pier.pak", "door/pier.pak"),
            () => folder.Move("door/secret", "maps/secret"),
            () => folder.RemoveFile("door/secret"),
            () => folder.SetMode("door/secret", 0x1FF),
            () => folder.MakeLink("door/link", "x"),
            () => folder.CreateFile("../new", 0x1A4).Dispose(),
        })
        {
            Should.Throw<DiskException>(act);
        }

        Directory.GetFileSystemEntries(scratch.At("outside")).ShouldBe([scratch.At("outside/secret")]);
        File.ReadAllText(scratch.At("outside/secret")).ShouldBe("not yours");
        folder.Look("door/secret").ShouldBeNull();
        folder.Look("maps/pier.pak")!.Value.Kind.ShouldBe(NodeKind.File);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void A_folder_that_becomes_a_link_in_the_middle_lets_nothing_out(bool stepByStep)
    {
        using var folder = new Folder(scratch.At("install"), stepByStep);
        var (real, link) = (scratch.At("install/swap"), scratch.At("install/other"));
        Directory.CreateDirectory(real);
        Directory.CreateSymbolicLink(link, scratch.At("outside"));
        var isOver = false;
        var swapper = new Thread(() =>
        {
            while (!Volatile.Read(ref isOver))
            {
                Directory.Move(real, real + "-aside");
                Directory.Move(link, real);
                Directory.Move(real, link);
                Directory.Move(real + "-aside", real);
            }
        });
        swapper.Start();
        var written = 0;
        for (var i = 0; i < 20_000; i++)
        {
            try
            {
                folder.CreateFile($"swap/file-{i}", 0x1A4).Dispose();
                written++;
            }
            catch (DiskException)
            {
                // The link, or nothing, stood there at this moment.
            }
        }

        Volatile.Write(ref isOver, true);
        swapper.Join();
        Directory.GetFileSystemEntries(scratch.At("outside")).ShouldBe([scratch.At("outside/secret")]);
        written.ShouldBeGreaterThan(0);
        written.ShouldBeLessThan(20_000, "the swap must have been hit at least once");
    }

    [Fact]
    public void Moving_never_replaces_what_stands_there()
    {
        scratch.Write("install/one", "one");
        scratch.Write("install/two", "two");
        using var folder = Folder.Open(scratch.At("install"));
        Should.Throw<DiskException>(() => folder.Move("one", "two")).Errno.ShouldBe(DiskException.Exists);
        File.ReadAllText(scratch.At("install/two")).ShouldBe("two");
    }

    [Fact]
    public void A_second_name_of_a_file_elsewhere_is_never_written_through()
    {
        System.Diagnostics.Process.Start("ln", [scratch.At("outside/secret"), scratch.At("install/staged")]).WaitForExit();
        using var folder = Folder.Open(scratch.At("install"));
        Should.Throw<DiskException>(() => folder.OpenOrCreateFile("staged", 0x1A4).Dispose());
        folder.OpenOrCreateFile("fresh", 0x1A4).Dispose();
    }

    [Fact]
    public void A_pipe_in_the_place_of_a_file_does_not_block_reading()
    {
        System.Diagnostics.Process.Start("mkfifo", scratch.At("install/pipe")).WaitForExit();
        using var folder = Folder.Open(scratch.At("install"));
        folder.OpenRead("pipe").Dispose();
        folder.Look("pipe")!.Value.Kind.ShouldBe(NodeKind.Special);
    }

    [Fact]
    public void Flushing_the_way_to_a_folder_passes_one_that_may_not_be_read_and_stops_at_a_disk_that_fails()
    {
        Directory.CreateDirectory(scratch.At("install/maps/old/deep"));
        using var folder = Folder.Open(scratch.At("install"));
        var secret = new FailsAt(scratch.At("install/maps/old"), DiskException.AccessDenied);
        using (secret.Watching())
            folder.FlushWayTo("maps/old/deep");
        secret.Flushed.ShouldBe([scratch.At("install/maps"), scratch.At("install")]);
        using (new FailsAt(scratch.At("install/maps/old"), DiskException.InputOutput).Watching())
            Should.Throw<DiskException>(() => folder.FlushWayTo("maps/old/deep")).Errno.ShouldBe(DiskException.InputOutput);
    }

    public void Dispose() => scratch.Dispose();

    /// <summary>A disk on which one folder cannot be flushed.</summary>
    private sealed class FailsAt(string folder, int errno) : DiskWatch
    {
        public List<string> Flushed { get; } = [];

        public override void Before(DiskChange change)
        {
            if (change.Kind == DiskChangeKind.FlushFolder && change.Path == folder)
                throw new DiskException(errno, "flush", folder);
        }

        public override void After(DiskChange change) => Flushed.Add(change.Path.TrimEnd('/'));
    }
}
