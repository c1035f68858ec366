using Mukta.Disk;
using Mukta.Tests;

namespace Mukta.Core.Tests.Setup;

/// <summary>The copy that is made before a vendor's program removes files, where files can share their bytes.</summary>
public sealed class SharedCopyCrashTests
{
    [Fact]
    public void A_copy_that_shares_its_bytes_outlasts_a_loss_of_power()
    {
        foreach (var loss in Enum.GetValues<Loss>())
        {
            using var btrfs = new BtrfsDisk();
            Directory.CreateDirectory(btrfs.At("game/saves"));
            File.WriteAllText(btrfs.At("game/saves/first"), "a long way");
            using var disk = new ForgettingDisk(0, [btrfs.Root]);
            using (disk.Watching())
            using (var folder = Folder.Open(btrfs.Root))
                new TreeCopy(folder, folder, CopyWay.Shared).Copy("game", "copy", null, null, TestContext.Current.CancellationToken);
            disk.Story.ShouldContain(s => s.StartsWith(nameof(DiskChangeKind.Clone), StringComparison.Ordinal));
            disk.CutPower(loss, 0);
            File.ReadAllText(btrfs.At("copy/saves/first")).ShouldBe("a long way", $"{loss}");
        }
    }
}
