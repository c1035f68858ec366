using System.Net.Sockets;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

public class ManifestTests
{
    [Fact]
    public async Task A_manifest_fits_the_grammar_of_RFC_5854()
    {
        Need.Program("xmllint");
        using var game = await GameFolder.MakeAsync(
            "--base-url", "https://mirror.example/gannet post", "--base-url", "http://second.example", "--expires", "2027-01-31");
        var grammar = Path.Join(AppContext.BaseDirectory, "metalink4.rng");
        var answer = await Programs.RunAsync(game.Scratch, "xmllint", "--noout", "--relaxng", grammar, "game.meta4");
        answer.Code.ShouldBe(0, answer.Err);

        game.Scratch.Write(
            "bad.meta4", File.ReadAllText(game.Scratch.At("game.meta4"))
            .Replace("<size>100<", "<size>a hundred<", StringComparison.Ordinal));
        (await Programs.RunAsync(game.Scratch, "xmllint", "--noout", "--relaxng", grammar, "bad.meta4"))
            .Code.ShouldNotBe(0, "the grammar must be able to refuse");
    }

    [Fact]
    public async Task Lists_and_bags_mean_the_same_to_other_programs()
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.Write("game/odd (1) = %41 é", "odd");
        game.Scratch.Write("game/readme", "");
        (await game.MuktaAsync("manifest", "make", "game", "--out", "own.meta4")).Code.ShouldBe(0);
        foreach (var (format, theirs) in new[] { ("gnu", ""), ("bsd", "--tag") })
        {
            var made = await game.MuktaAsync("manifest", "convert", "own.meta4", $"{format}.sums", "--format", format);
            made.Code.ShouldBe(0, made.Err);
            made.Err.ShouldContain("cannot say it: ");
            (await Shell($"cd game && sha256sum -c --strict --quiet ../{format}.sums")).Code.ShouldBe(0);
            (await Shell($"cd game && find . -path ./.mukta -prune -o -type f -exec sha256sum {theirs} {{}} + > ../{format}.theirs")).Code.ShouldBe(0);
            (await game.MuktaAsync("verify", "game", "--manifest", $"{format}.theirs")).ShouldSatisfyAllConditions(
                a => a.Code.ShouldBe(0, a.Out), a => a.Out.ShouldContain("which says nothing of sizes or modes"));
        }

        (await game.MuktaAsync("repair", "game", "--manifest", "gnu.sums", "-y")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("does not say how long its files are"));
        Directory.CreateDirectory(game.Scratch.At("bag"));
        (await game.MuktaAsync("manifest", "make", "game", "--format", "bagit", "--out", "bag")).Err.ShouldContain("A bag has its files in a folder named data.");
        Directory.Move(game.Scratch.At("game"), game.Scratch.At("bag/data"));
        (await game.MuktaAsync("manifest", "make", "bag/data", "--format", "bagit", "--out", "bag")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(2), a => a.Err.ShouldStartWith("mukta: A bag cannot list links, "), a => a.Err.ShouldContain("  start\n"));
        File.Delete(game.Scratch.At("bag/data/start"));
        var bagged = await game.MuktaAsync("manifest", "make", "bag/data", "--format", "bagit", "--out", "bag", "--json");
        bagged.Code.ShouldBe(0, bagged.Err);
        (await Shell("cd bag && sed 's/%25/%/g' manifest-sha256.txt | sha256sum -c --strict --quiet && sha256sum -c --strict --quiet tagmanifest-sha256.txt"))
            .Code.ShouldBe(0);
        (await Bags.CheckAsync(game.Scratch, "bag")).Out.ShouldBe("valid\n");
        (await game.MuktaAsync("verify", "bag/data", "--manifest", "bag")).Code.ShouldBe(0);
        game.Scratch.Write("bag/data/readme", "x");
        (await game.MuktaAsync("verify", "bag/data", "--manifest", "bag")).Out.ShouldContain("readme");
        (await Shell("cd bag && sha256sum -c --status manifest-sha256.txt")).Code.ShouldNotBe(0);
        (await Bags.CheckAsync(game.Scratch, "bag")).Out.ShouldContain("manifest-sha256.txt: not as listed: 'data/readme'\n");
        (await game.MuktaAsync("verify", "bag/data", "--manifest", "gnu.sums")).Out.ShouldContain("Not intact");
        File.AppendAllText(game.Scratch.At("bag/manifest-sha256.txt"), "x");
        (await game.MuktaAsync("verify", "bag/data", "--manifest", "bag")).Err.ShouldContain("is not the one that was put there");
        (await game.MuktaAsync("manifest", "convert", "own.meta4", "-", "--format", "bagit")).Err.ShouldContain("A bag is a folder");
        var back = await game.MuktaAsync("manifest", "convert", "gnu.sums", "back.meta4", "--json");
        back.Json.GetProperty("from").GetString().ShouldBe("gnu");
        (await game.MuktaAsync("manifest", "convert", "back.meta4", "-", "--format", "gnu")).Out.ShouldBe(File.ReadAllText(game.Scratch.At("gnu.sums")));

