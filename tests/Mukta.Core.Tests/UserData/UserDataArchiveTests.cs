using System.Diagnostics;
using System.Net.Sockets;
using System.Text;
using Mukta.Disk;
using Mukta.Operations;
using Mukta.Tests;
using Mukta.UserData;

namespace Mukta.Core.Tests.UserData;

/// <summary>The copy of user data: exact, checked, and read by standard tools.</summary>
public sealed class UserDataArchiveTests
{
    [Fact]
    public void User_data_without_a_regular_file_is_archived_too()
    {
        using var own = new Scratch();
        Directory.CreateDirectory(own.At("saves"));
        File.CreateSymbolicLink(own.At("link"), "/nowhere");
        using var root = Folder.Open(own.Root);
        var archive = new UserDataArchive(root);
        archive.Write("archive.tar", ["saves", "link"], null, TestContext.Current.CancellationToken);
        archive.Check("archive.tar", TestContext.Current.CancellationToken).Bytes.ShouldBe(0);
    }

    [Fact]
    public void Links_odd_modes_and_odd_names_are_archived_and_standard_tools_read_and_check_them()
    {
        using var scratch = Saves(nanoseconds: 0);
        using var root = Folder.Open(scratch.Root);
        var written = new UserDataArchive(root).Write("copy.tar", ["saves", "lone"], null, TestContext.Current.CancellationToken);
        written.ShouldBe(new UserDataArchive(root).Check("copy.tar", TestContext.Current.CancellationToken));
        written.Files.ShouldBe(9);

        Directory.CreateDirectory(scratch.At("unpacked"));
        Run("tar", "-C", scratch.At("unpacked"), "-xpf", scratch.At("copy.tar"));
        Run("sh", "-c", $"cd '{scratch.At("unpacked")}' && sha256sum --quiet --strict -c {UserDataArchive.ListName}");
        var (before, after) = (Look(root, "saves"), Look(root, "unpacked/saves"));
        after.Except(before).Select(l => l.Split(' ')[0])
            .ShouldBe(["caf\\xe9.sav", "line\\x0abreak"], "names that tar cannot hold stand there in words, and only those");
        before.Count.ShouldBe(after.Count);
    }

    [Fact]
    public void What_comes_back_is_exactly_what_was_there_with_modes_times_links_and_second_names()
    {
        using var scratch = Saves();
        using var root = Folder.Open(scratch.Root);
        new UserDataArchive(root).Write("copy.tar", ["saves"], null, TestContext.Current.CancellationToken);
        var before = Look(root, "saves");
        var machine = new Mukta.Host.Machine(scratch.Root, Mukta.Products.UserFolders.Below(scratch.Root, "/home"));
        using (var operation = Operation.Open(machine.Home, OperationHeader.New("reinstall", "x", null, TimeProvider.System), "", null))
        {
            Directory.Move(scratch.At("saves"), scratch.At("gone"));
            new UserDataReturn(operation, "copy.tar").PutBack(["saves"], _ => false, TestContext.Current.CancellationToken);
            Look(root, "saves").ShouldBe(before);
            root.Look("saves/donor")!.Value.Inode.ShouldBe(root.Look("saves/slot 1.sav")!.Value.Inode);
        }

        File.WriteAllText(scratch.At("saves/slot 1.sav"), "newer");
        File.Delete(scratch.At("saves/deep/er/one"));
        using (var operation = Operation.Open(machine.Home, OperationHeader.New("reinstall", "y", null, TimeProvider.System), "", null))
            new UserDataReturn(operation, "copy.tar").PutBack(["saves"], _ => false, TestContext.Current.CancellationToken);
        (File.ReadAllText(scratch.At("saves/slot 1.sav")), File.ReadAllText(scratch.At("saves/deep/er/one")))
            .ShouldBe(("newer", "deep"), "what is gone comes back, what is there may be newer");
    }

