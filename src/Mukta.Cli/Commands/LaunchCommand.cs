using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host.Launching;
using Mukta.Host.Processes;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta launch</c></summary>
internal static class LaunchCommand
{
    private const string Examples = """
          mukta launch gannet-post
          mukta launch gannet-post --restore --dry-run
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice());
        var restore = new Option<bool>("--restore") { Description = "Put in what the profile asks for; what the user added stays. Entries of removed releases are held." };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand("launch", "Show a product's launch entries; put them right.", Examples) { product, restore, dryRun, yes };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var install = await choice.InstallAsync(parsed, found, null, session, cancel).ConfigureAwait(false);
            var run = new Run(session, found, Path.GetFullPath(install)) { IsDryRun = parsed.GetValue(dryRun), IsAgreed = parsed.GetValue(yes) };
            return (int)await run.ToEndAsync(parsed.GetValue(restore), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private sealed class Run(Session session, Product product, string install)
    {
        private string Title => product.Profile.Title;

        public bool IsDryRun { get; init; }

        public bool IsAgreed { get; init; }

        public async Task<ExitCode> ToEndAsync(bool restores, CancellationToken cancel)
        {
            var entries = new LaunchLook(product.Machine).At(product.Profile, install);
            if (!session.IsJson && !session.IsQuiet)
                Show(entries);
            var changes = LaunchRestorer.Plan(entries, Title);
            if (changes.Count == 0 && restores && !IsDryRun)
                new LaunchRestorer(product.Machine, TimeProvider.System).EndInterrupted(product.Profile.Product);
            if (changes.Count == 0)
                return End(ExitCode.Done, entries, null, entries.Count == 0 ? $"The profile of {Title} names no launch entry." : "All as it should be.");
            if (!restores)
                return End(ExitCode.Problems, entries, null, $"\nNext: mukta launch {product.Arguments} --restore");
            if (!session.IsJson && !session.IsQuiet)
                Plan(changes);
            if (IsDryRun)
                return End(ExitCode.Problems, entries, null, "Nothing was changed: this was a dry run.");
            RefuseIfRunning();
            if (!IsAgreed && !await Question.IsAnsweredYesAsync(session, "Go on?", cancel).ConfigureAwait(false))
                return End(ExitCode.Problems, entries, null, "Nothing was changed.");

            var (operation, changed) = new LaunchRestorer(product.Machine, TimeProvider.System, product.Remember).Do(product.Profile.Product, changes);
            foreach (var failed in changed.Where(c => c.Failure is not null && !session.IsJson))
                session.Output.MarkupLineInterpolated($"  [red]left[/]  {PathBytes.Shown(failed.Change.Entry.Path)}: {failed.Failure!.What}");
            var after = new LaunchLook(product.Machine).At(product.Profile, install);
            var isGood = changed.All(c => c.Failure is null) && !LaunchFindings.Of(after).Any();
            return End(isGood ? ExitCode.Done : ExitCode.Blocked, after, operation, isGood ? $"Put right; the old files are held. To put them back: mukta undo {operation}{product.OptionsForUndo}" : "Not all of it could be put right.");
        }

        /// <summary>Nothing is touched while the product runs.</summary>
        private void RefuseIfRunning()
        {
            using var folder = Folder.Open(install);
            if (new ProcessTable().Using([folder.RealPath], product.Profile.Processes).Running is { Count: > 0 } running)
                throw new ProductRuns(running, $"End it with: mukta stop {product.Arguments}");
        }

        private void Show(IReadOnlyList<LaunchEntry> entries)
        {
            foreach (var entry in entries)
            {
                var findings = LaunchFindings.Of([entry]).ToList();
                session.Output.MarkupLineInterpolated($"[bold]{PathBytes.Shown(entry.Path)}[/]  {(findings.Count == 0 ? "as it should be" : "not as it should be")}");
                if (entry.Entry?.Get("Exec") is { } exec)
                    session.Output.WriteLine($"  starts  {PathBytes.Shown(exec)}");
                foreach (var finding in findings)
                    session.Output.WriteLine($"  wrong   {finding.Seen}");
            }
        }

        private void Plan(IReadOnlyList<LaunchChange> changes)
        {
            session.Output.MarkupLine("\n[bold]Plan[/]");
            foreach (var change in changes)
            {
                session.Output.WriteLine($"  {(change.Text is null ? "hold away" : change.Entry.Entry is null ? "make" : "change")}  {PathBytes.Shown(change.Entry.Path)}");
                var old = change.Entry.Entry?.Text.Split('\n') ?? [];
                foreach (var line in (change.Text ?? "").Split('\n').Where(l => l.Length > 0).Except(old))
                    session.Output.WriteLine($"    with  {PathBytes.Shown(line)}");
            }
        }

        private ExitCode End(ExitCode code, IReadOnlyList<LaunchEntry> entries, string? operation, string line)
        {
            if (session.IsJson)
                Session.Write(new LaunchDocument("mukta.launch/1", product.Profile.Product, PathBytes.Shown(install), IsDryRun, (int)code, [.. entries.Select(e => LaunchPart.Of(e, Title))]) { Operation = operation }, Documents.Readable.LaunchDocument);
            else
                session.Output.WriteLine(line);
            return code;
        }
    }
}