        Task<Answer> Shell(string line) => Programs.RunAsync(game.Scratch, "bash", "-c", line);
    }

    [Fact]
    public async Task The_same_tree_gives_the_same_bytes_again()
    {
        using var game = await GameFolder.MakeAsync();
        var first = File.ReadAllBytes(game.Scratch.At("game.meta4"));
        await game.MuktaAsync(
            "manifest", "make", "--yes", "release", "--product", "gannet-post", "--release", "1.4.2", "--sequence", "41", "--piece-size", "65536",
            "--out", "again.meta4");
        File.ReadAllBytes(game.Scratch.At("again.meta4")).ShouldBe(first);
    }

    [Fact]
    public async Task Show_gives_a_summary_and_the_list_on_request()
    {
        using var game = await GameFolder.MakeAsync("--base-url", "https://mirror.example/gannet-post");
        var summary = await game.MuktaAsync("manifest", "show", "game.meta4");
        summary.Out.ShouldBe("""
            gannet-post 1.4.2 (release 41) in game.meta4
              files        5, 1.4 MiB
              links        1
              hashes       sha-256 (5)
              pieces       24 of 64.0 KiB in 3 files
              mirror       https://mirror.example/gannet-post

            """);
        (await game.MuktaAsync("manifest", "show", "game.meta4", "--files")).Out.ShouldContain("  0755          200,000  bin/game\n");
    }

    [Fact]
    public async Task A_hyphen_is_standard_input_and_a_folder_that_is_not_there_is_said()
    {
        using var game = await GameFolder.MakeAsync();
        var piped = await Programs.RunAsync(
            game.Scratch, "sh", "-c", $"'{Programs.Mukta}' manifest show - < game.meta4; echo '<a' | '{Programs.Mukta}' manifest show -");
        piped.Out.ShouldContain("gannet-post");
        (piped.Code, piped.Err).ShouldSatisfyAllConditions(
            p => p.Code.ShouldBe(2), p => p.Err.ShouldContain("  standard input, line 1, column 1\n"));
        var nowhere = await game.MuktaAsync("manifest", "make", "release", "--product", "gannet-post", "--out", "nowhere/game.meta4");
        (nowhere.Code, nowhere.Err).ShouldSatisfyAllConditions(
            n => n.Code.ShouldBe(3), n => n.Err.ShouldContain("The manifest cannot be written: its folder is not there.\n  nowhere/game.meta4"));
    }

    [Fact]
    public async Task Sockets_are_left_out_and_said()
    {
        using var game = await GameFolder.MakeAsync();
        using var socket = new Socket(AddressFamily.Unix, SocketType.Stream, ProtocolType.Unspecified);
        socket.Bind(new UnixDomainSocketEndPoint(game.Scratch.At("release/chat.socket")));
        var answer = await game.MuktaAsync("manifest", "make", "--yes", "release", "--out", "new.meta4");
        answer.Code.ShouldBe(0);
        answer.Err.ShouldBe("left out: chat.socket: a socket, pipe or device\n");
    }

    [Fact]
    public async Task A_manifest_written_into_its_own_folder_does_not_list_itself()
    {
        using var game = await GameFolder.MakeAsync();
        foreach (var _ in new[] { 1, 2 })
            (await game.MuktaAsync("manifest", "make", "--yes", "release", "--out", "release/own.meta4")).Out.ShouldContain("5 files");
    }

    [Fact]
    public async Task A_manifest_that_is_there_is_replaced_only_if_that_is_said_and_an_id_is_one()
    {
        using var game = await GameFolder.MakeAsync();
        var before = File.ReadAllBytes(game.Scratch.At("game.meta4"));
        var refused = await game.MuktaAsync("manifest", "make", "release", "--out", "game.meta4");
        refused.Code.ShouldBe(2);
        refused.Err.ShouldContain("--yes");
        File.ReadAllBytes(game.Scratch.At("game.meta4")).ShouldBe(before);
        (await game.MuktaAsync("manifest", "make", "release", "--out", "game.meta4", "--yes")).Code.ShouldBe(0);
        File.ReadAllBytes(game.Scratch.At("game.meta4")).ShouldNotBe(before);
        foreach (var odd in new[] { "A B", "Pier", "7up", "", "../x" })
            (await game.MuktaAsync("manifest", "make", "release", "--out", "other.meta4", "--product", odd)).Code.ShouldBe(2, odd);
        File.Exists(game.Scratch.At("other.meta4")).ShouldBeFalse();
    }
}
