using System.Text;
using Mukta.Tests;

namespace Mukta.Operations.Tests;

/// <summary>What Mukta remembers outside of operations, such as those that wait for a restart.</summary>
public sealed class StatePlaceCrashTests
{
    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void A_file_of_the_state_is_the_old_or_the_new_one_after_a_crash_at_any_point_and_the_new_one_after_the_end(bool isThereBefore)
    {
        var isKilled = true;
        for (var point = 1; isKilled; point++)
        {
            foreach (var loss in Enum.GetValues<Loss>())
            {
                using var scratch = new Scratch(inMemory: true);
                if (isThereBefore)
                    Write(scratch, "old");
                using var disk = new ForgettingDisk(point, [scratch.Root]);
                using (disk.Watching())
                {
                    try
                    {
                        Write(scratch, "new");
                        isKilled = false;
                    }
                    catch (Killed)
                    {
                        // As planned.
                    }
                }

                disk.CutPower(loss, point);
                string?[] right = isKilled ? [isThereBefore ? "old" : null, "new"] : ["new"];
                right.ShouldContain(Read(scratch), $"{loss} at {point}");
                Write(scratch, "next");
                Read(scratch).ShouldBe("next");
            }
        }

        static string? Read(Scratch scratch) =>
            File.Exists(scratch.At("mukta/waiting/one.json")) ? File.ReadAllText(scratch.At("mukta/waiting/one.json")) : null;

        static void Write(Scratch scratch, string text) =>
            StatePlace.WriteFile(scratch.Root, "waiting/one.json", Encoding.UTF8.GetBytes(text));
    }
}
