using System.CommandLine;
using Mukta.Cases;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Host.Trial;
using Mukta.Products;
using Mukta.Setup;
using Mukta.State;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta case next</c></summary>
internal static class CaseNextCommand
{
    public static Command Build()
    {
        var (yes, dryRun) = (CommonOptions.Yes(), CommonOptions.DryRun());
        var trial = CommonOptions.Seconds("--try", "Afterwards start the product, watch it so long, and end it", least: 1, usual: 20);
        var to = new Option<string?>("--to") { Description = "Where a rung that moves the install puts it.", HelpName = "DIR" };
        return CaseWords.Word(
            "next", "Do the next rung, and see whether it helped.", "  mukta case next\n  mukta case next --case 3 --try 20", [
                trial, to, dryRun, yes,
            ], (parsed, worked, cancel) => new CaseStep(worked, cancel)
            {
                IsAgreed = parsed.GetValue(yes),
                IsDryRun = parsed.GetValue(dryRun),
                Destination = parsed.GetValue(to),
                TrialTime = parsed.GetResult(trial) is { Implicit: false } ? TimeSpan.FromSeconds(parsed.GetValue(trial)) : null,
            }.RunAsync());
    }

    /// <summary>
    /// Works the next rung of a case: does it, looks whether what it was for is gone, and whether the product works. Each thing is written
    /// down before the next begins, so that it goes on from there after an interruption.
    /// </summary>
    private sealed class CaseStep(WorkedCase worked, CancellationToken cancel)
    {
        private const string Later = "later";

        private readonly List<CaseStepPart> steps = [];

        public bool IsAgreed { get; init; }

        public bool IsDryRun { get; init; }

        public string? Destination { get; init; }

        public TimeSpan? TrialTime { get; init; }

        private Session Session => worked.Session;

        private Product Product => worked.Product;

        private bool IsTelling => !Session.IsJson && !Session.IsQuiet;

        public async Task<int> RunAsync()
        {
            worked.RefuseClosed();
            if (worked.WasRestarted && IsTelling)
                Session.Output.WriteLine("The machine was restarted since the last step.");
            while (true)
            {
                var now = worked.Again().One;
                if (now.Next is not { } rung)
                    return End(ExitCode.Problems, $"All rungs of case {now.Number} were tried. Hand it to the vendor's support.", null);
                if (worked.Known(rung.Id) is not { } known)
                    worked.Book.Skip(now, rung.Id, "the profile no longer has it");
                else if (await DoAsync(now, rung, known).ConfigureAwait(false) is { } code)
                    return code;
                else if (worked.Again().One.Next?.Id == rung.Id)
                    return await JudgeAsync(rung, known).ConfigureAwait(false);
            }
        }

        /// <summary>Does a rung, unless it is done.</summary>
        /// <returns>The exit code, if this is all for now; null to go on.</returns>
        private async Task<int?> DoAsync(CaseRecord now, CaseRung rung, Rung known)
        {
            if (rung.Done is not null)
            {
                if (IsTelling)
                    Session.Output.WriteLine($"{rung.Id} was done at {rung.Done.Value.ToLocalTime():HH:mm}.");
                return null;
            }

            if (IsTelling)
                new CaseText(Session.Output, now, Product).Next(rung);
            var commands = known.Act == RungAct.Move && Destination is null ? [] : RungWords.Commands(known, Product, Destination ?? "");
            return commands.Count == 0 ? await ByHandAsync(now, rung, known).ConfigureAwait(false)
                : await ApplyAsync(now, rung, known, commands).ConfigureAwait(false);
        }

