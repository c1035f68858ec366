using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.State;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta installs forget</c></summary>
internal static class InstallsForgetCommand
{
    private const string Examples = """
          mukta installs forget gannet-post
          mukta installs forget gannet-post /mnt/old-disk/games/gannet-post
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice { IsForOneInstall = false });
        var folder = new Argument<string?>("DIR")
        {
            Description = "The recorded folder. Default: all that are no longer an install.",
            Arity = ArgumentArity.ZeroOrOne,
        };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand("forget", "Remove the record of an install. The install itself is not touched.", Examples)
        {
            product,
            folder,
            dryRun,
            yes,
        };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var chosen = Chosen(found, parsed.GetValue(folder));
            var document = new ForgetDocument(
                "mukta.installs.forget/1", parsed.GetValue(dryRun), 0,
                [.. chosen.Select(c => new ForgottenPart(c.Product, PathBytes.Shown(c.Path)))]);
            if (chosen.Count == 0)
                return End(session, document, "Nothing to forget.");
            if (!session.IsJson && !session.IsQuiet)
                chosen.ForEach(c => session.Output.WriteLine($"  {PathBytes.Shown(c.Path)}"));
            if (parsed.GetValue(dryRun))
                return End(session, document, Session.DryRun);
            if (!parsed.GetValue(yes) && !await Question.IsAnsweredYesAsync(
                session, $"Forget {Units.Count(chosen.Count, "install")} of {found.Profile.Title}?", cancel).ConfigureAwait(false))
                return End(session, document with { ExitCode = (int)ExitCode.Problems }, "Nothing was changed.");
            using var database = StateDatabase.Open(found.Machine.Folders.State);
            var records = new InstallRecords(database);
            chosen.ForEach(c => records.Forget(c.Product, c.Path));
            return End(session, document, $"{Units.Count(chosen.Count, "install")} forgotten.");
        });
        return command;
    }

    private static List<InstallRecord> Chosen(Product product, string? folder)
    {
        using var database = StateDatabase.OpenToRead(product.Machine.Folders.State);
        var recorded = database is null ? []
            : new InstallRecords(database).All().Where(r => r.Product == product.Profile.Product).ToList();
        if (folder is null)
        {
            var there = InstallsCommand.Locate([product], [])[0].Installs.Select(i => product.Machine.NameOf(i.Path)).ToHashSet();
            return [.. recorded.Where(r => !there.Contains(r.Path))];
        }

        var named = product.Machine.NameOf(Path.GetFullPath(folder));
        return recorded.Find(r => r.Path == named || r.Path == folder) is { } one ? [one] : throw new MuktaException(
            ExitCode.BadInput, $"This folder is not recorded as an install of {product.Profile.Title}.", PathBytes.Shown(named),
            $"See what is recorded with: mukta installs {product.Profile.Product}{product.OptionsForOthers}");
    }

    private static int End(Session session, ForgetDocument document, string line)
    {
        if (session.IsJson)
            Session.Write(document, Documents.Readable.ForgetDocument);
        else
            session.Output.WriteLine(line);
        return document.ExitCode;
    }
}
