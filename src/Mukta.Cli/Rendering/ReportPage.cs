using System.Globalization;
using System.Text;
using System.Xml;
using Mukta.Cases;
using Mukta.Cli.Json;
using Mukta.Disk;

namespace Mukta.Cli.Rendering;

/// <summary>
/// A report as one page of HTML that needs nothing else: no script, no network. Whatever comes from outside goes through the writer, which
/// escapes it.
/// </summary>
internal sealed class ReportPage
{
    private const int MostCells = 60, CellWidth = 10, StripHeight = 16;

    private const string Style = """
        :root { color-scheme: light dark; --ink: #1c2126; --paper: #ffffff; --rule: #b9c1c9; --soft: #eef1f4; --link: #0b4f8a;
          --good: #cfe0ee; --bad: #8f1d1d; --mark: #ffffff; }
        @media (prefers-color-scheme: dark) { :root { --ink: #e7ebef; --paper: #15191d; --rule: #4b555f; --soft: #20262c; --link: #8cc4f5;
          --good: #35516a; --bad: #ff9d8f; --mark: #15191d; } }
        * { box-sizing: border-box; }
        body { margin: 0; background: var(--paper); color: var(--ink); font: 16px/1.5 system-ui, "DejaVu Sans", sans-serif; }
        main { max-width: 62rem; margin: 0 auto; padding: 1.5rem; }
        h1 { font-size: 1.6rem; line-height: 1.25; margin: 0 0 .3rem; overflow-wrap: anywhere; }
        h2 { font-size: 1.15rem; margin: 2rem 0 .6rem; padding-bottom: .2rem; border-bottom: 1px solid var(--rule); }
        h3 { font-size: 1rem; margin: 1.2rem 0 .4rem; overflow-wrap: anywhere; }
        p, li, dd, td { overflow-wrap: anywhere; } .short { white-space: nowrap; }
        dl { display: grid; grid-template-columns: minmax(7rem, max-content) 1fr; gap: .25rem 1.25rem; margin: 0; }
        dt { font-weight: 600; } dd { margin: 0; }
        table { width: 100%; border-collapse: collapse; }
        th, td { text-align: left; vertical-align: top; padding: .35rem .7rem .35rem 0; border-bottom: 1px solid var(--rule); }
        th.number, td.number { text-align: right; }
        code { font: .92em/1.5 ui-monospace, "DejaVu Sans Mono", monospace; background: var(--soft); padding: .1em .3em;
          overflow-wrap: anywhere; }
        .verdict { font-size: 1.1rem; margin: 0 0 1rem; } .strip { display: block; max-width: 100%; height: auto; }
        .good { fill: var(--good); } .bad { fill: var(--bad); } .cross { stroke: var(--mark); stroke-width: 2; }
        ul { margin: .3rem 0; padding-left: 1.3rem; }
        @media (max-width: 40rem) { main { padding: 1rem; } .short { white-space: normal; } dl { display: block; } dd { margin: 0 0 .5rem; }
          td, th { padding-right: .5rem; } }
        @media print { main { max-width: none; padding: 0; } h2, h3 { break-after: avoid; } tr, li { break-inside: avoid; } }
        """;

    private static readonly (string, string) Short = ("class", "short");

    private readonly StringBuilder text = new();
    private readonly XmlWriter page;

    private ReportPage() => page = XmlWriter.Create(
        text, new XmlWriterSettings { OmitXmlDeclaration = true, ConformanceLevel = ConformanceLevel.Fragment });

    /// <summary>The page.</summary>
    public static string Of(ReportDocument report)
    {
        var made = new ReportPage();
        made.Write(report);
        made.page.Flush();
        return "<!DOCTYPE html>\n" + made.text + "\n";
    }

