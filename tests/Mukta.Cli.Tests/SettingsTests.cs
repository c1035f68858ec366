using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>What the settings file says counts, and what a command line says counts more.</summary>
public class SettingsTests
{
    [Fact]
    public async Task A_proxy_is_gone_through_and_named_where_it_does_not_answer()
    {
        using var home = await BrokenHomeAsync();
        NameMirror(home, "http://mirror.invalid");
        Settings(home, "proxy: http://127.0.0.1:9");
        var dead = await home.OnAsync("repair", "gannet-post", "--yes");
        dead.Code.ShouldBe(4, dead.Out + dead.Err);
        dead.Err.ShouldContain("through the proxy http://127.0.0.1:9");
        using var proxy = await Mirror.StartAsync(home.Scratch, "mirror");
        Settings(home, $"proxy: {proxy.Url}");
        var answer = await home.OnAsync("repair", "gannet-post", "--yes");
        answer.Code.ShouldBe(0, answer.Out + answer.Err);
    }

    [Fact]
    public async Task Mirrors_folders_and_profiles_are_taken_from_the_file()
    {
        using var home = await BrokenHomeAsync();
        NameMirror(home, "http://127.0.0.1:9");
        Settings(home, $$"""
            profiles: [~/profiles]
            mirrors: {gannet-post: ["{{home.MirrorUrl}}/gannet-post/1.4.2"]}
            max-rate: 20MiB
            also: [/media/not-there, ~/elsewhere]
            """);
        var read = await home.MuktaAsync("verify", "gannet-post", "--verbose");
        read.Code.ShouldBe(1, read.Out + read.Err);
        read.Err.ShouldContain($"read {home.Scratch.At(".config/mukta/settings.yaml")}");
        read.Err.ShouldContain($"read {home.Scratch.At("profiles/gannet-post.yaml")}");
        Directory.CreateDirectory(home.Scratch.At("elsewhere"));
        File.Copy(home.Scratch.At("mirror/gannet-post/1.4.2/bin/gannet-post"), home.Scratch.At("elsewhere/gannet-post"));
        var answer = await home.MuktaAsync("repair", "gannet-post", "--yes");
        answer.Code.ShouldBe(0, answer.Out + answer.Err);
        answer.Out.ShouldContain("from elsewhere on this machine");
        (await home.MuktaAsync("check", "pierhead", "--offline")).Code.ShouldBeInRange(0, 1);
    }

    [Fact]
    public async Task The_rate_of_the_file_holds_until_the_command_line_says_another()
    {
        using var home = await BrokenHomeAsync();
        Settings(home, "max-rate: 200KiB");
        (await home.OnAsync("repair", "gannet-post", "-n")).Out.ShouldContain(" at 200.0 KiB/s, from ");
        (await home.OnAsync("repair", "gannet-post", "-n", "--max-rate", "300KiB")).Out.ShouldContain(" at 300.0 KiB/s, from ");
    }

    [Fact]
    public async Task A_certificate_of_ones_own_is_trusted_and_no_other_because_of_it()
    {
        using var game = await NginxTests.BrokenAsync();
        using var nginx = await Nginx.StartAsync(game.Scratch);
        using var elsewhere = new Scratch();
        using var other = await Nginx.StartAsync(elsewhere);
        game.Scratch.Write("config/mukta/settings.yaml", $"format: mukta.settings/1\ncertificate: {game.Scratch.At("own.pem")}\n");
        string[] Words(string url) =>
        [$"XDG_CONFIG_HOME={game.Scratch.At("config")}", Programs.Mukta, "repair", "game", "--manifest", "game.meta4", "--from", url, "--yes"];
        (await Programs.RunAsync(game.Scratch, "env", Words(nginx.TlsUrl))).Code.ShouldBe(2, "there is no such file of certificates");
        File.Copy(game.Scratch.At("mirror.crt"), game.Scratch.At("own.pem"));
        var refused = await Programs.RunAsync(game.Scratch, "env", Words(other.TlsUrl));
        refused.Code.ShouldBe(4, refused.Out + refused.Err);
        refused.Err.ShouldContain("certificate");
        var answer = await Programs.RunAsync(game.Scratch, "env", Words(nginx.TlsUrl));
        answer.Code.ShouldBe(0, answer.Out + answer.Err);
        game.ShouldBeWhole();
    }

    [Fact]
    public async Task Old_operations_go_only_when_the_file_says_so()
    {
        using var home = await BrokenHomeAsync();
        (await home.OnAsync("repair", "gannet-post", "--yes")).Code.ShouldBe(0);
        var aged = home.Scratch.At("games/gannet-post/.mukta/kept");
        Journals.Rewrite(aged, line => System.Text.RegularExpressions.Regex.Replace(line, "\"started\":\"20", "\"started\":\"19"));
        var younger = await ClearAsync(home, "");
        younger.ShouldContain("gannet-post", Case.Sensitive, "without the key nothing is deleted");
        var resumed = await ClearAsync(home, "purge-after-days: 1");
        resumed.ShouldContain("repair", Case.Sensitive, "begun long ago, but ended only now");
        foreach (var journal in Directory.EnumerateFiles(aged, "journal", SearchOption.AllDirectories))
            File.SetLastWriteTimeUtc(journal, DateTime.UtcNow.AddDays(-2));
        var purged = await ClearAsync(home, "purge-after-days: 1");
        purged.ShouldNotContain("repair");
        purged.ShouldContain("caches", Case.Sensitive, "what is younger stays");
        (Directory.Exists(aged) ? Directory.EnumerateFileSystemEntries(aged) : []).ShouldBeEmpty();
    }

    [Fact]
    public async Task A_mistake_in_the_file_is_said_with_its_line()
    {
        using var home = await BrokenHomeAsync();
        Settings(home, "max_rate: 2MiB");
        var answer = await home.OnAsync("repair", "gannet-post", "--yes");
        answer.Code.ShouldBe(2);
        answer.Err.ShouldContain("line 2, column 1");
        answer.Err.ShouldContain("did you mean \"max-rate\"?");
        (await home.MuktaAsync("--help")).Code.ShouldBe(0);
    }

    private static async Task<string> ClearAsync(Home home, string settings)
    {
        Settings(home, settings);
        home.Scratch.Write(".cache/pierhead/pages-7/news.html", "again");
        var cleared = await home.OnAsync("caches clear", "pierhead", "pages", "--yes");
        cleared.Code.ShouldBe(0, cleared.Out + cleared.Err);
        return (await home.MuktaAsync("operations", "--profiles", "profiles")).Out;
    }

    private static void Settings(Home home, string text) =>
        home.Scratch.Write(".config/mukta/settings.yaml", $"format: mukta.settings/1\n{text}\n");

    private static void NameMirror(Home home, string url) => home.Scratch.Write(
        "gannet-post.meta4",
        File.ReadAllText(home.Scratch.At("gannet-post.meta4")).Replace(home.MirrorUrl, url, StringComparison.Ordinal));

    private static async Task<Home> BrokenHomeAsync()
    {
        var home = await Home.MakeAsync();
        File.Delete(home.Scratch.At("games/gannet-post/bin/gannet-post"));
        return home;
    }
}
