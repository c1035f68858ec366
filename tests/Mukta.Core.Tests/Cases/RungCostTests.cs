using Mukta.Cases;
using Mukta.Products;

namespace Mukta.Core.Tests.Cases;

public class RungCostTests
{
    private static readonly MeasuredTimes Measured = new()
    {
        BytesPerSecond = 1 << 20,
        ReadBytesPerSecond = 100 << 20,
        BytesToFetch = 60L << 20,
        ReleaseBytes = 6000L << 20,
    };

    [Theory]
    [InlineData(RungAct.Repair, 2)] // 60 MiB at 1 MiB/s, and 6000 MiB at 100 MiB/s: 60 s each.
    [InlineData(RungAct.Reinstall, 2)]
    [InlineData(RungAct.RemoveAndInstall, 101)]
    [InlineData(RungAct.ClearCaches, 10)]
    public void What_downloads_files_takes_what_they_take_here_and_anything_else_what_the_profile_says(RungAct act, double minutes)
    {
        var rung = new Rung("it", act, null, 10);
        RungCost.Minutes(rung, isOwn: true, Measured).ShouldBe(minutes, 1e-9);
        RungCost.Minutes(rung, isOwn: false, Measured).ShouldBe(10, "the files of another product were not compared");
        RungCost.Minutes(rung, isOwn: true, Measured with { BytesPerSecond = null }).ShouldBe(10, "nothing was downloaded yet");
        RungCost.Minutes(rung, isOwn: true, MeasuredTimes.Nothing).ShouldBe(10);
    }

    [Fact]
    public void How_long_it_took_before_counts_against_two_times_of_the_profile()
    {
        var took = new[] { ("it", 4.0), ("it", 1.0), ("other", 600.0) }.ToLookup(t => t.Item1, t => t.Item2);
        RungCost.Minutes(new Rung("it", RungAct.Stop, null, 10), isOwn: true, new MeasuredTimes { Took = took }).ShouldBe((20 + 5) / 4.0);
        RungCost.Minutes(new Rung("it", RungAct.Stop, null, 0), isOwn: true, MeasuredTimes.Nothing).ShouldBe(0.1, "no ratio without time");
    }
}
