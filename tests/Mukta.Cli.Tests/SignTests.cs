using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>Manifests that are signed, and what happens to those that should be.</summary>
public class SignTests
{
    [Fact]
    public async Task A_manifest_and_its_signature_are_on_the_disk_before_they_have_their_names()
    {
        Need.Program("strace");
        using var game = await GameFolder.MakeAsync();
        Write(game.Scratch, isRsa: false, hasMiddle: false);
        await FlushesAsync("made.meta4", "manifest", "make", "release", "--out", "made.meta4");
        await FlushesAsync("made.meta4.p7s", "manifest", "sign", "made.meta4", "--key", "key.pem", "--cert", "cert.pem");

        async Task FlushesAsync(string file, params string[] command)
        {
            var trace = game.Scratch.At("trace");
            var answer = await Programs.RunAsync(
                game.Scratch, "strace",
                ["-f", "-qq", "-y", "-e", "trace=fsync,rename,renameat,renameat2", "-e", "signal=none", "-o", trace, Programs.Mukta, .. command]);
            answer.Code.ShouldBe(0, answer.Err);
            string[] calls = [.. File.ReadAllLines(trace).Where(l => l.Contains($"{file}.", StringComparison.Ordinal) && l.EndsWith(" = 0"))];
            var named = Array.FindIndex(calls, c => c.Contains("rename", StringComparison.Ordinal));
            named.ShouldBeGreaterThan(0, string.Join('\n', calls));
            calls[named - 1].ShouldContain("fsync(");
        }
    }

