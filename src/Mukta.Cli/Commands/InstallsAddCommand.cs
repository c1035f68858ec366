using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Remedies;
using Mukta.State;
using Mukta.Verification;
using Mukta.Verification.Quick;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta installs add</c></summary>
internal static class InstallsAddCommand
{
    private const string Examples = """
          mukta installs add gannet-post /mnt/old-disk/games/gannet-post --dry-run
          mukta installs add gannet-post ~/Downloads/gannet-copy
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice { IsForOneInstall = false });
        var folder = new Argument<string>("DIR")
        {
            Description = "The folder. Nothing in it is changed.",
        };
        var manifest = new Option<string?>("--manifest")
        {
            Description = "Use this manifest instead of the profile's.",
            HelpName = "FILE",
        };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand(
            "add", "Register an existing folder as an install: verify it, list what is missing, remember it.", Examples)
        {
            product,
            folder,
            manifest,
            dryRun,
            yes,
        };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var path = Path.GetFullPath(parsed.GetRequiredValue(folder));
            if (!Directory.Exists(path))
            {
                throw new MuktaException(
                    ExitCode.BadInput, "There is no such folder.", PathBytes.Shown(path),
                    $"Search for it with: mukta installs {found.Profile.Product} --search DIR{found.OptionsForOthers}");
            }

            var withManifest = parsed.GetValue(manifest) is { } given ? $" {manifest.Name} {Shell.Quoted(given)}" : "";
            var words = $"{found.Profile.Product} --install {Shell.Quoted(path)}{found.OptionsForOthers}{withManifest}";
            var target = new InstallTarget(found.Machine, path, found.GuardOf(found.Loaded))
            {
                ManifestFile = parsed.GetValue(manifest) is { } file ? found.Loaded.Named(StandardInput.FileOf(file))
                    : found.Loaded.ManifestFile,
                Mirrors = found.Profile.Manifest?.Mirrors ?? [],
                Arguments = words,
            };
            var run = new Run(session, found, target) { IsDryRun = parsed.GetValue(dryRun), IsAgreed = parsed.GetValue(yes) };
            return (int)await run.ToEndAsync(cancel).ConfigureAwait(false);
        });
        return command;
    }

    private sealed class Run(Session session, Product product, InstallTarget target)
    {
        public bool IsDryRun { get; init; }

        public bool IsAgreed { get; init; }

        public async Task<ExitCode> ToEndAsync(CancellationToken cancel)
        {
            using var install = Folder.Open(target.Path);
            var meter = new WorkMeter();
            var verifier = new QuickVerifier(TimeProvider.System, new VerifiedRecords(target.Machine));
            var result = await Progressing.ShowAsync(
                session, meter,
                () => Task.FromResult(
                verifier.Full(target.ManifestFile!, install, new VerifyOptions { Meter = meter }, cancel))).ConfigureAwait(false);
            if (result.Release.Bytes > 0 && result.BytesGood == 0)
            {
                throw new MuktaException(
                    ExitCode.BadInput, $"Nothing in this folder belongs to {product.Profile.Title}, so it was not registered.",
                    PathBytes.Shown(target.Path),
                    $"Search for it with: mukta installs {product.Profile.Product} --search "
                    + $"{Shell.Quoted(Path.GetDirectoryName(target.Path) ?? "/")}{product.OptionsForOthers}");
            }

            if (!session.IsJson && !session.IsQuiet)
                Show(result);
            if (IsDryRun)
                return End(ExitCode.Done, result, isRecorded: false, Session.DryRun);
            if (!IsAgreed && !await Question.IsAnsweredYesAsync(
                session, $"Register this folder as an install of {product.Profile.Title}?", cancel).ConfigureAwait(false))
                return End(ExitCode.Problems, result, isRecorded: false, "Nothing was changed.");
            using (var database = StateDatabase.Open(target.Machine.Folders.State))
            {
                new InstallRecords(database).Put(new InstallRecord(
                    product.Profile.Product, target.Machine.NameOf(install.RealPath), result.Release.Release,
                    TimeProvider.System.GetUtcNow()));
            }

            var next = NextStep.After(result, target, straysCount: false);
            return End(
                next is null ? ExitCode.Done : ExitCode.Problems, result, isRecorded: true,
                $"Registered as an install of {product.Profile.Title}.{(next is null ? "" : $"\nNext: {next}")}");
        }

        private void Show(VerifyResult result)
        {
            new VerifyText(session.Output, target.Path).Verdict(result);
            foreach (var group in result.Problems.GroupBy(f => f.State))
            {
                var size = $"{FindingWords.Name(group.Key),-11} {Units.Count(group.Count(), "file"),-9}";
                session.Output.WriteLine($"  {size} {FindingWords.Sum(group.Key, [.. group])}".TrimEnd());
            }

            session.Output.WriteLine(
                $"{Units.Bytes(result.BytesGood)} of {Units.Bytes(result.Release.Bytes)} are intact; a repair would download "
                + $"{Units.Bytes(result.BytesToFetch)}.");
            if (result.Strays.Any())
            {
                session.Output.WriteLine(
                    $"{Units.Count(result.Strays.Count(), "stray")} left untouched.");
            }
        }

        private ExitCode End(ExitCode code, VerifyResult result, bool isRecorded, string line)
        {
            if (session.IsJson)
            {
                Session.Write(new InstallsAddDocument(
                    "mukta.installs.add/1", product.Profile.Product, PathBytes.Shown(target.Path), IsDryRun, (int)code, isRecorded,
                    VerifyDocument.Of(result, target.Path, straysCount: false, NextStep.After(result, target, straysCount: false))),
                    Documents.Readable.InstallsAddDocument);
            }
            else
                session.Output.WriteLine(line);
            return code;
        }
    }
}