    private void Write(ReportDocument report)
    {
        page.WriteStartElement("html");
        page.WriteAttributeString("lang", "en");
        page.WriteStartElement("head");
        Empty("meta", ("charset", "utf-8"));
        Empty("meta", ("name", "viewport"), ("content", "width=device-width, initial-scale=1"));
        Empty("meta", ("http-equiv", "Content-Security-Policy"), ("content", "default-src 'none'; style-src 'unsafe-inline'"));
        Text("title", report.Title);
        page.WriteStartElement("style");
        page.WriteRaw(Style); // A constant: nothing of it comes from outside.
        page.WriteFullEndElement();
        page.WriteEndElement();
        page.WriteStartElement("body");
        page.WriteStartElement("main");
        Text("h1", report.Title);
        Text("p", report.Verdict, ("class", "verdict"));
        if (report.Case is { } one)
            Pairs("Complaint", ReportWords.Complaint(one));
        Pairs("Machine", ReportWords.Machine(report.Machine, report.Mukta));
        if (report.Seen is { } seen)
        {
            State(seen);
            if (seen.Files is { } files)
                Files(files);
        }

        if (report.Case is { Rungs.Count: > 0 } tried)
            Rungs(tried);
        if (report.Operations.Count > 0)
            Operations(report.Operations);
        if (report.Case is { Events.Count: > 0 } noted)
            Table("What happened", ["When", "What"], noted.Events.Select(e => new[] { ReportWords.Time(e.At), e.What }));
        if (report.HandOver is { } hand)
        {
            Text("h2", "For the vendor's support");
            List(hand);
        }

        Text("p", $"Written by Mukta {report.Mukta}, {ReportWords.Time(report.Made)}.");
        page.WriteEndElement();
        page.WriteEndElement();
        page.WriteEndElement();
    }

    private void State(CaseSnapshot seen)
    {
        Text("h2", $"State found, {ReportWords.Time(seen.Taken)}");
        foreach (var product in seen.Products)
        {
            Text("h3", product.Release is { } release ? $"{product.Title} {release}" : product.Title);
            var findings = product.Areas.SelectMany(a => a.Findings.Select(f => new[] { ReportWords.Verdict(f), a.Area, f.Seen })).ToList();
            if (findings.Count > 0)
                Table(null, ["Verdict", "Area", "Seen"], findings);
            var fine = product.Areas.Where(a => a.Verdict == "ok").Select(a => a.Area).ToList();
            if (fine.Count > 0)
                Text("p", $"In order: {string.Join(", ", fine)}.");
        }
    }

    private void Files(SeenFiles files)
    {
        Text("h2", "Files");
        Text("p", ReportWords.Files(files));
        if (files.Damaged.Count > 0)
        {
            Head(["State", "File", "Pieces"]);
            foreach (var strip in files.Damaged)
            {
                page.WriteStartElement("tr");
                Text("td", strip.State, Short);
                Text("td", strip.Path);
                page.WriteStartElement("td");
                Strip(strip);
                page.WriteString(ReportWords.Pieces(strip));
                page.WriteEndElement();
                page.WriteEndElement();
            }

            EndTable();
        }

        if (files.Causes.Count > 0)
        {
            Text("h3", "Likely causes");
            List(files.Causes);
        }
    }

    /// <summary>A file as cells, one or more pieces each; a bad one is dark and has a cross, so that it is seen without colour.</summary>
    private void Strip(FileStrip strip)
    {
        var cells = Math.Min(strip.Pieces, MostCells);
        var width = cells * CellWidth;
        page.WriteStartElement("svg");
        Attributes(
            ("class", "strip"), ("role", "img"), ("aria-label", $"{ReportWords.Pieces(strip)} of {strip.Path}"),
            ("width", Number(width)), ("height", Number(StripHeight)), ("viewBox", $"0 0 {Number(width)} {Number(StripHeight)}"));
        for (var cell = 0; cell < cells; cell++)
        {
            var (first, end) = ((long)cell * strip.Pieces / cells, (long)(cell + 1) * strip.Pieces / cells);
            var isBad = strip.Bad.Any(b => b.First < end && b.Last >= first);
            var x = cell * CellWidth;
            Empty(
                "rect", ("x", Number(x)), ("y", "1"), ("width", Number(CellWidth - 1)), ("height", Number(StripHeight - 2)),
                ("class", isBad ? "bad" : "good"));
            if (isBad)
                Empty("path", ("d", $"M{Number(x + 2)} 5l5 6m0 -6l-5 6"), ("class", "cross"));
        }

        page.WriteEndElement();
    }