    [Theory]
    [InlineData(true, true)]
    [InlineData(true, false)]
    [InlineData(false, true)]
    [InlineData(false, false)]
    public async Task What_is_signed_here_checks_with_openssl_and_the_other_way_round(bool isRsa, bool hasMiddle)
    {
        Need.Program("openssl");
        using var game = await GameFolder.MakeAsync();
        Write(game.Scratch, isRsa, hasMiddle);
        var signed = await game.MuktaAsync("manifest", "sign", "game.meta4", "--key", "key.pem", "--cert", "cert.pem", "--json");
        signed.Code.ShouldBe(0, signed.Err);
        signed.Json.GetProperty("signer").GetProperty("name").GetString().ShouldBe("Gannet Post");
        var checkedBy = await OpensslAsync(
            game, "-verify -binary -inform DER -in game.meta4.p7s -content game.meta4 -CAfile root.pem -purpose any -out taken.meta4");
        checkedBy.Code.ShouldBe(0, checkedBy.Err);
        File.ReadAllBytes(game.Scratch.At("taken.meta4")).ShouldBe(File.ReadAllBytes(game.Scratch.At("game.meta4")));
        (await ShowAsync()).ShouldBe(0);

        var others = hasMiddle ? "-certfile middle.pem" : "";
        var byOpenssl = await OpensslAsync(
            game, $"-sign -binary -outform DER -in game.meta4 -signer only.pem -inkey key.pem {others} -out other.p7s");
        byOpenssl.Code.ShouldBe(0, byOpenssl.Err);
        File.Move(game.Scratch.At("other.p7s"), game.Scratch.At("game.meta4.p7s"), overwrite: true);
        (await ShowAsync()).ShouldBe(0);
        File.Copy(game.Scratch.At("game.meta4.p7s"), game.Scratch.At("token.p7s"));
        (await game.MuktaAsync("manifest", "sign", "game.meta4", "--detached", "token.p7s", "--cert", "cert.pem", "--yes")).Code.ShouldBe(0);
        File.AppendAllText(game.Scratch.At("game.meta4"), " ");
        (await ShowAsync()).ShouldBe(5);
        (await game.MuktaAsync("manifest", "sign", "game.meta4", "--detached", "token.p7s", "--cert", "cert.pem", "--yes")).Code.ShouldBe(5);

        async Task<int> ShowAsync()
        {
            var shown = await game.MuktaAsync("manifest", "show", "game.meta4", "--trust", "root.pem");
            if (shown.Code == 0)
                shown.Out.ShouldContain("signed by    Gannet Post, ");
            return shown.Code;
        }
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task A_key_on_a_token_signs_and_never_leaves_it(bool isRsa)
    {
        const string Module = "/usr/lib/softhsm/libsofthsm2.so";
        Need.Program("softhsm2-util");
        Need.That(
            Directory.GetDirectories("/usr/lib", "*-linux-gnu").Any(d => File.Exists(Path.Join(d, "engines-3/pkcs11.so"))),
            "OpenSSL's PKCS #11 engine is not installed");
        using var game = await GameFolder.MakeAsync();
        Write(game.Scratch, isRsa, hasMiddle: true);
        Directory.CreateDirectory(game.Scratch.At("tokens"));
        game.Scratch.Write("softhsm.conf", $"directories.tokendir = {game.Scratch.At("tokens")}\n");
        string[] environment = [$"SOFTHSM2_CONF={game.Scratch.At("softhsm.conf")}", $"PKCS11_MODULE_PATH={Module}"];
        foreach (var words in new[]
        {
            "--init-token --free --label quay --pin 1234 --so-pin 5678", "--import key.pem --token quay --label signer --id 01 --pin 1234",
        })
        {
            var made = await Programs.RunAsync(game.Scratch, "env", [.. environment, "softhsm2-util", .. words.Split(' ')]);
            made.Code.ShouldBe(0, made.Out + made.Err);
        }

        File.Delete(game.Scratch.At("key.pem"));
        var signed = await SignAsync("pkcs11:token=quay;object=signer;type=private?pin-value=1234");
        signed.Code.ShouldBe(0, signed.Err);
        var verified = await OpensslAsync(
            game, "-verify -binary -inform DER -in game.meta4.p7s -content game.meta4 -CAfile root.pem -purpose any -out taken.meta4");
        verified.Code.ShouldBe(0, verified.Err);
        (await SignAsync("pkcs11:token=quay;object=nobody;type=private?pin-value=1234")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("The key on the token cannot be used"), a => a.Err[a.Err.IndexOf("mukta: ", StringComparison.Ordinal)..].ShouldNotContain("1234"), // The engine itself is less careful.
            a => a.Err.ShouldContain("--detached"));

        Task<Answer> SignAsync(string key) => Programs.RunAsync(
            game.Scratch, "env", [.. environment, Programs.Mukta, "manifest", "sign", "game.meta4", "--key", key, "--cert", "cert.pem", "--yes"]);
    }

    [Fact]
    public async Task A_product_whose_profile_names_certificates_is_never_accepted_unsigned()
    {
        using var home = await Home.MakeAsync();
        Write(home.Scratch, isRsa: false, hasMiddle: true);
        File.Move(home.Scratch.At("root.pem"), home.Scratch.At("profiles/root.pem"));
        var profile = home.Scratch.At("profiles/gannet-post.yaml");
        File.WriteAllText(
            profile, File.ReadAllText(profile).Replace("  file: ../gannet-post.meta4", "  file: ../gannet-post.meta4\n  trust: [root.pem]",
            StringComparison.Ordinal));
        home.Scratch.Flip("games/gannet-post/maps/harbour.pak", 70_000);
        var before = home.Scratch.Snapshot("games");
        foreach (var words in new[] { "verify", "repair", "reinstall", "verify --manifest gannet-post.meta4", "repair --manifest gannet-post.meta4" })
        {
            var refused = await home.OnAsync(words.Split(' ')[0], "gannet-post", [.. words.Split(' ')[1..], .. words[0] == 'v' ? [] : new[] { "-y" }]);
            refused.Code.ShouldBe(5, words + refused.Err);
            refused.Err.ShouldContain("The manifest is not signed.");
        }

        (await home.MuktaAsync("manifest", "sign", "gannet-post.meta4", "--key", "key.pem", "--cert", "cert.pem")).Code.ShouldBe(0);
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(1);
        (await home.OnAsync("verify", "gannet-post", "--quick")).Code.ShouldBe(1);
        home.Scratch.Snapshot("games").ShouldBe(before);
        var good = await File.ReadAllTextAsync(home.Scratch.At("gannet-post.meta4"), TestContext.Current.CancellationToken);
        home.Scratch.Write("gannet-post.meta4", good.Replace("harbour", "horbour", StringComparison.Ordinal));
        var changed = await home.OnAsync("repair", "gannet-post", "-y");
        changed.Code.ShouldBe(5);
        changed.Err.ShouldContain("it was changed, or the signature is of another file");
        home.Scratch.Write("gannet-post.meta4", good);
        (await home.OnAsync("repair", "gannet-post", "-y")).Code.ShouldBe(0);
        (await home.OnAsync("check", "gannet-post", "--offline")).Code.ShouldNotBe(70);
    }

    [Fact]
    public async Task A_folders_manifest_may_be_unsigned_which_is_said_and_trust_by_hand_is_kept_to()
    {
        using var game = await GameFolder.MakeAsync();
        Write(game.Scratch, isRsa: false, hasMiddle: false);
        (await game.VerifyAsync()).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(0), a => a.Err.ShouldContain("The manifest's signature was not checked"));
        (await game.VerifyAsync("--trust", "root.pem")).Code.ShouldBe(5);
        (await game.MuktaAsync("manifest", "sign", "game.meta4", "--key", "key.pem", "--cert", "cert.pem")).Code.ShouldBe(0);
        (await game.VerifyAsync("--trust", "root.pem")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(0, a.Err), a => a.Err.ShouldNotContain("was not checked"));
        (await game.MuktaAsync("verify", "game", "--trust", "root.pem")).Code.ShouldBe(2);
        (await game.VerifyAsync("--trust", "game.meta4")).Code.ShouldBe(2);
        var other = new Certificates(isRsa: false);
        game.Scratch.Write("other.pem", Certificates.KeyOf(other.Publisher));
        (await game.MuktaAsync("manifest", "sign", "game.meta4", "--key", "other.pem", "--cert", "cert.pem", "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("not the certificate's private key"));
        (await game.MuktaAsync("manifest", "sign", "game.meta4", "--cert", "cert.pem")).Code.ShouldBe(2);
    }

    private static void Write(Scratch scratch, bool isRsa, bool hasMiddle)
    {
        var made = new Certificates(isRsa);
        var publisher = hasMiddle ? made.Publisher
            : Certificates.Make(isRsa, "Gannet Post", made.Root, isAuthority: false, Certificates.CodeSigning, -1, 10);
        scratch.Write("root.pem", made.Root.ExportCertificatePem());
        scratch.Write("middle.pem", made.Middle.ExportCertificatePem());
        scratch.Write("only.pem", publisher.ExportCertificatePem());
        scratch.Write("cert.pem", publisher.ExportCertificatePem() + (hasMiddle ? "\n" + made.Middle.ExportCertificatePem() : ""));
        scratch.Write("key.pem", Certificates.KeyOf(publisher));
    }

    private static Task<Answer> OpensslAsync(GameFolder game, string words) =>
        Programs.RunAsync(game.Scratch, "openssl", ["cms", .. words.Split(' ', StringSplitOptions.RemoveEmptyEntries)]);
}
