using CsCheck;
using Mukta.Cases;
using Mukta.Host.Checks;
using Mukta.Products;

namespace Mukta.Core.Tests.Cases;

public class LadderOrderTests
{
    private static readonly DateTimeOffset Now = new(2026, 11, 30, 0, 0, 0, TimeSpan.Zero);

    /// <summary>Up to six rungs with chances, times and losses; each may have to come after one before it.</summary>
    private static readonly Gen<IReadOnlyList<RatedRung>> Ladders = Gen.Select(Gen.Double[0.01, 0.95], Gen.Double[0.5, 60], Gen.Int[0, 2], Gen.Int[-6, 5])
        .List[1, 6].Select(all => (IReadOnlyList<RatedRung>)[.. all.Select((r, i) => new RatedRung(
            new Rung($"r{i}", RungAct.Operator, null, 1) { Loses = (RungLoss)r.Item3, After = r.Item4 >= 0 && r.Item4 < i ? [$"r{r.Item4}"] : [] },
            r.Item1, r.Item2))]);

    [Fact]
    public void No_other_order_that_keeps_what_comes_before_what_has_less_expected_time() => Ladders.Sample(rungs =>
    {
        var order = LadderOrder.Of(rungs, countsLoss: false);
        order.ShouldBe(rungs, ignoreOrder: true);
        IsInOrder(order).ShouldBeTrue();
        LadderOrder.ExpectedMinutes(order).ShouldBeLessThanOrEqualTo(All([.. rungs]).Where(IsInOrder).Min(LadderOrder.ExpectedMinutes) * 1.0000001);
    }, iter: 1000);

    [Fact]
    public void What_loses_something_comes_after_what_does_not_unless_the_latter_needs_it() => Ladders.Sample(rungs =>
    {
        var order = LadderOrder.Of(rungs).ToList();
        order.ShouldBe(rungs, ignoreOrder: true);
        IsInOrder(order).ShouldBeTrue();
        // What a rung with all that has to come before it can lose.
        RungLoss Loss(RatedRung rung) => rungs.Where(r => rung.Rung.After.Contains(r.Rung.Id)).Select(Loss).Append(rung.Rung.Loses).Max();
        order.Select(Loss).ShouldBeInOrder();
    }, iter: 300);

    [Fact]
    public void Rungs_that_are_as_good_as_each_other_keep_the_profiles_order() =>
        LadderOrder.Of([Rated("b", 0.2, 2), Rated("a", 0.2, 2), Rated("c", 0.1, 1)]).Select(r => r.Rung.Id).ShouldBe(["b", "a", "c"]);

    [Fact]
    public void A_rung_that_leads_to_two_good_ones_comes_before_one_that_is_better_than_either_way_alone()
    {
        // After a, both b and c are as good as done; d is better than a with b.
        var order = LadderOrder.Of([Rated("a", 0.01, 10), Rated("b", 0.5, 4, "a"), Rated("c", 0.9, 1, "a"), Rated("d", 0.05, 1)]);
        order.Select(r => r.Rung.Id).ShouldBe(["a", "c", "b", "d"]);
        LadderOrder.ExpectedMinutes(order).ShouldBe(All([.. order]).Where(IsInOrder).Min(LadderOrder.ExpectedMinutes), 1e-9);
    }

    [Fact]
    public void A_circle_ends() => LadderOrder.Of(
        [Rated("a", 0.2, 2, "b"), Rated("b", 0.2, 2, "a")]).Count.ShouldBe(2);

    [Fact]
    public void Outcomes_move_the_profiles_chance_those_of_this_code_most_and_older_ones_less()
    {
        var rung = new Rung("pump", RungAct.Repair, null, 5);
        double Chance(params RungOutcome[] outcomes) => new ChanceModel(outcomes, Now).Of("pier", "PI-1", rung, 0.2).Learnt;
        RungOutcome[] Times(int count, string product = "pier", string code = "PI-1", int daysAgo = 0) =>
            [.. Enumerable.Repeat(new RungOutcome(Now.AddDays(-daysAgo), product, code, "pump", RungAct.Repair, TriedResult.Fixed), count)];
        Chance().ShouldBe(0.2);
        Chance(Times(4)).ShouldBe(((4 * 0.2) + 4) / 8, 1e-9);
        Chance(Times(4, code: "pi-1")).ShouldBe(Chance(Times(4)), 1e-9, "letter case does not count");
        Chance(Times(400)).ShouldBeGreaterThan(0.98);
        Chance(Times(400, code: "PI-2")).ShouldBe(((4 * 0.2) + 2) / 6, 1e-9, "other codes count as two outcomes at most");
        Chance(Times(400, product: "buoy")).ShouldBe(((4 * 0.2) + 1) / 5, 1e-9, "other products as one");
        Chance(Times(4, daysAgo: 180)).ShouldBe(((4 * 0.2) + 2) / 6, 1e-9, "half as much after half a year");
        Chance([.. Times(1).Select(o => o with { Result = TriedResult.Worse })]).ShouldBeLessThan(0.2);
        Chance(Times(1, daysAgo: -1000)).ShouldBe(Chance(Times(1)), 1e-9, "a clock that was wrong gives no more weight");
    }

