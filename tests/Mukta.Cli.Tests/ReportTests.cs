using System.Formats.Tar;
using System.Xml.Linq;

namespace Mukta.Cli.Tests;

public class ReportTests
{
    private const string Evil = "<script>alert(1)</script> \u202e& \"it does not start\"";

    [Fact]
    public async Task A_case_is_written_up_as_a_page_a_text_and_a_document()
    {
        using var home = await MakeAsync();
        (await home.MuktaAsync("case", "next", "--yes", "--profiles", "profiles")).Code.ShouldBe(0);
        (await home.MuktaAsync("report", "1", "--profiles", "profiles")).Out
            .ShouldBe("report-1.html: Case 1: Gannet Post, does-not-start. Fixed by files, with 1 of 7 rungs tried.\n");
        var html = File.ReadAllText(home.Scratch.At("report-1.html"));
        html.ShouldNotContain("<script");
        html.ShouldNotContain("\u202e");
        var page = XDocument.Parse(html.Split('\n', 2)[1]);
        var words = string.Join('\n', page.Descendants().Where(e => !e.HasElements).Select(e => e.Value));
        words.ShouldContain("<script>alert(1)</script>");
        words.ShouldContain("Fixed by files, with 1 of 7 rungs tried.");
        words.ShouldContain("replaced: bin/gannet-post");
        words.ShouldContain("mukta undo 2026");
        page.Descendants("svg").ShouldHaveSingleItem().Attribute("aria-label")!.Value.ShouldBe("1 of 2 pieces: 1 of bin/gannet-post");
        page.Descendants().Attributes().ShouldAllBe(a => a.Name != "href" && a.Name != "src" && !a.Name.LocalName.StartsWith("on"));

        var text = await home.MuktaAsync("report", "--format", "text", "--profiles", "profiles");
        text.Out.ShouldStartWith("Case 1: Gannet Post, does-not-start\nFixed by files, with 1 of 7 rungs tried.\n");
        text.Out.ShouldContain("  1.0 MiB downloaded. 18.0 MiB of the release were here already, and were not downloaded.");
        var json = (await home.MuktaAsync("report", "--json", "--profiles", "profiles")).Json;
        var operation = json.GetProperty("operations")[0];
        operation.GetProperty("bytesDownloaded").GetInt64().ShouldBe(1 << 20);
        (await home.MuktaAsync("report", operation.GetProperty("operation").GetString()!, "--format", "text", "--profiles", "profiles")).Out
            .ShouldContain("The operation is done.");
        (await home.MuktaAsync("report", "1", "--profiles", "profiles")).Err.ShouldContain("There is a file of this name already.");
        (await home.MuktaAsync("report", "7", "--profiles", "profiles")).Err.ShouldContain("There is no such case.");
    }

    [Fact]
    public async Task The_vendor_gets_what_is_needed_and_nothing_that_says_who_it_was()
    {
        using var home = await MakeAsync();
        (await home.MuktaAsync("report", "--for-vendor", "case.tar", "--profiles", "profiles")).Code.ShouldBe(2, "nobody can be asked");
        File.Exists(home.Scratch.At("case.tar")).ShouldBeFalse();
        var told = await home.MuktaAsync("report", "--for-vendor", "case.tar", "--yes", "--profiles", "profiles");
        told.Out.ShouldContain("logs/1-flight.log");
        var files = new Dictionary<string, string>();
        using (var tar = new TarReader(File.OpenRead(home.Scratch.At("case.tar"))))
        {
            while (await tar.GetNextEntryAsync(cancellationToken: TestContext.Current.CancellationToken) is { } entry)
            {
                (entry.Uid, entry.Gid).ShouldBe((0, 0));
                files.Add(entry.Name, await new StreamReader(entry.DataStream!).ReadToEndAsync(TestContext.Current.CancellationToken));
            }
        }

        files.Keys.ShouldBe(["report/report.html", "report/report.json", "report/versions.txt", "report/logs/1-flight.log"]);
        files["report/logs/1-flight.log"].ShouldContain("[mail] signed in from [address] with token=[secret] in ~/games");
        foreach (var (name, content) in files)
        {
            content.ShouldNotContain(home.Scratch.Root, customMessage: name);
            content.ShouldNotContain("anna@", customMessage: name);
            content.ShouldNotContain(Environment.MachineName.Length > 2 ? Environment.MachineName : "no such name", customMessage: name);
        }

        XDocument.Parse(files["report/report.html"].Split('\n', 2)[1]).Descendants("h1").Single().Value
            .ShouldBe("Case 1: Gannet Post, does-not-start");
    }

    private static async Task<Home> MakeAsync()
    {
        var home = await Home.MakeAsync();
        home.Scratch.Flip("games/gannet-post/bin/gannet-post", 100_000);
        home.Scratch.Write(
            ".local/state/gannet-post/flight.log",
            $"12:01 anna@pier.example signed in from 10.1.2.3 with token=abc123 in {home.Scratch.Root}/games\n");
        (await home.OnAsync("case open", "gannet-post", "--symptom", Evil, "--reference", "T-1", "--offline", "-q")).Code.ShouldBe(0);
        return home;
    }
}
