using System.Diagnostics;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Access;
using Mukta.Host.Space;
using Mukta.Products;
using Mukta.Tests;

namespace Mukta.Core.Tests.Host.Access;

/// <summary>A machine's disk with a player who is not root, looked at by root.</summary>
public sealed class AccessTests : IDisposable
{
    private readonly Scratch scratch = new();
    private readonly Machine machine;
    private readonly Profile profile =
        ProfileReader.Read(new StringReader(
        "format: mukta.profile/1\nproduct: pier\ntitle: Pier\nkind: game\ninstalls: {places: [\"/games/pier\"]}\n"), "test.yaml");

    public AccessTests()
    {
        scratch.Write("etc/passwd", "root:x:0:0::/root:/bin/sh\nanna:x:4001:4001::/home/anna:/bin/sh\n");
        scratch.Write("etc/group", "players:x:4100:bert,anna\n");
        scratch.Write("srv/games/pier/bin/pier", "x");
        scratch.Write("home/anna/.config/pier", "x");
        Directory.CreateDirectory(scratch.At("home/anna/.local/share"));
        machine = new Machine(scratch.Root, UserFolders.Below(scratch.Root, "/home/anna"));
    }

    [Fact]
    public void The_first_folder_that_blocks_is_named_as_its_machine_names_it()
    {
        Own();
        Facts().Blocked.ShouldBeEmpty();
        File.SetUnixFileMode(scratch.At("srv/games"), UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
        Facts().Blocked.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
            b => b.Path.ShouldBe("/srv/games"), b => b.Lacks.ShouldBe(Right.Enter), b => b.IsVital.ShouldBeTrue());
        Run("chgrp", "4100", scratch.At("srv/games"));
        Run("chmod", "0710", scratch.At("srv/games"));
        Facts().Blocked.ShouldBeEmpty("the player is in a group that may enter");
    }

    [Fact]
    public void Settings_that_root_has_taken_over_are_noticed()
    {
        Own();
        Run("chown", "root", scratch.At("home/anna/.config"));
        Facts().Blocked.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
            b => b.Path.ShouldBe("/home/anna/.config"), b => b.Lacks.ShouldBe(Right.Write), b => b.For.ShouldBe("the player's settings"));
    }

    [Fact]
    public void What_belongs_to_somebody_else_is_counted()
    {
        Own();
        Facts().Foreign.ShouldBeNull();
        Run("chown", "4009", scratch.At("srv/games/pier/bin/pier"));
        Facts().Foreign.ShouldBe(new SuchFiles("bin/pier", 1, 4009));
    }

    [Fact]
    public void A_file_that_nobody_may_change_is_noticed()
    {
        Own();
        using var lockIt = Process.Start("chattr", ["+i", scratch.At("srv/games/pier/bin/pier")]);
        lockIt.WaitForExit();
        Need.That(lockIt.ExitCode == 0, "this file system knows no immutable flag");
        try
        {
            Facts().Locked!.First.ShouldBe("bin/pier");
        }
        finally
        {
            Run("chattr", "-i", scratch.At("srv/games/pier/bin/pier"));
        }

        Facts().Locked.ShouldBeNull();
    }

    [Fact]
    public void The_mount_of_a_path_is_the_deepest_and_of_those_the_last()
    {
        Mount[] table =
        [
            .. new[]
            {
                "1 0 8:1 / / rw,relatime - ext4 /dev/a rw", "2 1 8:2 / /mnt/my\\040disk ro,noexec shared:1 - ext4 /dev/b rw",
                    "3 1 8:3 / /mnt rw - xfs /dev/c ro", "4 1 8:4 / /mnt rw - btrfs /dev/d rw", "junk",
            }.Select(Mount.Parse).OfType<Mount>(),
        ];
        Mount.Of("/mnt/my disk/game", table).ShouldNotBeNull()
            .ShouldSatisfyAllConditions(m => m.IsReadOnly.ShouldBeTrue(), m => m.ForbidsPrograms.ShouldBeTrue());
        Mount.Of("/mnt/other", table)!.Type.ShouldBe("btrfs");
        Mount.Of("/mnt2", table)!.Type.ShouldBe("ext4");
        Mount.Of("/proc", Mount.Table())!.IsOfTheKernel.ShouldBeTrue();
    }

    [Fact]
    public void Space_is_counted_once_for_each_disk()
    {
        var places = new SpaceLook(machine).At(scratch.At("srv/games/pier"), new InstallEvidence(5, 3, 60, 100), 50);
        var place = places.ShouldHaveSingleItem();
        place.Need.What.ShouldBe("the install and the player's own files");
        place.Need.Names.ShouldBe(202);
        place.Room!.Value.FreeBytes.ShouldBeGreaterThan(0);
    }

    public void Dispose() => scratch.Dispose();

    private AccessFacts Facts() => new AccessLook(machine).At(profile, scratch.At("srv/games/pier"), default);

    private void Own()
    {
        Need.Root();
        Run("chmod", "0755", scratch.Root);
        Run("chown", "-R", "4001:4001", scratch.At("home/anna"), scratch.At("srv/games/pier"));
    }

    private static void Run(string program, params string[] arguments)
    {
        using var process = Process.Start(program, arguments);
        process.WaitForExit();
        process.ExitCode.ShouldBe(0);
    }
}
