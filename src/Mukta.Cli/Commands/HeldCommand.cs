using System.CommandLine;
using System.Globalization;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Operations;
using Mukta.State;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta held</c></summary>
internal static class HeldCommand
{
    private const string ListExamples = """
          mukta held list
          mukta held list --in games/gannet-post --json
        """;

    private const string PurgeExamples = """
          mukta held purge --older-than 14d --dry-run
          mukta held purge 20261124T023338Z-94de07
        """;

    public static Command Build() => new("held", "List what operations keep, and delete it for good.") { BuildList(), BuildPurge() };

    private static ExampleCommand BuildList()
    {
        var choice = new OperationChoice();
        var command = new ExampleCommand("list", "Show operations with their date, product, and what they hold.", ListExamples);
        choice.AddTo(command);
        command.SetAction(parsed =>
        {
            using var session = new Session(parsed);
            var all = choice.All(parsed);
            if (session.IsJson)
                Session.Write(new HeldDocument("mukta.held/1", false, 0, [.. all.Select(HeldPart.Of)]), Documents.Readable.HeldDocument);
            else if (all.Count == 0)
                session.Output.WriteLine("Nothing is held.");
            else
            {
                new HeldText(session.Output).WriteAll(
                    all, all.Any(o => o.State != OperationState.Undone && o.Record.Header.Undoes is null)
                    ? $"mukta undo{choice.Arguments(parsed)} --dry-run" : null);
            }

            return (int)ExitCode.Done;
        });
        return command;
    }

    private static ExampleCommand BuildPurge()
    {
        var ids = new Argument<string[]>("ID")
        {
            Description = "The operations, as held list shows them.",
            Arity = ArgumentArity.ZeroOrMore,
        };
        var olderThan = new Option<string?>("--older-than") { Description = "All that began longer ago: 14d, 36h.", HelpName = "AGE" };
        var evenUnfinished = new Option<bool>("--even-unfinished")
        {
            Description = "Also delete operations named by ID that are unfinished, being undone or waiting for a restart.",
        };
        var choice = new OperationChoice();
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand("purge", "Permanently delete what operations keep. They cannot be undone any more.", PurgeExamples)
        {
            ids,
            olderThan,
            evenUnfinished,
            dryRun,
            yes,
        };
        choice.AddTo(command);
        command.Validators.Add(result =>
        {
            if (result.GetValue(ids) is null or [] == (result.GetValue(olderThan) is null))
                result.AddError("Name either operations or an age with --older-than.");
            else if (result.GetValue(olderThan) is { } age && Age(age) is null)
                result.AddError($"\"{age}\" is no age such as 14d or 36h.");
        });
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var chosen = Chosen(choice.All(
                parsed), parsed.GetValue(ids) ?? [],
                parsed.GetValue(olderThan) is { } age ? TimeProvider.System.GetUtcNow() - Age(age) : null);
            var document = new HeldDocument("mukta.held.purge/1", parsed.GetValue(dryRun), 0, [.. chosen.Select(HeldPart.Of)]);
            if (chosen.Count == 0)
                return End(session, document, "Nothing to delete.");
            if (!session.IsJson && !session.IsQuiet)
                new HeldText(session.Output).Write(chosen);
            if (parsed.GetValue(dryRun))
                return End(session, document, "Dry run: nothing was deleted. Run it again without --dry-run to delete it.");
            if (!parsed.GetValue(yes) && !await Question.IsAnsweredYesAsync(
                session, $"Delete {Units.Bytes(chosen.Sum(c => c.Size.Bytes))} for good?", cancel).ConfigureAwait(false))
                return End(session, document with { ExitCode = 1 }, "Nothing was changed.");
            foreach (var operation in chosen)
            {
                choice.Catalog(parsed, cancel)
                    .Purge(operation, parsed.GetValue(evenUnfinished) && parsed.GetValue(ids) is { Length: > 0 }, cancel);
                Forget(choice.Machine(parsed), operation.Id);
            }

            return End(session, document, $"{Units.Bytes(chosen.Sum(c => c.Size.Bytes))} deleted permanently.");
        });
        return command;
    }

    private static TimeSpan? Age(string text) =>
        text.Length > 1 && int.TryParse(text.AsSpan(0, text.Length - 1), NumberStyles.None, CultureInfo.InvariantCulture, out var number)
        ? text[^1] switch { 'd' => TimeSpan.FromDays(number), 'h' => TimeSpan.FromHours(number), _ => null } : null;

    private static List<KeptOperation> Chosen(IReadOnlyList<KeptOperation> all, string[] ids, DateTimeOffset? before) =>
        ids.FirstOrDefault(i => all.All(o => o.Id != i)) is { } unknown
            ? throw new MuktaException(
            ExitCode.BadInput, "There is no such operation.", PathBytes.Shown(unknown),
            "Look with: mukta held list (an install that is not known can be named with --in)")
            : [.. all.Where(
            o => ids.Contains(o.Id) || (o.Record.Header.Started < before && o.State is OperationState.Done or OperationState.Undone))];

    private static void Forget(Host.Machine machine, string id)
    {
        try
        {
            using var database = StateDatabase.Open(machine.Folders.State);
            new OperationIndex(database).Forget(id);
        }
        catch (MuktaException)
        {
            // It only remembers a place that is looked at in vain.
        }
    }

    private static int End(Session session, HeldDocument document, string line)
    {
        if (session.IsJson)
            Session.Write(document, Documents.Readable.HeldDocument);
        else
            session.Output.WriteLine(line);
        return document.ExitCode;
    }
}