        private async Task<int?> ApplyAsync(CaseRecord now, CaseRung rung, Rung known, IReadOnlyList<IReadOnlyList<string>> commands)
        {
            var before = await SeenAsync(known).ConfigureAwait(false);
            if (known.Act == RungAct.Stop && before.Count == 0)
                return Skip(now, rung);
            if (!IsDryRun)
                worked.Book.Begin(now, rung.Id);
            int code;
            try
            {
                code = await RunAsync(rung, commands).ConfigureAwait(false);
            }
            catch (MuktaException e) when (e.Code == ExitCode.BadInput && (IsAgreed || IsDryRun || Question.CanAsk(Session)))
            {
                return Skip(now, rung, $"cannot be done here: {e.What.TrimEnd('.')}");
            }

            if (IsDryRun)
                return End((ExitCode)code, Session.IsQuiet ? Session.DryRun : null, null);
            var operation = OperationOf(rung, known);
            if (code != 0 && operation is null)
            {
                worked.Book.GiveUp(now, rung.Id);
                return End((ExitCode)code, Session.IsQuiet ? "Nothing was changed." : null, null);
            }

            if (operation is null && known.Act != RungAct.Stop)
                return Skip(now, rung);
            worked.Book.Done(now, rung.Id, operation);
            Compare(before, await SeenAsync(known).ConfigureAwait(false));
            return null;
        }

        private async Task<int> RunAsync(CaseRung rung, IReadOnlyList<IReadOnlyList<string>> commands)
        {
            var code = 0;
            foreach (var words in commands.TakeWhile(_ => code == 0))
            {
                string[] all =
                    [.. words, .. IsDryRun ? ["--dry-run"] : Array.Empty<string>(), .. IsAgreed ? ["--yes"] : Array.Empty<string>()];
                var ran = await new InnerCommand(Session).RunAsync(all, cancel).ConfigureAwait(false);
                code = ran.Code;
                steps.Add(new CaseStepPart(rung.Id) { Command = Shell.Typed(words), Document = ran.Document });
            }

            return code;
        }

        private int? Skip(CaseRecord now, CaseRung rung, string why = "there was nothing to do")
        {
            if (IsDryRun)
                return End(ExitCode.Done, $"{rung.Id}: {why}.", null);
            worked.Book.Skip(now, rung.Id, why);
            if (IsTelling)
                Session.Output.WriteLine($"{rung.Id}: {PathBytes.Shown(why)}. On to the next rung.\n");
            return null;
        }

        /// <summary>What only a person can do is asked for once; the next time it is looked at.</summary>
        private async Task<int?> ByHandAsync(CaseRecord now, CaseRung rung, Rung known)
        {
            if (IsDryRun)
                return End(ExitCode.Done, Session.DryRun, null);
            if (rung.Begun is null)
            {
                worked.Book.Begin(now, rung.Id);
                steps.Add(new CaseStepPart(rung.Id) { Command = RungWords.Command(known, Product), Instructions = known.Instructions });
                if (known.IsRestart || !Question.CanAsk(Session)
                    || !await Question.IsAnsweredYesAsync(Session, "Is it done?", cancel).ConfigureAwait(false))
                {
                    return End(
                        ExitCode.Done, Session.IsQuiet ? known.Instructions ?? RungWords.Command(known, Product) : "Once it is done:",
                        "mukta case next");
                }
            }
            else if (known.IsRestart && rung.Boot == SetupRunner.Boot)
            {
                return End(ExitCode.Problems, "The machine was not restarted yet.", "mukta case next");
            }

            var left = await SeenAsync(known).ConfigureAwait(false);
            if (left.Count > 0)
            {
                Compare([], left);
                return End(
                    ExitCode.Problems, $"{rung.Id} is not done yet. If it cannot be done, record that: mukta case result not-fixed",
                    "mukta case next");
            }

            worked.Book.Done(now, rung.Id, OperationOf(rung, known));
            return null;
        }

        /// <summary>The latest operation on a rung's product since the rung was begun.</summary>
        private string? OperationOf(CaseRung rung, Rung known) =>
            worked.Again().One.Rungs.First(r => r.Id == rung.Id).Begun is not { } begun ? null
            : OperationIndex.LatestOf(Product.Machine, known.Product ?? Product.Profile.Product, begun);

