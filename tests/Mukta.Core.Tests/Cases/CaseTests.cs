using Mukta.Cases;
using Mukta.Host;
using Mukta.Products;
using Mukta.Tests;

namespace Mukta.Core.Tests.Cases;

public sealed class CaseTests : IDisposable
{
    private static readonly Profile Pier = ProfileReader.Read(
        new StringReader("""
            format: mukta.profile/1
            product: pier
            title: Pier
            kind: game
            installs: {places: [/games/pier]}
            codes:
              - {code: PI-1, means: It sank, symptoms: ["*sank*", "*under * water"], logs: ["*fatal: water*"], rungs: {pump: 40}}
              - {code: PI-2, means: It burns, symptoms: ["*smoke*"], logs: ["*fatal: fire*"], rungs: {hose: 30, pump: 5}}
            ladder:
              - {rung: look, operator: Look below deck., minutes: 1}
              - {rung: pump, operator: Pump it dry., minutes: 10, after: [look]}
              - {rung: hose, operator: Take the hose., minutes: 5}
            """), "pier.yaml");

    private readonly Scratch scratch = new();

    [Theory]
    [InlineData("pi-2", null, null, "PI-2")]
    [InlineData(null, "my ship Sank yesterday", null, "PI-1")]
    [InlineData(null, "it is UNDER the water", null, "PI-1")]
    [InlineData(null, "it says pi-2 and sank", null, "PI-1")]
    [InlineData(null, "it says pi-2", null, "PI-2")]
    [InlineData(null, "it creaks", "all is well\n12:00 fatal: fire in the hold\r\n12:01 fatal: water\n", "PI-1")]
    [InlineData(null, "smoke", "fatal: water", "PI-2")]
    [InlineData(null, "it creaks", "all is well", null)]
    [InlineData(null, null, null, null)]
    public void A_complaint_finds_its_code_by_name_by_what_is_said_and_by_the_end_of_the_logs(string? code, string? symptom, string? log, string? found)
    {
        string[] logs = log is null ? [] : [scratch.Write("pier.log", log)];
        CodeMatch.Of(Pier, code, symptom, logs).Code?.Code.ShouldBe(found);
        (CodeMatch.Of(Pier, code, symptom, logs).Code is null).ShouldBe(found is null);
    }

    [Fact]
    public void A_code_that_the_profile_does_not_have_is_refused_with_those_that_it_has_and_only_the_last_mebibyte_of_a_log_counts()
    {
        Should.Throw<MuktaException>(() => CodeMatch.Of(Pier, "PI-9", null, [])).Next.ShouldContain("PI-1, PI-2");
        var log = scratch.Write("pier.log", "fatal: fire\n" + new string('x', 1 << 20));
        CodeMatch.Of(Pier, null, "it creaks", [log, scratch.At("none.log")]).Code.ShouldBeNull();
    }

    [Fact]
    public void A_ladder_has_the_rungs_of_its_code_and_what_has_to_come_before_them_or_all_if_no_code_fits()
    {
        var ladder = new CaseLadder(new ChanceModel([], DateTimeOffset.UnixEpoch), _ => SeenState.Nothing, MeasuredTimes.Nothing);
        ladder.For(Pier, Pier.Codes[0]).Select(r => r.Id).ShouldBe(["look", "pump"]);
        ladder.For(Pier, Pier.Codes[1]).Select(r => r.Id).ShouldBe(["hose", "look", "pump"]);
        ladder.For(Pier, null).Select(r => r.Id).Order().ShouldBe(["hose", "look", "pump"]);
    }

