using System.Net;
using System.Net.Sockets;
using System.Text.RegularExpressions;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>The commands of docs/first-hour.md, run in one shell in an empty home.</summary>
public partial class FirstHourTests
{
    private const string Port = "8321", Home = "/home/anna", End = "== end of block ";

    private sealed record Block(string Commands, int Code, IReadOnlyList<string> Shown);

    [Fact]
    public async Task Every_block_does_what_it_says()
    {
        Need.Program("python3");
        using var scratch = new Scratch();
        var port = FreePort();
        var blocks = Blocks(await File.ReadAllTextAsync(
            Path.Join(AppContext.BaseDirectory, "first-hour.md"), TestContext.Current.CancellationToken));
        blocks.Count.ShouldBeGreaterThan(8);
        scratch.Write("all.sh", string.Concat(blocks.Select(
            (b, i) => $"{b.Commands.Replace(Port, port, StringComparison.Ordinal)}\necho \"{End}{i}: $?\"\n")));
        var answer = await Programs.RunAsync(
            scratch, "env",
            ["-u", "XDG_CONFIG_HOME", "-u", "XDG_STATE_HOME", "-u", "XDG_DATA_HOME", "-u", "XDG_CACHE_HOME", $"HOME={scratch.Root}",
            $"PATH={Programs.Folder}:{Environment.GetEnvironmentVariable("PATH")}", "bash", "-c", "exec 2>&1; . ./all.sh"]);
        var output = answer.Out.Replace(scratch.Root, Home, StringComparison.Ordinal).Replace(port, Port, StringComparison.Ordinal);
        for (var i = 0; i < blocks.Count; i++)
        {
            var end = output.IndexOf($"{End}{i}: ", StringComparison.Ordinal);
            end.ShouldBeGreaterThanOrEqualTo(0, output);
            var said = output[..end];
            output = output[end..];
            output.ShouldStartWith($"{End}{i}: {blocks[i].Code}\n", Case.Sensitive, $"{blocks[i].Commands}\n{said}");
            var lines = said.Split('\n').Select(l => l.TrimEnd()).ToList();
            foreach (var line in blocks[i].Shown)
                lines.ShouldContain(line, $"{blocks[i].Commands}\n{said}");
            output = output[(output.IndexOf('\n', StringComparison.Ordinal) + 1)..];
        }
    }

    [Fact]
    public async Task The_profile_that_is_explained_is_a_good_one()
    {
        using var scratch = new Scratch();
        var text = await File.ReadAllTextAsync(
            Path.Join(AppContext.BaseDirectory, "profile.md"), TestContext.Current.CancellationToken);
        scratch.Write("gannet-post.yaml", text.Split("```yaml\n")[1].Split("```")[0]);
        var answer = await Programs.MuktaAsync(scratch, "profile", "check", "gannet-post.yaml");
        answer.Code.ShouldBe(0, answer.Err);
    }

    private static List<Block> Blocks(string text) => [.. Fences().Matches(text).Select(m => new Block(
        m.Groups["sh"].Value, m.Groups["code"].Success ? int.Parse(m.Groups["code"].Value, null) : 0,
        [.. m.Groups["text"].Value.Split('\n').Select(l => l.TrimEnd()).Where(l => l.Length > 0)]))];

    private static string FreePort()
    {
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        return $"{((IPEndPoint)listener.LocalEndpoint).Port}";
    }

    [GeneratedRegex(@"^```sh\n(?<sh>.*?)^```\n(<!-- exit (?<code>\d+) -->\n)?(\n```text\n(?<text>.*?)^```$)?",
        RegexOptions.Singleline | RegexOptions.Multiline | RegexOptions.CultureInvariant)]
    private static partial Regex Fences();
}