        /// <summary>Whether the product works: its probe says so, or a trial, or whoever sits there.</summary>
        private async Task<int> JudgeAsync(CaseRung rung, Rung known)
        {
            var title = Product.Profile.Title;
            if (await WorksAsync().ConfigureAwait(false) is { } works)
                return Judged(rung, known, works ? TriedResult.Fixed : TriedResult.NotFixed);
            if (Question.CanAsk(Session))
            {
                TriedResult[] results = [TriedResult.Fixed, TriedResult.NotFixed, TriedResult.Worse];
                var answer = await new TextPrompt<string>($"Try {Markup.Escape(title)}. What came of it?")
                    .AddChoices([.. results.Select(CaseBook.NameOf), Later]).DefaultValue(Later).ShowAsync(Session.Error, cancel)
                    .ConfigureAwait(false);
                if (answer != Later)
                    return Judged(rung, known, results.First(r => CaseBook.NameOf(r) == answer));
            }

            return End(ExitCode.Done, $"Try {title}, and record it: fixed, not-fixed or worse.", "mukta case result fixed");
        }

        private int Judged(CaseRung rung, Rung known, TriedResult came)
        {
            var line = worked.Again().Record(known, came);
            steps.Add(new CaseStepPart(rung.Id) { Result = CaseBook.NameOf(came) });
            var code = End(came == TriedResult.Fixed ? ExitCode.Done : ExitCode.Problems, line, null);
            worked.NextAfter(known, came);
            return code;
        }

        private async Task<bool?> WorksAsync()
        {
            if (!Product.Machine.IsLive || CaseLook.InstallOf(Product, worked.One) is not { } install)
                return null;
            var trial = new ProductTrial(Product.Machine, TryCommand.Variables(), TimeProvider.System);
            if (TrialTime is { } watched)
            {
                var start = trial.PlanOf(Product.Profile, install);
                var report = await TryCommand.WatchingAsync(Session, watched, () => trial.RunAsync(start, watched, ends: true, cancel))
                    .ConfigureAwait(false);
                if (IsTelling)
                    new TrialText(Session.Output, Product.Profile.Title).Write(report, isQuiet: false);
                return report.Result is TrialResult.Running or TrialResult.HandedOver;
            }

            if (trial.ProbeOf(Product.Profile, install) is not { } probe)
                return null;
            var limit = Product.Profile.Probe!.TimeLimit;
            var came = await TryCommand.WatchingAsync(Session, limit, () => trial.RunAsync(probe, limit, ends: true, cancel))
                .ConfigureAwait(false);
            if (IsTelling)
                Session.Output.WriteLine(CaseText.OfProbe(Product.Profile.Probe, came));
            return came.Code == 0;
        }

        /// <summary>What a check finds that a rung is to make go away.</summary>
        private async Task<IReadOnlyList<CheckFinding>> SeenAsync(Rung known)
        {
            var kinds = Evidence.FindingsOf(known);
            return kinds.Count == 0 || IsDryRun ? [] : await CaseLook.FindingsAsync(Product, worked.One, known, kinds, cancel)
                .ConfigureAwait(false);
        }

        private void Compare(IReadOnlyList<CheckFinding> before, IReadOnlyList<CheckFinding> after)
        {
            var gone = before.Where(b => after.All(a => (a.Kind, a.Subject) != (b.Kind, b.Subject))).ToList();
            if (steps.Count > 0)
                steps[^1] = steps[^1] with { Gone = [.. gone.Select(f => f.Seen)], Left = [.. after.Select(f => f.Seen)] };
            if (!IsTelling)
                return;
            foreach (var finding in gone)
                Session.Output.WriteLine($"  gone   {PathBytes.Shown(finding.Seen)}");
            foreach (var finding in after)
                Session.Output.WriteLine($"  still  {PathBytes.Shown(finding.Seen)}");
        }

        private int End(ExitCode code, string? line, string? next)
        {
            if (Session.IsJson)
                return worked.WriteJson(code, steps);
            if (line is not null)
                Session.Output.WriteLine(PathBytes.Shown(line));
            if (next is not null && !Session.IsQuiet)
                Session.Next(next + Product.OptionsForOthers);
            return (int)code;
        }
    }
}
