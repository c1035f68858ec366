using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Manifests;
using Mukta.Tests;
using Mukta.Verification;

namespace Mukta.Core.Tests.Verification;

public sealed class VerifierTests : IDisposable
{
    private readonly Install install = Install.Usual();

    private Scratch Disk => install.Scratch;

    [Fact]
    public void A_healthy_install_is_intact_and_every_byte_was_read()
    {
        var result = install.Verify();
        result.Findings.ShouldBeEmpty();
        result.BytesRead.ShouldBe(install.Manifest.TotalSize);
        result.BytesGood.ShouldBe(install.Manifest.TotalSize);
    }

    [Fact]
    public void A_missing_file_costs_its_size()
    {
        File.Delete(Disk.At("install/maps/harbour.pak"));
        Only<Missing>().BytesToFetch.ShouldBe(8 * Install.PieceLength);
    }

    [Fact]
    public void Damage_is_told_by_piece_and_neighbours_are_joined()
    {
        Disk.Flip("install/maps/harbour.pak", 2 * Install.PieceLength);
        Disk.Flip("install/maps/harbour.pak", 3 * Install.PieceLength + 5);
        Disk.Flip("install/maps/harbour.pak", 8 * Install.PieceLength - 1);
        var damaged = Only<Damaged>();
        damaged.Bad.ShouldBe([new BadRange(2, 3, 8192, 8192), new BadRange(7, 7, 28672, 4096)]);
        damaged.BytesToFetch.ShouldBe(3 * Install.PieceLength);
    }

    [Fact]
    public void Zeros_are_told_from_where_they_begin_across_pieces()
    {
        Disk.Zero("install/maps/harbour.pak", Install.PieceLength + 1000, Install.PieceLength * 2 - 1000);
        Only<Damaged>().Bad.ShouldBe([new BadRange(1, 2, 4096, 8192, ZerosFrom: 5096)]);
    }

    [Fact]
    public void A_truncated_file_loses_only_the_pieces_behind_the_cut()
    {
        Disk.Truncate("install/maps/harbour.pak", 5 * Install.PieceLength + 1);
        var damaged = Only<Damaged>();
        damaged.Found.Size.ShouldBe(5 * Install.PieceLength + 1);
        damaged.Bad.ShouldBe([new BadRange(5, 7, 5 * 4096, 3 * 4096)]);
    }

    [Fact]
    public void Surplus_bytes_damage_a_file_and_cost_nothing()
    {
        File.AppendAllText(Disk.At("install/maps/harbour.pak"), "x");
        var damaged = Only<Damaged>();
        (damaged.Bad.Count, damaged.BytesToFetch, damaged.Found.Size).ShouldBe((0, 0, 8 * Install.PieceLength + 1));
    }

    [Fact]
    public void A_file_with_bytes_where_none_belong_is_damaged()
    {
        File.AppendAllText(Disk.At("install/sound/empty.bank"), "x");
        Only<Damaged>().BytesToFetch.ShouldBe(0);
    }

    [Fact]
    public void Another_letter_case_is_recognised_by_the_bytes()
    {
        Directory.CreateDirectory(Disk.At("install/Maps"));
        File.Move(Disk.At("install/maps/pier.pak"), Disk.At("install/Maps/PIER.pak"));
        Only<Miscased>().FoundAt.ShouldBe("Maps/PIER.pak");
    }

    [Fact]
    public void Another_letter_case_with_other_bytes_is_a_stray_and_the_file_is_missing()
    {
        File.Move(Disk.At("install/maps/pier.pak"), Disk.At("install/maps/Pier.pak"));
        Disk.Flip("install/maps/Pier.pak", 0);
        States().ShouldBe([("maps/pier.pak", FileState.Missing), ("maps/Pier.pak", FileState.Stray)]);
    }

    [Fact]
    public void A_folder_where_a_file_belongs_takes_what_it_holds_with_it()
    {
        File.Delete(Disk.At("install/bin/game"));
        Disk.Fill("install/bin/game/inner/thing", 33, 9);
        var wrong = Only<WrongKind>();
        (wrong.Found, wrong.FilesInside, wrong.BytesInside, wrong.BytesToFetch).ShouldBe((NodeKind.Folder, 1, 33, 9_000));
    }