    [Fact]
    public void A_case_is_kept_with_its_numbers_and_what_came_of_its_rungs_is_learnt_from()
    {
        var machine = new Machine("/", UserFolders.Of(name => name == "HOME" ? scratch.Root : null));
        CaseBook Book(string boot = "a") => CaseBook.Open(machine, TimeProvider.System, boot);
        var ladder = new CaseLadder(new ChanceModel([], DateTimeOffset.UtcNow), _ => new SeenState(null, FilesState.Intact), MeasuredTimes.Nothing);
        using (var book = Book())
        {
            book.All().ShouldBeEmpty();
            Should.Throw<MuktaException>(() => book.Of(null)).What.ShouldBe("No case is open.");
            var opened = book.Add(new CaseRecord("pier", "/games/pier", "PI-2", "It burns", ladder.For(Pier, Pier.Codes[1]))
            {
                Symptom = "smoke",
                Reference = "T-7",
            });
            (opened.Number, opened.Symptom, opened.Reference, opened.Next!.Id, opened.Events.Single().What).ShouldBe((1, "smoke", "T-7", "hose", "opened"));
            book.Add(new CaseRecord("pier", null, "", "it creaks", [])).Number.ShouldBe(2);
        }

        using (var book = Book("b"))
        {
            book.Of(null).Number.ShouldBe(2, "the newest open one");
            book.Close(book.Of(2));
            var one = book.Of(null);
            one.Number.ShouldBe(1);
            one.Events[^1].Boot.ShouldBe("a");
            one.Rungs[0].Chance.ShouldBe(new RungChance(0.3, 0, 0, 0.3));
            book.Note(one, "smells of tar");
            book.Result(one, Pier.Ladder[2], TriedResult.NotFixed);
            one = book.Of(1);
            (one.Rungs[0].Result, one.Next!.Id, one.Closed).ShouldBe((TriedResult.NotFixed, "look", null));
            book.Result(one, Pier.Ladder[0], TriedResult.Worse);
            book.Result(one, Pier.Ladder[1], TriedResult.Fixed);
        }

        using (var book = Book())
        {
            var one = book.Of(1);
            one.Closed.ShouldNotBeNull();
            one.Events.Select(e => e.What).ShouldBe(["opened", "note: smells of tar", "hose: not-fixed", "look: worse", "pump: fixed"]);
            book.Outcomes().Select(o => (o.Product, o.Code, o.Rung, o.Act, o.Result)).ShouldBe(
            [
                ("pier", "PI-2", "hose", RungAct.Operator, TriedResult.NotFixed), ("pier", "PI-2", "look", RungAct.Operator, TriedResult.Worse),
                ("pier", "PI-2", "pump", RungAct.Operator, TriedResult.Fixed),
            ]);
            book.Outcomes().ShouldAllBe(o => o.Minutes >= 0);
            new ChanceModel(book.Outcomes(), DateTimeOffset.UtcNow).Of("pier", "PI-2", Pier.Ladder[1], 0.05).Learnt.ShouldBe(0.24, 0.001);
        }
    }

    [Fact]
    public void What_is_begun_and_done_is_kept_once_and_a_result_that_is_said_again_counts_once()
    {
        var machine = new Machine("/", UserFolders.Of(name => name == "HOME" ? scratch.Root : null));
        var ladder = new CaseLadder(new ChanceModel([], DateTimeOffset.UtcNow), _ => SeenState.Nothing, MeasuredTimes.Nothing);
        using var book = CaseBook.Open(machine, TimeProvider.System, "a");
        var one = book.Add(new CaseRecord("pier", null, "PI-2", "It burns", ladder.For(Pier, Pier.Codes[1]))
        {
            Snapshot = new CaseSnapshot(DateTimeOffset.UnixEpoch, new MachineFacts("Debian", "6.1", "x64", 1), []),
        });
        one.Snapshot!.Machine.System.ShouldBe("Debian");
        book.Begin(one, "hose");
        var begun = book.Of(1).Rungs[0].Begun.ShouldNotBeNull();
        book.Begin(one, "hose");
        book.Of(1).Rungs[0].ShouldSatisfyAllConditions(r => r.Begun.ShouldBe(begun), r => r.Boot.ShouldBe("a"), r => r.Done.ShouldBeNull());
        book.GiveUp(one, "hose");
        book.Of(1).Rungs[0].Begun.ShouldBeNull();
        book.Begin(one, "hose");
        book.Done(one, "hose", "op-1");
        book.GiveUp(one, "hose");
        book.Done(one, "hose", "op-2");
        book.Of(1).Rungs[0].ShouldSatisfyAllConditions(r => r.Operation.ShouldBe("op-1"), r => r.Done.ShouldNotBeNull());
        book.Took("pier")["hose"].Count().ShouldBe(1);
        book.Took("other").ShouldBeEmpty();
        book.Skip(one, "look", "there was nothing to do");
        book.Of(1).Next!.Id.ShouldBe("hose");
        var rung = Pier.Ladder.Single(r => r.Id == "hose");
        book.Result(book.Of(1), rung, TriedResult.NotFixed);
        book.Result(book.Of(1), rung, TriedResult.Worse);
        book.Outcomes().ShouldHaveSingleItem().Result.ShouldBe(TriedResult.Worse);
        book.Of(1).Next!.Id.ShouldBe("pump", "what is not needed and what was tried is over");
    }

    public void Dispose() => scratch.Dispose();
}
