namespace Mukta.Cli.Tests;

/// <summary>Repairs from a web server that nobody here has written.</summary>
public class NginxTests
{
    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task A_real_web_server_serves_ranges_and_whole_files(bool knowsRanges)
    {
        using var game = await VerifyTests.BrokenAsync();
        File.Delete(game.Scratch.At("game/bin/game"));
        using var nginx = await Nginx.StartAsync(game.Scratch, knowsRanges ? "" : "max_ranges 0;");
        var answer = await game.RepairAsync("--from", nginx.Url, "--yes", "--set-aside-strays");
        answer.Code.ShouldBe(0, answer.Out + answer.Err);
        Directory.Delete(game.Scratch.At("game/saves"));
        game.ShouldBeWhole();
        var log = nginx.End();
        var expected = 200_000 + (knowsRanges ? 3 : 16) * GameFolder.PieceLength;
        log.Where(l => l.Method == "GET").Sum(l => l.BodyBytes).ShouldBeInRange(200_000 + 3 * GameFolder.PieceLength, 2 * expected);
        log.Any(l => l.Status == 206).ShouldBe(knowsRanges);
    }

    [Theory]
    [InlineData("location /maps/ { return 200 'another file'; }", "has another file there, of 12 bytes")]
    [InlineData("add_header Content-Encoding gzip;", "sends the file encoded")]
    public async Task What_is_not_the_file_that_was_asked_for_is_told_and_nothing_of_it_is_taken(string server, string why)
    {
        using var game = await BrokenAsync();
        using var nginx = await Nginx.StartAsync(game.Scratch, server);
        var before = await File.ReadAllBytesAsync(game.Scratch.At("game/maps/harbour.pak"), TestContext.Current.CancellationToken);
        var answer = await game.RepairAsync("--from", nginx.Url, "--yes");
        answer.Code.ShouldBe(4, answer.Out + answer.Err);
        (answer.Out + answer.Err).ShouldContain(why);
        (await File.ReadAllBytesAsync(game.Scratch.At("game/maps/harbour.pak"), TestContext.Current.CancellationToken)).ShouldBe(before);
    }

    [Fact]
    public async Task Http_2_is_spoken_where_it_is_offered()
    {
        using var game = await BrokenAsync();
        using var nginx = await Nginx.StartAsync(game.Scratch);
        var answer = await OnAsync(game, [$"SSL_CERT_FILE={game.Scratch.At("mirror.crt")}"], nginx.TlsUrl);
        answer.Code.ShouldBe(0, answer.Out + answer.Err);
        game.ShouldBeWhole();
        nginx.End().ShouldAllBe(l => l.Protocol == "HTTP/2.0");
    }

    [Fact]
    public async Task A_certificate_that_nobody_vouches_for_is_refused()
    {
        using var game = await BrokenAsync();
        using var nginx = await Nginx.StartAsync(game.Scratch);
        var answer = await game.RepairAsync("--from", nginx.TlsUrl, "--yes");
        answer.Code.ShouldBe(4);
        answer.Err.ShouldContain("certificate");
    }

    [Fact]
    public async Task A_redirect_is_followed_but_not_for_ever_nor_to_a_file_nor_out_of_tls()
    {
        using var game = await BrokenAsync();
        using var nginx = await Nginx.StartAsync(game.Scratch, $$"""
            location /moved/ { rewrite ^/moved/(.*)$ /$1 redirect; }
            location /round/ { rewrite ^/round/(.*)$ /round/x$1 redirect; }
            location /local/ { return 302 file://{{game.Scratch.At("release")}}/bin/game; }
            location /plain/ { rewrite ^/plain/(.*)$ http://127.0.0.1:PORT/$1 redirect; }
            """);
        string[] trusted = [$"SSL_CERT_FILE={game.Scratch.At("mirror.crt")}"];
        (await OnAsync(game, trusted, nginx.TlsUrl + "/plain"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(4), a => a.Err.ShouldContain("which is not followed"));
        (await OnAsync(game, [], nginx.Url + "/local"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(4), a => a.Err.ShouldContain("leads somewhere that is not an http or https URL"));
        (await OnAsync(game, [], nginx.Url + "/round")).Code.ShouldBe(4);
        (await OnAsync(game, [], nginx.Url + "/moved")).Code.ShouldBe(0);
        game.ShouldBeWhole();
        nginx.End().Count(l => l.Path.Contains("/round/", StringComparison.Ordinal))
            .ShouldBeInRange(2, 6 * 8, "at most five redirects for each request");
    }

    [Fact]
    public async Task A_proxy_is_taken_from_the_usual_variables()
    {
        using var game = await BrokenAsync();
        using var proxy = await Nginx.StartAsync(game.Scratch);
        var answer = await OnAsync(game, [$"http_proxy={proxy.Url}"], "http://mirror.invalid");
        answer.Code.ShouldBe(0, answer.Out + answer.Err);
        game.ShouldBeWhole();
        proxy.End().ShouldAllBe(l => l.Host == "mirror.invalid");
    }

    [Fact]
    public async Task A_mirror_that_changes_a_file_meanwhile_is_noticed_by_if_range_and_said()
    {
        using var game = await BrokenAsync();
        game.Scratch.Flip("game/maps/harbour.pak", 5);
        game.Scratch.Flip("game/maps/harbour.pak", 12 * GameFolder.PieceLength);
        using var nginx = await Nginx.StartAsync(game.Scratch, """etag off; add_header ETag '"$request_id"';""");
        var answer = await game.RepairAsync("--from", nginx.Url, "--yes");
        answer.Code.ShouldBe(0, answer.Out + answer.Err);
        answer.Out.ShouldContain("its files changed meanwhile");
        game.ShouldBeWhole();
        nginx.End().Where(l => l.IfRange.Length > 1).ShouldAllBe(l => l.Status == 200);
    }

    [Fact]
    public async Task A_file_that_stays_the_same_is_asked_for_by_its_tag()
    {
        using var game = await BrokenAsync();
        game.Scratch.Flip("game/maps/harbour.pak", 5);
        game.Scratch.Flip("game/maps/harbour.pak", 12 * GameFolder.PieceLength);
        using var nginx = await Nginx.StartAsync(game.Scratch);
        var answer = await game.RepairAsync("--from", nginx.Url, "--yes");
        answer.Code.ShouldBe(0, answer.Out + answer.Err);
        answer.Out.ShouldNotContain("changed meanwhile");
        nginx.End().Where(l => l.IfRange.Length > 1)
            .ShouldSatisfyAllConditions(l => l.ShouldNotBeEmpty(), l => l.ShouldAllBe(r => r.Status == 206));
    }

    internal static async Task<GameFolder> BrokenAsync()
    {
        var game = await GameFolder.MakeAsync();
        game.Scratch.Zero("game/maps/harbour.pak", 300_000, 100_000);
        File.Delete(game.Scratch.At("game/bin/game"));
        return game;
    }

    private static Task<Answer> OnAsync(GameFolder game, string[] variables, string source) =>
        Programs.RunAsync(
        game.Scratch, "env", [.. variables, Programs.Mukta, "repair", "game", "--manifest", "game.meta4", "--from", source, "--yes"]);
}