    private void Rungs(CasePart one)
    {
        Text("h2", "What was tried");
        Head(["Rung", "What", "Result", "Done"], "Chance");
        foreach (var rung in one.Rungs)
        {
            page.WriteStartElement("tr");
            Text("td", rung.Rung, Short);
            page.WriteStartElement("td");
            if (rung.Command is { } command)
                Text("code", command);
            else
                page.WriteString(Shown(rung.Instructions ?? ""));
            page.WriteEndElement();
            Text("td", ReportWords.Result(rung), Short);
            Text("td", ReportWords.Done(rung));
            Text("td", string.Create(CultureInfo.InvariantCulture, $"{rung.Chance * 100:0} %"), ("class", "number"));
            page.WriteEndElement();
        }

        EndTable();
    }

    private void Operations(IReadOnlyList<ReportOperationPart> operations)
    {
        Text("h2", "What was changed");
        foreach (var operation in operations)
        {
            var of = operation.Product is { } product ? $" of {product}" : "";
            Text("h3", $"{operation.Command}{of}, {ReportWords.Time(operation.Started)}");
            Text("p", $"{ReportWords.Traffic(operation)} {Units.Bytes(operation.BytesKept)} are kept.".TrimStart());
            List([.. operation.Causes.Select(c => $"Likely cause: {c}"), .. operation.Changes.Select(ReportWords.Change)]);
            if (operation.ChangeCount > operation.Changes.Count)
                Text("p", $"{Units.Number(operation.ChangeCount - operation.Changes.Count)} more are not listed here.");
            page.WriteStartElement("p");
            page.WriteString(operation.State == "undone" ? "It was undone: " : "Undo it with: ");
            Text("code", operation.Undo);
            page.WriteEndElement();
        }
    }

    private void Pairs(string head, IEnumerable<(string Name, string Value)> pairs)
    {
        Text("h2", head);
        page.WriteStartElement("dl");
        foreach (var (name, value) in pairs)
        {
            Text("dt", name);
            Text("dd", value);
        }

        page.WriteEndElement();
    }

    private void Table(string? head, IReadOnlyList<string> columns, IEnumerable<string[]> rows)
    {
        if (head is not null)
            Text("h2", head);
        Head(columns);
        foreach (var row in rows)
        {
            page.WriteStartElement("tr");
            foreach (var cell in row.SkipLast(1))
                Text("td", cell, Short);
            Text("td", row[^1]);
            page.WriteEndElement();
        }

        EndTable();
    }

    private void Head(IReadOnlyList<string> columns, string? number = null)
    {
        page.WriteStartElement("table");
        page.WriteStartElement("thead");
        page.WriteStartElement("tr");
        foreach (var column in columns)
            Text("th", column, ("scope", "col"));
        if (number is not null)
            Text("th", number, ("scope", "col"), ("class", "number"));
        page.WriteEndElement();
        page.WriteEndElement();
        page.WriteStartElement("tbody");
    }

    private void EndTable()
    {
        page.WriteFullEndElement();
        page.WriteEndElement();
    }

    private void List(IReadOnlyList<string> items)
    {
        if (items.Count == 0)
            return;
        page.WriteStartElement("ul");
        foreach (var item in items)
            Text("li", item);
        page.WriteEndElement();
    }

    private void Text(string element, string content, params ReadOnlySpan<(string Name, string Value)> attributes)
    {
        page.WriteStartElement(element);
        Attributes(attributes);
        page.WriteString(Shown(content));
        page.WriteFullEndElement();
    }

    private void Empty(string element, params ReadOnlySpan<(string Name, string Value)> attributes)
    {
        page.WriteStartElement(element);
        Attributes(attributes);
        page.WriteEndElement();
    }

    private void Attributes(params ReadOnlySpan<(string Name, string Value)> attributes)
    {
        foreach (var (name, value) in attributes)
            page.WriteAttributeString(name, Shown(value));
    }

    /// <summary>Without characters that hide or turn what follows, or that XML cannot hold.</summary>
    private static string Shown(string value) =>
        string.Concat(Encoding.UTF8.GetString(Encoding.UTF8.GetBytes(PathBytes.Shown(value)))
            .Select(c => char.IsSurrogate(c) || XmlConvert.IsXmlChar(c) ? c : '\uFFFD'));

    private static string Number(int number) => number.ToString(CultureInfo.InvariantCulture);
}