    [Fact]
    public void What_was_seen_moves_a_chance_as_the_table_says_and_what_was_not_looked_at_does_not()
    {
        var services = new Rung("s", RungAct.RestoreServices, null, 1);
        SeenState Seen(Area area, params CheckFinding[] findings) => new(Check(AreaResult.Of(area, findings, "")), FilesState.Unknown);
        var down = new CheckFinding(FindingKind.ServiceDown, Verdict.Bad, "a.service", "a.service is down");
        Evidence.For(services, Seen(Area.Services, down)).ShouldBe(new EvidenceWeight(10, "a.service is down"));
        Evidence.For(services, Seen(Area.Services)).Factor.ShouldBe(0.1);
        Evidence.For(services, new SeenState(Check(AreaResult.Skipped(Area.Services, "none")), FilesState.Unknown)).Factor.ShouldBe(1);
        Evidence.For(services, SeenState.Nothing).ShouldBe(EvidenceWeight.None);
        var repair = new Rung("r", RungAct.Repair, null, 1);
        Evidence.For(repair, new SeenState(null, FilesState.Intact)).Factor.ShouldBeLessThan(0.1);
        Evidence.For(repair, new SeenState(null, FilesState.Damaged)).Factor.ShouldBeGreaterThan(10);
        Evidence.For(repair, SeenState.Nothing).Factor.ShouldBe(1);
        var tunnel = new Rung("t", RungAct.Operator, null, 1) { Gone = ["tunnel-route"] };
        Evidence.For(tunnel, Seen(Area.Network, new CheckFinding(FindingKind.TunnelRoute, Verdict.Warning, "tun0", "through tun0"))).Factor.ShouldBe(10);
        Evidence.For(tunnel, Seen(Area.Network)).Factor.ShouldBe(0.1);
        Evidence.For(tunnel, new SeenState(Check(AreaResult.Skipped(Area.Network, "--offline")), FilesState.Unknown)).Factor.ShouldBe(1);
        new EvidenceWeight(10, null).On(0.2).ShouldBe(2.0 / 2.8, 1e-9, "odds of 1 to 4 become 10 to 4");
        new EvidenceWeight(1, null).On(0.2).ShouldBe(0.2, 1e-9);
    }

    [Fact]
    public void Each_finding_belongs_to_the_area_that_reports_it()
    {
        foreach (var area in Enum.GetValues<Area>())
            Enum.GetValues<FindingKind>().ShouldContain(k => FindingAreas.Of(k) == area, $"{area}");
        foreach (var (kind, area) in new[]
        {
            (FindingKind.OperationPending, Area.Install), (FindingKind.ProcessesHidden, Area.Processes), (FindingKind.ServicesUnknown, Area.Services),
            (FindingKind.PartialDownloads, Area.Caches), (FindingKind.ShortcutStale, Area.Shortcuts), (FindingKind.RuntimeUnknown, Area.Runtime),
            (FindingKind.SystemUnknown, Area.System), (FindingKind.InterferenceUnknown, Area.Interference), (FindingKind.SpaceUnknown, Area.Space),
            (FindingKind.AccessUnknown, Area.Access), (FindingKind.NetworkUnknown, Area.Network), (FindingKind.OutageUnknown, Area.Outages),
        })
            FindingAreas.Of(kind).ShouldBe(area);
    }

    private static ProductCheck Check(params AreaResult[] areas) => new(
        new LoadedProfile(ProfileReader.Read(
            new StringReader("format: mukta.profile/1\nproduct: pier\ntitle: Pier\nkind: game\ninstalls: {places: [/games/pier]}\n"), "x.yaml"), "x.yaml"),
        null, areas);

    private static RatedRung Rated(string id, double chance, double minutes, params string[] after) =>
        new(new Rung(id, RungAct.Operator, null, 1) { After = after }, chance, minutes);

    private static bool IsInOrder(IReadOnlyList<RatedRung> order) => order.Select((r, i) => (r, i))
        .All(p => p.r.Rung.After.All(a => order.Take(p.i).Any(o => o.Rung.Id == a)));

    private static IEnumerable<IReadOnlyList<RatedRung>> All(IReadOnlyList<RatedRung> rungs) => rungs.Count == 0 ? [[]]
        : rungs.SelectMany((r, i) => All([.. rungs.Where((_, j) => j != i)]).Select(rest => (IReadOnlyList<RatedRung>)[r, .. rest]));
}
