using Mukta.Disk;
using Mukta.Tests;
using Mukta.UserData;

namespace Mukta.Core.Tests.UserData;

/// <summary>The copy of user data is what counts once the original may be taken away.</summary>
public sealed class UserDataArchiveCrashTests
{
    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void Once_user_data_is_copied_a_loss_of_power_takes_nothing_of_the_copy(bool wasCopiedBefore)
    {
        foreach (var loss in Enum.GetValues<Loss>())
        {
            using var scratch = new Scratch(inMemory: true);
            scratch.Write("saves/first", "a long way");
            Directory.CreateDirectory(scratch.At("kept"));
            using var root = Folder.Open(scratch.Root);
            if (wasCopiedBefore)
                Copy();
            scratch.Write("saves/second", "a longer way");
            ArchivedData copied;
            using (var disk = new ForgettingDisk(0, [scratch.Root]))
            {
                using (disk.Watching())
                    copied = Copy();
                disk.CutPower(loss, 0);
            }

            new UserDataArchive(root).Check("kept/copy.tar", TestContext.Current.CancellationToken).ShouldBe(copied, $"{loss}");
            copied.Files.ShouldBe(2);

            ArchivedData Copy() => new UserDataArchive(root).Write("kept/copy.tar", ["saves"], null, TestContext.Current.CancellationToken);
        }
    }
}
