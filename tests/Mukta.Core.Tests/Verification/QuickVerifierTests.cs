using CsCheck;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Products;
using Mukta.State;
using Mukta.Verification;
using Mukta.Verification.Quick;

namespace Mukta.Core.Tests.Verification;

public sealed class QuickVerifierTests : IDisposable
{
    private readonly Install install = Install.Usual();

    public QuickVerifierTests()
    {
        File.CreateSymbolicLink(install.Scratch.At("release/start"), "bin/game");
        File.CreateSymbolicLink(install.Scratch.At("install/start"), "bin/game");
        install.Publish("1.4.2");
        WriteManifest();
        Age();
    }

    private string ManifestPath => install.Scratch.At("game.meta4");

    [Fact]
    public void The_first_reads_everything_and_the_second_nothing_and_both_say_the_same()
    {
        var first = Quick();
        (first.IsIntact, first.BytesRead, first.FilesTrusted).ShouldBe((true, install.Manifest.TotalSize, 0));
        var second = Quick();
        (second.IsIntact, second.BytesRead, second.FilesTrusted, second.BytesTrusted).ShouldBe((true, 0L, 5, install.Manifest.TotalSize));
        second.TrustedSince.ShouldBe(first.LookedAt);
        second.Release.ShouldBe(first.Release);
        second.Manifest.Files.Count.ShouldBe(5);
        Quick().TrustedSince.ShouldBe(first.LookedAt, "trust does not get younger by being used");
    }

    [Theory]
    [InlineData("flip")]
    [InlineData("touch")]
    [InlineData("mode")]
    [InlineData("replace")]
    [InlineData("delete")]
    [InlineData("link")]
    [InlineData("recase")]
    [InlineData("folder")]
    public void Whatever_was_done_to_a_file_is_seen_and_only_that_file_is_read(string harm)
    {
        Full();
        var path = install.Scratch.At("install/maps/pier.pak");
        var times = (File.GetLastWriteTimeUtc(path), Path.GetDirectoryName(path)!);
        switch (harm)
        {
            case "flip":
                install.Scratch.Flip("install/maps/pier.pak", 9);
                File.SetLastWriteTimeUtc(path, times.Item1); // The time of the change itself cannot be set back.
                break;
            case "touch":
                File.SetLastWriteTimeUtc(path, DateTime.UtcNow);
                break;
            case "mode":
                File.SetUnixFileMode(path, UnixFileMode.UserRead);
                break;
            case "replace":
                File.Copy(path, path + "~");
                File.Move(path + "~", path, overwrite: true);
                File.SetLastWriteTimeUtc(path, times.Item1);
                break;
            case "delete":
                File.Delete(path);
                break;
            case "link":
                File.Delete(install.Scratch.At("install/start"));
                File.CreateSymbolicLink(install.Scratch.At("install/start"), "maps/pier.pak");
                break;
            case "recase":
                File.Move(path, install.Scratch.At("install/maps/Pier.pak"));
                break;
            case "folder":
                File.Delete(path);
                Directory.CreateDirectory(path);
                break;
        }

        var quick = Quick();
        var full = new Verifier(TimeProvider.System)
            .Verify(install.Manifest, Opened(), new VerifyOptions(), TestContext.Current.CancellationToken);
        quick.Findings.Select(f => (f.Path, f.State)).ShouldBe(full.Findings.Select(f => (f.Path, f.State)));
        quick.IsIntact.ShouldBe(harm is "touch" or "replace");
        quick.BytesRead.ShouldBeLessThanOrEqualTo(new FileInfo(install.Scratch.At("release/maps/pier.pak")).Length);
    }

    [Fact]
    public void A_file_that_changed_just_before_it_was_read_is_never_trusted()
    {
        Thread.Sleep(150); // The kernel sets the times of change: the other files have to be older than the file system's clock is fine.
        install.Scratch.Flip("install/maps/pier.pak", 9);
        install.Scratch.Flip("install/maps/pier.pak", 9);
        time.Now = File.GetLastWriteTimeUtc(install.Scratch.At("install/maps/pier.pak")).AddMilliseconds(10);
        Quick().FilesTrusted.ShouldBe(0);
        var again = Quick();
        (again.FilesTrusted, again.BytesRead).ShouldBe((4, new FileInfo(install.Scratch.At("install/maps/pier.pak")).Length));
    }

