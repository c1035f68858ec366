using Mukta.Remedies;
using Mukta.Tests;

namespace Mukta.Core.Tests.Remedies;

/// <summary>
/// The world ends before every single change that resetting and removing a product make. Then the same command is given again.
/// </summary>
public sealed class RemedyCrashTests
{
    [Fact]
    public void After_a_crash_at_any_point_of_a_reset_the_same_command_ends_and_undo_brings_everything_back() =>
        CrashPoints.ForEach(() => new Scene(h => new ResetRemedy(h.RemedyTarget(), h.Tools), IsReset), changes: 39, undoChanges: 39);

    [Fact]
    public void After_a_crash_at_any_point_of_a_remove_the_same_command_ends_and_undo_brings_everything_back() =>
        CrashPoints.ForEach(() => new Scene(h => new RemoveRemedy(h.RemedyTarget(), h.Tools), IsRemoved), changes: 87, undoChanges: 78);

    [Fact]
    public void What_a_reset_had_set_aside_comes_back_though_the_product_made_it_anew_between_a_kill_and_the_same_command() =>
        CrashPoints.MadeAnew(
            () => new Scene(h => new ResetRemedy(h.RemedyTarget(), h.Tools), IsReset), changes: 39, undoChanges: 39, ".config/pier/settings");

    [Fact]
    public void What_a_remove_had_set_aside_comes_back_though_programs_made_it_anew_between_a_kill_and_the_same_command() =>
        CrashPoints.MadeAnew(
            () => new Scene(h => new RemoveRemedy(h.RemedyTarget(), h.Tools), IsRemoved), changes: 87, undoChanges: 78,
            ".config/pier/settings", "games/pier/bin/pier", ".local/share/applications/pier.desktop");

    [Fact]
    public async Task A_vendors_remove_that_takes_the_users_data_with_it_loses_none_of_it()
    {
        using var harbour = Harbour.Make(hasSetup: true);
        harbour.Scratch.Write("games/mood", "rm -rf screenshots inside ../../.local/share/pier");
        await ApplyAsync(new RemoveRemedy(harbour.RemedyTarget(), harbour.Tools));
        File.ReadAllText(harbour.Scratch.At(".local/share/pier/logbooks/spring.log")).ShouldBe("sailed");
        File.ReadAllText(harbour.Scratch.At("games/pier/screenshots/first.raw")).ShouldBe("a picture");
        File.ReadAllText(harbour.Scratch.At("games/pier/inside/other/bin/other")).ShouldBe("another game");
        Directory.Exists(harbour.Scratch.At("games/pier/maps")).ShouldBeFalse();
    }

    [Fact]
    public async Task A_vendors_remove_that_writes_into_files_before_it_takes_them_changes_only_what_can_be_fetched_again()
    {
        using var harbour = Harbour.Make(hasSetup: true);
        harbour.Scratch.Write("games/mood", "for f in bin/pier maps/a.pak mods/mine.txt; do printf zzz > $f; done; rm -r mods");
        var before = harbour.Look();
        await ApplyAsync(new RemoveRemedy(harbour.RemedyTarget(), harbour.Tools));
        harbour.UndoAll();
        File.ReadAllText(harbour.Scratch.At("games/pier/mods/mine.txt")).ShouldBe("a mod of mine");
        harbour.Look().Except(before).ShouldAllBe(
            l => l.StartsWith("games/pier/bin/pier", StringComparison.Ordinal),
            "it is published, and has a second name where no bytes are shared");
    }

    [Fact]
    public async Task User_data_goes_only_if_it_is_asked_for_and_undo_brings_it_back()
    {
        using var harbour = Harbour.Make();
        var before = harbour.Look();
        await ApplyAsync(new RemoveRemedy(harbour.RemedyTarget(), harbour.Tools) { WithUserData = true });
        Directory.Exists(harbour.Scratch.At(".local/share/pier/logbooks")).ShouldBeFalse();
        Directory.Exists(harbour.Scratch.At("games/pier/screenshots")).ShouldBeFalse();
        File.Exists(harbour.Scratch.At("games/pier/inside/other/bin/other")).ShouldBeTrue("another product's install stays");
        harbour.UndoAll();
        CrashPoints.Same(before, harbour.Look(), "undone");
    }

    [Fact]
    public async Task A_reset_names_what_it_leaves_and_never_takes_what_belongs_to_user_data()
    {
        using var harbour = Harbour.Make(settings: "[\"${config}/pier\", \"${data}/pier\", \"${cache}/absent\"]");
        var plan = await new ResetRemedy(harbour.RemedyTarget(), harbour.Tools).PlanAsync(TestContext.Current.CancellationToken);
        plan.Steps.Select(s => (s.Act, Path.GetFileName(s.Subject))).ShouldBe([(RemedyAct.SetAside, "pier"), (RemedyAct.Skip, "pier")]);
        plan.Steps[1].Why.ShouldContain("the user's own");
    }

    private static void IsReset(Harbour harbour, string after)
    {
        File.Exists(harbour.Scratch.At(".config/pier/settings")).ShouldBeFalse(after);
        File.ReadAllText(harbour.Scratch.At(".local/share/pier/logbooks/spring.log")).ShouldBe("sailed");
        File.Exists(harbour.Scratch.At("games/pier/bin/pier")).ShouldBeTrue(after);
    }

    private static void IsRemoved(Harbour harbour, string after)
    {
        harbour.Scratch.Snapshot("games").Keys.Where(k => !k.Contains(".mukta", StringComparison.Ordinal)).ShouldBe(
            ["pier", "pier/inside", "pier/inside/other", "pier/inside/other/bin", "pier/inside/other/bin/other", "pier/screenshots",
            "pier/screenshots/best", "pier/screenshots/first.raw"], after);
        File.Exists(harbour.Scratch.At(".config/pier/settings")).ShouldBeFalse(after);
        File.Exists(harbour.Scratch.At(".local/share/applications/pier.desktop")).ShouldBeFalse(after);
        File.ReadAllText(harbour.Scratch.At(".local/share/pier/logbooks/spring.log")).ShouldBe("sailed");
        harbour.Services.Active.ShouldBe("inactive");
    }

    private static async Task ApplyAsync(Remedy<RemedyPlan, RemedyOutcome> remedy) =>
        (await remedy.ApplyAsync(await remedy.PlanAsync(TestContext.Current.CancellationToken), TestContext.Current.CancellationToken))
        .ShouldNotBeNull();

    private sealed class Scene(Func<Harbour, Remedy<RemedyPlan, RemedyOutcome>> remedy, Action<Harbour, string> check) : ICrashScene
    {
        private readonly Harbour harbour = Harbour.Make(settings: "[\"${config}/pier\"]");

        public IReadOnlyList<string> Roots => [harbour.Scratch.Root];

        public List<string> Look() => harbour.Look();

        public void Run()
        {
            harbour.ForgetOurBirth();
            var one = remedy(harbour);
            one.ApplyAsync(one.PlanAsync(default).GetAwaiter().GetResult(), default).GetAwaiter().GetResult();
        }

        public void Check(string after) => check(harbour, after);

        public void Undo()
        {
            harbour.UndoAll();
            harbour.Services.Active.ShouldBe("active");
        }

        public void UndoTheUndo() => harbour.UndoTheUndos();

        public void Dispose() => harbour.Dispose();
    }
}
