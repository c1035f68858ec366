using System.CommandLine;
using System.Globalization;
using System.Text;
using Mukta.Cases;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Operations;
using Mukta.Setup;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta report</c></summary>
internal static class ReportCommand
{
    private const string Examples = """
          mukta report 3 --out case-3.html
          mukta report 3 --for-vendor case-3.tar
        """;

    public static Command Build()
    {
        var what = new Argument<string?>("CASE|OPERATION")
        {
            Description = "A case's number, or an operation. Default: the newest case.",
            Arity = ArgumentArity.ZeroOrOne,
        };
        var format = new Option<string>("--format")
        {
            Description = "html, text or json.",
            HelpName = "FORMAT",
            DefaultValueFactory = _ => "html",
        };
        format.AcceptOnlyFromAmong("html", "text", "json");
        var output = new Option<string?>("--out")
        {
            Description = "The file to write; - is standard output. Default for html: report-NUMBER.html.",
            HelpName = "FILE",
        };
        var vendor = new Option<string?>("--for-vendor")
        {
            Description = "Instead write a tar for the vendor: page, JSON and logs, with names, addresses and tokens taken out.",
            HelpName = "FILE",
        };
        var yes = CommonOptions.Yes();
        var choice = new OperationChoice();
        var command = new ExampleCommand("report", "Write a case or an operation up as a page.", Examples)
        {
            what, format, output, vendor, yes,
        };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var (report, logs) = Of(choice, parsed, parsed.GetValue(what));
            if (parsed.GetValue(vendor) is { } tar)
            {
                var redaction = VendorPackage.RedactionOf(choice.Machine(parsed));
                var files = new VendorPackage(report, LogTail.Of(logs), redaction).Files();
                return await PackAsync(session, tar, files, report.Made, parsed.GetValue(yes), cancel).ConfigureAwait(false);
            }

            var kind = session.IsJson ? "json" : parsed.GetValue(format)!;
            var text = kind switch
            {
                "json" => System.Text.Json.JsonSerializer.Serialize(report, Documents.Readable.ReportDocument) + "\n",
                "text" => ReportText.Of(report),
                _ => ReportPage.Of(report),
            };
            var file = parsed.GetValue(output) ?? (kind == "html" ? Name(report) : StandardInput.Word);
            if (file == StandardInput.Word)
            {
                Console.Out.Write(text);
                return (int)ExitCode.Done;
            }

            OutputFile.Write(file, Encoding.UTF8.GetBytes(text));
            if (!session.IsJson)
                session.Output.WriteLine($"{PathBytes.Shown(file)}: {report.Title}. {report.Verdict}");
            return (int)ExitCode.Done;
        });
        return command;
    }

    private static string Name(ReportDocument report) =>
        report.Case is { } one ? string.Create(CultureInfo.InvariantCulture, $"report-{one.Number}.html")
        : $"report-{report.Operations[0].Operation}.html";

    private static async Task<int> PackAsync(
        Session session, string tar, IReadOnlyList<(string Name, byte[] Content)> files, DateTimeOffset time, bool isAgreed,
        CancellationToken cancel)
    {
        if (!session.IsJson && !session.IsQuiet)
        {
            session.Output.WriteLine("The vendor gets these files. Names, addresses and tokens that were recognised are taken out:");
            foreach (var (name, content) in files)
                session.Output.WriteLine($"  {name,-30}  {Units.Bytes(content.Length)}");
        }

        var code = isAgreed || await Question.IsAnsweredYesAsync(session, $"Write {PathBytes.Shown(tar)}?", cancel).ConfigureAwait(false)
            ? ExitCode.Done : ExitCode.Problems;
        if (code == ExitCode.Done)
            OutputFile.Write(tar, VendorPackage.Tar(files, time));
        if (session.IsJson)
        {
            Session.Write(
                new VendorDocument(
                    "mukta.report.vendor/1", (int)code, tar, [.. files.Select(f => new VendorFilePart(f.Name, f.Content.Length))]),
                Documents.Readable.VendorDocument);
        }
        else
        {
            session.Output.WriteLine(
                code == ExitCode.Done ? $"{PathBytes.Shown(tar)} written. Look into it before you send it." : "Nothing was written.");
        }

        return (int)code;
    }

    private static (ReportDocument Report, IReadOnlyList<string> Logs) Of(OperationChoice choice, ParseResult parsed, string? named)
    {
        var machine = choice.Machine(parsed);
        var all = choice.All(parsed);
        var isNumber = long.TryParse(named, NumberStyles.None, CultureInfo.InvariantCulture, out var number);
        if (named is not null && !isNumber)
        {
            var id = choice.Id(parsed, all, named);
            var operation = Operation(choice, parsed, all, id);
            var title = $"{operation.Command} of {operation.Product ?? "the machine"}, {ReportWords.Time(operation.Started)}";
            return (New(machine, title, $"The operation is {operation.State}.") with { Operations = [operation] }, []);
        }

        using var book = CaseBook.Open(machine, TimeProvider.System, SetupRunner.Boot);
        var one = isNumber ? book.Of(number) : book.All() is [var newest, ..] ? newest : book.Of(null);
        var product = choice.Product(parsed, one.Product);
        var install = product is null ? null : CaseLook.InstallOf(product, one);
        var logs = product is null ? [] : CaseLook.Logs(product, install).ToList();
        var operations = one.Rungs.Select(r => r.Operation).OfType<string>().Where(id => all.Any(o => o.Id == id))
            .Select(id => Operation(choice, parsed, all, id)).ToList();
        var code = one.Code.Length > 0 ? one.Code : one.Means;
        var report = New(machine, $"Case {one.Number}: {product?.Profile.Title ?? one.Product}, {code}", Verdict(one)) with
        {
            Case = CasePart.Of(one, product),
            Seen = one.Snapshot,
            Operations = operations,
            HandOver = one.Rungs.Any(r => r.Result == TriedResult.Fixed) ? null : HandOver(one, logs),
        };
        return (report, logs);
    }

    private static ReportDocument New(Host.Machine machine, string title, string verdict) =>
        new("mukta.report/1", 0, PathBytes.Shown(title), verdict, TimeProvider.System.GetUtcNow(), Session.Version)
        {
            Machine = MachineFacts.Of(machine),
            Operations = [],
        };

    private static ReportOperationPart Operation(OperationChoice choice, ParseResult parsed, IReadOnlyList<KeptOperation> all, string id) =>
        ReportOperationPart.Of([.. all.Where(o => o.Id == id)], choice.Arguments(parsed));

    private static string Verdict(CaseRecord one)
    {
        var of = $"{Units.Of(one.Tried, one.Rungs.Count, "rung")} tried";
        return one.Rungs.FirstOrDefault(r => r.Result == TriedResult.Fixed) is { } helped ? $"Fixed by {helped.Id}, with {of}."
            : one.Closed is not null ? $"Closed without being fixed, with {of}." : $"Not fixed yet, with {of}.";
    }

    private static List<string> HandOver(CaseRecord one, List<string> logs)
    {
        var failed = one.Rungs.Where(r => r.Result is TriedResult.NotFixed or TriedResult.Worse).Select(r => r.Id).ToList();
        return
        [
            one.Code.Length > 0 ? $"The code {one.Code}: {one.Means}." : $"What the customer says: {one.Symptom ?? one.Means}",
            failed.Count == 0 ? "Nothing was tried yet." : $"What did not help: {string.Join(", ", failed)}.",
            .. logs.Select(l => $"The log {PathBytes.Shown(l)}."),
            $"All of it in one file, without names and addresses: mukta report {one.Number} --for-vendor case-{one.Number}.tar",
        ];
    }
}
