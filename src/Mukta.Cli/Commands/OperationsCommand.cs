using System.CommandLine;
using System.Globalization;
using Mukta.Cli.Help;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Operations;
using Mukta.State;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta operations</c></summary>
internal static class OperationsCommand
{
    private const string Examples = """
          mukta operations
          mukta operations gannet-post --json
        """;

    private const string PurgeExamples = """
          mukta operations purge --older-than 14d --dry-run
          mukta operations purge 20261124T023338Z-94de07
        """;

    public static Command Build()
    {
        var product = new Argument<string?>("PRODUCT") { Description = "Only this product's.", Arity = ArgumentArity.ZeroOrOne };
        var choice = new OperationChoice();
        var command = new ExampleCommand("operations", "Show operations and what they keep, or purge it.", Examples)
        {
            product,
            BuildPurge(),
        };
        choice.AddTo(command);
        command.SetAction(parsed =>
        {
            using var session = new Session(parsed);
            var all = choice.All(parsed).Where(o => parsed.GetValue(product) is not { } only || o.Record.Header.Product == only).ToList();
            if (session.IsJson)
            {
                Session.Write(
                    new OperationsDocument("mukta.operations/1", false, 0, [.. all.Select(OperationPart.Of)]),
                    Documents.Readable.OperationsDocument);
                return (int)ExitCode.Done;
            }

            var text = new OperationsText(session.Output);
            text.Sum(all);
            if (!session.IsQuiet && all.Count > 0)
            {
                text.Table(all);
                if (all.LastOrDefault(OperationChoice.IsOpen) is { } last)
                    session.Next($"mukta undo {last.Id}{choice.Arguments(parsed)} --dry-run");
            }

            return (int)ExitCode.Done;
        });
        return command;
    }

    private static ExampleCommand BuildPurge()
    {
        var ids = new Argument<string[]>("ID")
        {
            Description = "Operations, or the beginnings of their ids.",
            Arity = ArgumentArity.ZeroOrMore,
        }.WithOperations();
        var olderThan = new Option<string?>("--older-than")
        {
            Description = "Operations started longer ago than AGE, such as 14d or 36h.",
            HelpName = "AGE",
        };
        var evenUnfinished = new Option<bool>("--even-unfinished")
        {
            Description = "Also those named by ID that are unfinished or waiting for a restart.",
        };
        var choice = new OperationChoice();
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand("purge", "Delete what operations keep, permanently. They cannot be undone then.", PurgeExamples)
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
                result.AddError($"\"{age}\" is not an age such as 14d or 36h.");
        });
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var chosen = Chosen(
                choice, parsed, parsed.GetValue(ids) ?? [],
                parsed.GetValue(olderThan) is { } age ? TimeProvider.System.GetUtcNow() - Age(age) : null);
            var document = new OperationsDocument(
                "mukta.operations.purge/1", parsed.GetValue(dryRun), 0, [.. chosen.Select(OperationPart.Of)]);
            if (chosen.Count == 0)
                return End(session, document, "Nothing to delete.");
            if (!session.IsJson && !session.IsQuiet)
                new OperationsText(session.Output).Write(chosen);
            if (parsed.GetValue(dryRun))
                return End(session, document, Session.DryRun);
            if (!parsed.GetValue(yes) && !await Question.IsAnsweredYesAsync(
                session, $"Delete {Units.Bytes(chosen.Sum(c => c.Size.Bytes))} permanently?", cancel).ConfigureAwait(false))
                return End(session, document with { ExitCode = 1 }, "Nothing was changed.");
            foreach (var operation in chosen)
            {
                choice.Catalog(parsed, cancel)
                    .Purge(operation, parsed.GetValue(evenUnfinished) && parsed.GetValue(ids) is { Length: > 0 }, cancel);
                OperationIndex.TryForget(choice.Machine(parsed), operation.Id);
            }

            return End(session, document, $"{Units.Bytes(chosen.Sum(c => c.Size.Bytes))} deleted permanently.");
        });
        return command;
    }

    private static TimeSpan? Age(string text) =>
        text.Length > 1 && int.TryParse(text.AsSpan(0, text.Length - 1), NumberStyles.None, CultureInfo.InvariantCulture, out var number)
        ? text[^1] switch { 'd' => TimeSpan.FromDays(number), 'h' => TimeSpan.FromHours(number), _ => null } : null;

    private static List<KeptOperation> Chosen(OperationChoice choice, ParseResult parsed, string[] words, DateTimeOffset? before)
    {
        var all = choice.All(parsed);
        var ids = words.Select(w => choice.Id(parsed, all, w)).ToHashSet();
        return [.. all.Where(
            o => ids.Contains(o.Id) || (o.Record.Header.Started < before && o.State is OperationState.Done or OperationState.Undone))];
    }

    private static int End(Session session, OperationsDocument document, string line)
    {
        if (session.IsJson)
            Session.Write(document, Documents.Readable.OperationsDocument);
        else
            session.Output.WriteLine(line);
        return document.ExitCode;
    }
}