    [Fact]
    public void A_link_where_a_file_belongs_is_not_followed()
    {
        File.Move(Disk.At("install/bin/game"), Disk.At("elsewhere"));
        File.CreateSymbolicLink(Disk.At("install/bin/game"), Disk.At("elsewhere"));
        Only<WrongKind>().Found.ShouldBe(NodeKind.Link);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void Something_else_where_a_folder_belongs_is_one_finding_and_the_files_are_missing(bool asLink)
    {
        Directory.Move(Disk.At("install/maps"), Disk.At("elsewhere"));
        if (asLink)
            Directory.CreateSymbolicLink(Disk.At("install/maps"), Disk.At("elsewhere"));
        else
            Disk.Write("install/maps", "a file");
        States().ShouldBe([("maps/harbour.pak", FileState.Missing), ("maps/pier.pak", FileState.Missing), ("maps", FileState.WrongKind)]);
    }

    [Fact]
    public void A_lost_right_to_execute_is_a_wrong_mode()
    {
        File.SetUnixFileMode(Disk.At("install/bin/game"), Scratch.Usual);
        Only<WrongMode>().Found.Mode.ShouldBe(Convert.ToInt32("644", 8));
    }

    [Fact]
    public void The_groups_right_to_write_is_the_machines_own_choice()
    {
        File.SetUnixFileMode(Disk.At("install/bin/game"), Scratch.Program | UnixFileMode.GroupWrite);
        install.Verify().Findings.ShouldBeEmpty();
    }

    [Fact]
    public void Strays_are_listed_and_do_not_count()
    {
        Disk.Write("install/saves/one.sav", "mine");
        Disk.Write("install/.mukta/kept/old", "kept");
        var result = install.Verify();
        result.Findings.ShouldHaveSingleItem().ShouldBeOfType<Stray>().Path.ShouldBe("saves/one.sav");
        result.IsIntact.ShouldBeTrue();
    }

    [Fact]
    public void A_link_that_points_elsewhere_is_damaged_and_one_that_is_gone_is_missing()
    {
        install.Manifest = install.Manifest with
        {
            Links = [new ManifestLink { Path = "a", Target = "bin/game" }, new ManifestLink { Path = "b", Target = "bin/game" },
                new ManifestLink { Path = "c", Target = "bin" }],
        };
        File.CreateSymbolicLink(Disk.At("install/a"), "bin/game");
        File.CreateSymbolicLink(Disk.At("install/b"), "/etc/hostname");
        States().ShouldBe([("c", FileState.Missing), ("b", FileState.Damaged)]);
    }

    [Fact]
    public void Weak_pieces_do_not_outweigh_a_strong_hash_of_the_whole()
    {
        var file = install.Manifest.Files.Single(f => f.Path == "maps/pier.pak");
        var bytes = File.ReadAllBytes(Disk.At("install/maps/pier.pak"));
#pragma warning disable CA5351 // Weak on purpose: that is what the test is about.
        var weak = bytes.Chunk(Install.PieceLength).SelectMany(System.Security.Cryptography.MD5.HashData).ToArray();
#pragma warning restore CA5351
        var forged = file with
        {
            Pieces = new PieceList(Mukta.Hashing.HashKind.Md5, Install.PieceLength, weak),
            Hashes = [new ContentHash(Mukta.Hashing.HashKind.Sha256, new byte[32])],
        };
        install.Manifest = install.Manifest with { Files = [.. install.Manifest.Files.Select(f => f.Path == file.Path ? forged : f)] };
        Only<Damaged>().BadPieces.ShouldBe(4);
    }

    [Fact]
    public void A_file_proven_before_is_read_again_once_anything_has_touched_it()
    {
        var before = install.Verify();
        using var folder = Folder.Open(install.Root);
        var again = new Verifier(TimeProvider.System)
            .Verify(install.Manifest, folder, new VerifyOptions { Trusted = before.Proven }, TestContext.Current.CancellationToken);
        (again.BytesRead, again.BytesTrusted).ShouldBe((0, install.Manifest.TotalSize));
        Disk.Flip("install/maps/harbour.pak", 10);
        var touched = new Verifier(TimeProvider.System)
            .Verify(install.Manifest, folder, new VerifyOptions { Trusted = before.Proven }, TestContext.Current.CancellationToken);
        touched.Problems.ShouldHaveSingleItem().Path.ShouldBe("maps/harbour.pak");
    }

    public void Dispose() => install.Dispose();

    private T Only<T>()
        where T : Finding => install.Verify().Findings.ShouldHaveSingleItem().ShouldBeOfType<T>();

    private IEnumerable<(string, FileState)> States() => install.Verify().Findings.Select(f => (f.Path, f.State));
}