    [Fact]
    public void A_stray_is_told_though_nothing_is_read()
    {
        Full();
        install.Scratch.Write("install/saves/deep/mine.sav", "mine");
        install.Scratch.Write("install/maps/a-note", "note");
        var quick = Quick();
        (quick.BytesRead, quick.IsIntact).ShouldBe((0L, true));
        quick.Strays.Select(s => s.Path).ShouldBe(["maps/a-note", "saves/deep/mine.sav"]);
    }

    [Fact]
    public void Another_manifest_trusts_only_what_has_the_same_bytes_in_both()
    {
        Full();
        install.Scratch.Flip("release/maps/harbour.pak", 5);
        install.Publish("1.5.0");
        WriteManifest();
        var quick = Quick();
        (quick.FilesTrusted, quick.BytesRead).ShouldBe((4, 8L * Install.PieceLength));
        quick.Findings.ShouldHaveSingleItem().Path.ShouldBe("maps/harbour.pak");
    }

    [Fact]
    public void The_same_manifest_written_anew_is_read_again_and_the_files_are_trusted()
    {
        Full();
        WriteManifest();
        var quick = Quick();
        (quick.FilesTrusted, quick.BytesRead, quick.IsIntact).ShouldBe((5, 0L, true));
    }

    [Fact]
    public void Another_file_system_is_trusted_in_nothing()
    {
        Full();
        Put("UPDATE verified SET file_system = file_system + 1");
        Quick().FilesTrusted.ShouldBe(0);
    }

    [Fact]
    public void A_record_that_is_damaged_is_as_none()
    {
        Full();
        Put("UPDATE verified_folder SET seals = zeroblob(7)");
        Quick().IsIntact.ShouldBeTrue();
        Put("DROP TABLE verified_folder");
        Quick().FilesTrusted.ShouldBe(0);
    }

    [Fact]
    public void Whatever_happens_to_a_tree_the_quick_way_finds_what_the_full_one_does() =>
        Gen.Select(Gen.Int[0, 5], Gen.Int[0, 3], Gen.Int[0, 8999]).Array[0, 6].Sample(harms =>
        {
            Full();
            string[] files = ["bin/game", "maps/harbour.pak", "maps/pier.pak", "sound/gulls.bank", "new/one", "maps/two"];
            foreach (var (file, harm, where) in harms)
            {
                var path = install.Scratch.At("install", files[file]);
                if (harm == 0 && File.Exists(path))
                    File.Delete(path);
                else if (harm == 1 && File.Exists(path) && new FileInfo(path).Length > where)
                    install.Scratch.Flip($"install/{files[file]}", where);
                else if (harm == 2)
                    install.Scratch.Write($"install/{files[file]}", $"written {where}");
            }

            var full = new Verifier(TimeProvider.System)
                .Verify(install.Manifest, Opened(), new VerifyOptions(), TestContext.Current.CancellationToken);
            var quick = Quick();
            quick.Findings.Select(f => (f.Path, f.State)).ShouldBe(full.Findings.Select(f => (f.Path, f.State)));
            (quick.BytesToFetch, quick.BytesGood).ShouldBe((full.BytesToFetch, full.BytesGood));
        }, iter: 60, threads: 1);

    public void Dispose() => install.Dispose();

    private Folder Opened() => Folder.Open(install.Root);

    private readonly ToldTime time = new();

    private QuickVerifier Verifier =>
        new(time, new VerifiedRecords(new Machine("/", UserFolders.Of(name => name == "HOME" ? install.Scratch.Root : null))));

    private VerifyResult Quick()
    {
        using var folder = Opened();
        return Verifier.Quick(new LazyManifest(ManifestPath), folder, new VerifyOptions(), TestContext.Current.CancellationToken);
    }

    private void Full()
    {
        using var folder = Opened();
        Verifier.Full(new LazyManifest(ManifestPath), folder, new VerifyOptions(), TestContext.Current.CancellationToken);
    }

    /// <summary>Lets the files become older than the clock of a file system is fine.</summary>
    private void Age() => time.Now = DateTimeOffset.UtcNow.AddMinutes(1);

    /// <summary>A clock that is told what time it is.</summary>
    private sealed class ToldTime : TimeProvider
    {
        public DateTimeOffset Now { get; set; }

        public override DateTimeOffset GetUtcNow() => Now;
    }

    private void WriteManifest()
    {
        using var file = File.Create(ManifestPath);
        MetalinkWriter.Write(install.Manifest, file);
    }

    private void Put(string statement)
    {
        using var database = StateDatabase.Open(install.Scratch.At(".local/state"));
        database.With(statement, c => c.ExecuteNonQuery());
    }
}