    [Fact]
    public void A_file_that_grows_while_it_is_copied_is_copied_again_and_refused_if_it_does_not_rest()
    {
        using var scratch = Saves();
        using var root = Folder.Open(scratch.Root);
        var times = 0;
        new UserDataArchive(root) { OnFile = path => Grow(path, once: true) }.Write(
            "copy.tar", ["saves"], null, TestContext.Current.CancellationToken);
        Run("sh", "-c", $"cd '{scratch.Root}' && tar -xOf copy.tar saves/deep/er/one | cmp - saves/deep/er/one");
        var refused = Should.Throw<MuktaException>(
            () => new UserDataArchive(root) { OnFile = path => Grow(path, once: false) }.Write(
            "copy.tar", ["saves"], null, TestContext.Current.CancellationToken));
        (refused.Code, refused.Where).ShouldBe((ExitCode.Blocked, scratch.At("saves/deep/er/one")));
        File.Exists(scratch.At("copy.tar")).ShouldBeFalse();

        void Grow(string path, bool once)
        {
            if (path == "saves/deep/er/one" && (!once || times++ == 0))
                File.AppendAllText(scratch.At(path), "more");
        }
    }

    [Fact]
    public void A_socket_is_refused_by_name_and_a_damaged_archive_is_not_taken()
    {
        using var scratch = Saves();
        using var root = Folder.Open(scratch.Root);
        new UserDataArchive(root).Write("copy.tar", ["saves"], null, TestContext.Current.CancellationToken);
        var at = File.ReadAllBytes(scratch.At("copy.tar")).AsSpan().IndexOf("first slot"u8);
        scratch.Flip("copy.tar", at);
        Should.Throw<MuktaException>(() => new UserDataArchive(root).Check("copy.tar", TestContext.Current.CancellationToken))
            .What.ShouldContain("does not read back");
        using var socket = new Socket(AddressFamily.Unix, SocketType.Stream, ProtocolType.Unspecified);
        socket.Bind(new UnixDomainSocketEndPoint(scratch.At("saves/live")));
        Should.Throw<MuktaException>(
            () => new UserDataArchive(root).Write("copy.tar", ["saves"], null, TestContext.Current.CancellationToken))
            .Where.ShouldBe(scratch.At("saves/live"));
    }

    /// <param name="nanoseconds">What the times have beyond the tenths of microseconds that every reader of pax knows.</param>
    private static Scratch Saves(long nanoseconds = 89)
    {
        var scratch = new Scratch();
        scratch.Write("saves/slot 1.sav", "first slot");
        scratch.Write("saves/deep/er/one", "deep");
        scratch.Write("saves/empty", "");
        scratch.Write("saves/line\nbreak and \\ more", "odd");
        scratch.Write($"saves/{new string('n', 120)}/{new string('m', 130)}", "long");
        scratch.Write("lone", "a lone file");
        File.CreateSymbolicLink(scratch.At("saves/latest"), "slot 1.sav");
        File.SetUnixFileMode(scratch.At("saves/empty"), (UnixFileMode)0b001_100_000_100);
        Directory.CreateDirectory(scratch.At("saves/hollow"));
        File.SetUnixFileMode(scratch.At("saves/deep"), (UnixFileMode)0b101_101_000);
        using (var root = Folder.Open(scratch.Root))
        {
            using (var odd = root.CreateFile(PathBytes.Decode(Encoding.Latin1.GetBytes("saves/café.sav")), 0b110_100_100))
                odd.Write("latin"u8, 0);
            root.TryLink("saves/slot 1.sav", "saves/donor").ShouldBeTrue();
            foreach (var entry in TreeWalk.Entries(root).ToList())
                root.SetModified(entry.Path, 1_772_600_767_123_456_700 + nanoseconds);
        }

        return scratch;
    }

    private static List<string> Look(Folder root, string path)
    {
        using var folder = Folder.Open(Path.Join(root.Path, path));
        return [.. TreeWalk.Entries(folder)
            .Select(e => e.Node!.Value is var n
            ? $"{e.Path} {n.Kind} {n.Size * (n.Kind == NodeKind.File ? 1 : 0)} {n.Mode} {n.User} {n.Group} {n.ModifiedNs} "
            + $"{(n.Kind == NodeKind.File ? $"{n.Links} {Hash(folder, e.Path)}" : n.Kind == NodeKind.Link ? folder.ReadLink(e.Path) : "")}"
            : "").Order(StringComparer.Ordinal)];
    }

    private static string Hash(Folder folder, string path)
    {
        using var file = new FileStream(folder.OpenRead(path), FileAccess.Read);
        return Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(file));
    }

    private static void Run(string program, params string[] arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(program, arguments) { RedirectStandardError = true })!;
        var said = process.StandardError.ReadToEnd();
        process.WaitForExit();
        process.ExitCode.ShouldBe(0, said);
    }
}
