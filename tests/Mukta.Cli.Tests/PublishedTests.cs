using System.IO.Compression;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>Manifests on a web server that nobody here has written.</summary>
public sealed class PublishedTests : IAsyncLifetime
{
    private Home home = null!;
    private int published;

    [Fact]
    public async Task A_manifest_on_the_network_is_kept_and_asked_for_again_once_it_is_old()
    {
        using var nginx = await StartAsync("gzip on; gzip_types *; gzip_min_length 1;", "fresh-for: 30min");
        (await OfflineAsync()).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(4), a => a.Err.ShouldContain("none was kept"), a => a.Err.ShouldContain(nginx.TlsUrl + "/gannet-post.meta4"));
        (await VerifyAsync()).Code.ShouldBe(0);
        (await VerifyAsync("--quick")).Code.ShouldBe(0);
        (await home.OnAsync("check", "gannet-post")).Out.ShouldNotContain("on the network");
        MakeOld(TimeSpan.FromMinutes(31));
        (await VerifyAsync()).Code.ShouldBe(0);
        (await VerifyAsync()).Code.ShouldBe(0);
        MakeOld(TimeSpan.FromDays(2));
        (await OfflineAsync()).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(0, a.Err), a => a.Err.ShouldContain("the manifest of 48 h 0 min ago is used"));
        var log = nginx.End().Where(l => l.Path.EndsWith(".meta4", StringComparison.Ordinal)).ToList();
        log.Where(l => l.Method == "GET").Select(l => (l.Status, l.Protocol)).ShouldBe([(200, "HTTP/2.0"), (304, "HTTP/2.0")]);
        log[0].BodyBytes.ShouldBeLessThan(new FileInfo(home.Scratch.At("release/gannet-post.meta4")).Length, "it comes compressed");
        (await VerifyAsync()).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(0, "nobody answers now, and what is kept goes on: " + a.Err),
            a => a.Err.ShouldContain("The manifest could not be asked for again"));
    }

    [Fact]
    public async Task What_has_to_be_signed_is_and_what_is_not_replaces_nothing_that_was_kept()
    {
        using var nginx = await StartSignedAsync();
        (await VerifyAsync()).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(5), a => a.Err.ShouldContain("The manifest is not signed: the server answers 404 for its signature"));
        (await home.MuktaAsync("manifest", "sign", "release/gannet-post.meta4", "--key", "key.pem", "--cert", "cert.pem")).Code.ShouldBe(0);
        (await VerifyAsync()).Code.ShouldBe(0);
        File.AppendAllText(home.Scratch.At("release/gannet-post.meta4"), " ");
        (await VerifyAsync("--manifest", nginx.TlsUrl + "/gannet-post.meta4")).Code.ShouldBe(5);
        MakeOld(TimeSpan.FromDays(1));
        (await VerifyAsync()).Code.ShouldBe(5);
        (await OfflineAsync()).Code.ShouldBe(0);
        foreach (var kept in Directory.EnumerateFiles(home.Scratch.At(".cache/mukta"), "*.meta4", SearchOption.AllDirectories))
            File.AppendAllText(kept, " ");
        (await OfflineAsync()).Code.ShouldBe(5, "what lies in the cache is trusted no more than what comes from the network");
    }

    [Fact]
    public async Task What_is_no_manifest_or_another_products_or_never_ends_is_refused_and_what_was_kept_stays()
    {
        home.Scratch.Write("release/x", "x");
        using (var bomb = new GZipStream(File.Create(home.Scratch.At("release/bomb")), CompressionLevel.Fastest))
        {
            var zeros = new byte[1 << 20];
            for (var i = 0; i < 300; i++)
                bomb.Write(zeros);
        }

        using var nginx = await StartAsync(
            "location = /bomb { add_header Content-Encoding gzip; } location = /odd { add_header Content-Encoding br; return 200 'x'; }"
            + " location = /away { return 302 http://127.0.0.1:PORT/gannet-post.meta4; } location = /round { return 302 /round; }", "");
        (await VerifyAsync()).Code.ShouldBe(0);
        home.Scratch.Truncate(
            Path.GetRelativePath(home.Scratch.Root, Directory.GetFiles(home.Scratch.At(".cache"), "*.meta4", SearchOption.AllDirectories)[0]), 300);
        (await VerifyAsync()).Code.ShouldBe(0, "what was kept is damaged, and is asked for anew");
        File.Copy(home.Scratch.At("kelp-and-kiln.meta4"), home.Scratch.At("release/kelp.meta4"));
        home.Scratch.Write("release/page", "<html><body>Sign in to the harbour's network</body></html>");
        foreach (var (path, code, says) in new[]
        {
            ("page", 2, "not a Metalink"), ("kelp.meta4", 5, "This is the manifest of kelp-and-kiln, not of gannet-post."),
            ("nowhere", 4, "the server answers 404"), ("bomb", 4, "it is longer than 256.0 MiB"), ("odd", 4, "encoded in a way that was not asked for"),
            ("away", 4, "the server answers 302"), ("round", 4, "the server answers 302"),
        })
        {
            var refused = await VerifyAsync("--manifest", $"{nginx.TlsUrl}/{path}");
            refused.Code.ShouldBe(code, path + refused.Err);
            refused.Err.ShouldContain(says, customMessage: path);
        }

        File.Copy(home.Scratch.At("release/page"), home.Scratch.At("release/gannet-post.meta4"), overwrite: true);
        MakeOld(TimeSpan.FromDays(1));
        (await VerifyAsync()).Code.ShouldBe(2);
        (await OfflineAsync()).Code.ShouldBe(0);
    }

    [Fact]
    public async Task An_older_or_expired_manifest_from_the_network_is_refused_and_a_file_by_name_is_not()
    {
        using var nginx = await StartSignedAsync();
        await PublishAsync("41", "2039-01-31");
        (await VerifyAsync()).Code.ShouldBe(0);
        await PublishAsync("40", "2039-01-31");
        await RefusedAsync("The server offers an older release than it did on");
        await PublishAsync(null, "2039-01-31");
        await RefusedAsync("without a number");
        (await VerifyAsync("--offline")).Code.ShouldBe(0, "what was kept stays");
        await PublishAsync("42", "2024-01-31");
        await RefusedAsync("The manifest expired on 2024-01-31, by this machine's clock");
        (await VerifyAsync("--manifest", "release/gannet-post.meta4")).Code.ShouldBe(0, "whoever names a file means it");
        await PublishAsync("42", "2039-01-31");
        (await VerifyAsync()).Code.ShouldBe(0);
        Directory.Delete(home.Scratch.At(".cache/mukta"), recursive: true);
        await PublishAsync("41", "2039-01-31");
        (await VerifyAsync()).Code.ShouldBe(5, "what was seen is not remembered in the cache only");

        async Task PublishAsync(string? sequence, string expires)
        {
            string[] numbered = sequence is null ? [] : ["--sequence", sequence];
            var again = await home.MuktaAsync([
                "manifest", "make", "mirror/gannet-post/1.4.2", "--product", "gannet-post", "--release", "1.4.2", "--expires", expires, "--yes",
                "--out", "release/gannet-post.meta4", .. numbered]);
            again.Code.ShouldBe(0, again.Err);
            (await home.MuktaAsync(
                "manifest", "sign", "release/gannet-post.meta4", "--key", "key.pem", "--cert", "cert.pem", "--yes")).Code.ShouldBe(0);
            MakeNew("release/gannet-post.meta4");
            if (Directory.Exists(home.Scratch.At(".cache/mukta/manifests")))
                MakeOld(TimeSpan.FromDays(1));
        }

        async Task RefusedAsync(string says)
        {
            foreach (var command in new[] { "verify", "repair" })
            {
                var refused = await home.MuktaWithAsync(
                    [$"SSL_CERT_FILE={home.Scratch.At("mirror.crt")}"], [command, "gannet-post", "--profiles", "profiles",
                    .. command == "repair" ? ["-y"] : Array.Empty<string>()]);
                refused.Code.ShouldBe(5, refused.Err);
                refused.Err.ShouldContain(says);
            }
        }
    }

    [Fact]
    public async Task An_index_says_which_release_is_current_and_any_of_them_can_be_named()
    {
        using var nginx = await StartSignedAsync();
        InProfile($"url: {nginx.TlsUrl}/gannet-post.meta4", $"index: {nginx.TlsUrl}/gannet-post.json");
        home.Scratch.CopyTree("mirror/gannet-post/1.4.2", "mirror/gannet-post/1.5.0");
        home.Scratch.Fill("mirror/gannet-post/1.5.0/maps/new.pak", 70_000, 9);
        await PublishAsync("1.4.2", 41);
        await PublishAsync("1.5.0", 42);
        await IndexAsync("""{"release":"1.4.2","sequence":41,"manifest":"1.4.2.meta4"},{"release":"1.5.0","sequence":42,"channel":"beta","manifest":"1.5.0.meta4"}""");

        var listed = await OnAsync("manifest", "releases", "gannet-post");
        listed.Code.ShouldBe(0, listed.Err);
        listed.Out.ShouldStartWith("Gannet Post: 1.4.2 is current, 2 releases listed\n  signed by Gannet Post\n  1.5.0  release 42     beta\n  1.4.2  release 41     stable     current\n");
        (await OnAsync("manifest", "releases", "gannet-post", "--json")).Json.GetProperty("releases")[1].GetProperty("isCurrent").GetBoolean().ShouldBeTrue();
        (await VerifyAsync()).Out.ShouldStartWith("Intact: gannet-post 1.4.2 (release 41)");
        (await VerifyAsync("--release", "1.5.0")).Out.ShouldContain("Next: mukta repair gannet-post --profiles profiles --release 1.5.0");
        (await VerifyAsync("--release", "1.6.0")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("The index lists no release 1.6.0."));

        await IndexAsync("""{"release":"1.4.2","sequence":41,"manifest":"1.4.2.meta4"},{"release":"1.5.0","sequence":42,"manifest":"1.5.0.meta4"}""");
        MakeOld(TimeSpan.FromDays(1));
        (await OnAsync("repair", "gannet-post", "-y")).Code.ShouldBe(0, "an update is a repair");
        File.Exists(home.Scratch.At("games/gannet-post/maps/new.pak")).ShouldBeTrue();
        (await OnAsync("repair", "gannet-post", "-y", "--release", "1.4.2")).Code.ShouldBe(0, "and so is the way back");
        File.Exists(home.Scratch.At("games/gannet-post/maps/new.pak")).ShouldBeFalse();
        (await VerifyAsync("--offline")).Code.ShouldBe(1, "the newest release is another");
        (await OnAsync("check", "gannet-post", "--offline")).Out.ShouldNotContain("cannot be compared");

        foreach (var (index, code, says) in new[]
        {
            ("""{"release":"1.5.0","sequence":43,"manifest":"1.4.2.meta4"}""", 5, "The index says that this is 1.5.0 (release 43), and it is 1.4.2 (release 41)."),
            ("""{"release":"1.4.2","sequence":41,"manifest":"1.4.2.meta4"}""", 5, "The server offers an older release"),
            ("""{"release":"1.5.0","sequence":42,"manifest":"http://127.0.0.1:1/1.5.0.meta4"}""", 5, "manifests are not taken from"),
            ("""{"release":"1.5.0","sequence":42,"manifest":"file:///etc/passwd"}""", 5, "manifests are not taken from"),
            ("""{"release":"1.5.0","sequence":-1,"manifest":"1.5.0.meta4"}""", 2, "below 0"),
            ("", 2, "it lists none"),
        })
        {
            await IndexAsync(index);
            MakeOld(TimeSpan.FromDays(1));
            var refused = await VerifyAsync();
            refused.Code.ShouldBe(code, index + refused.Err);
            refused.Err.ShouldContain(says);
        }

        await IndexAsync("""{"release":"1.5.0","sequence":42,"manifest":"1.5.0.meta4"}""", "2024-01-31T00:00:00Z");
        MakeOld(TimeSpan.FromDays(1));
        (await VerifyAsync()).Err.ShouldContain("The index of releases expired on 2024-01-31");
    }

    [Fact]
    public async Task An_update_says_from_where_to_where_and_downloads_what_a_comparison_promises()
    {
        using var nginx = await StartSignedAsync();
        InProfile($"url: {nginx.TlsUrl}/gannet-post.meta4", $"index: {nginx.TlsUrl}/gannet-post.json");
        var (old, later) = ("mirror/gannet-post/1.4.2", "mirror/gannet-post/1.5.0");
        home.Scratch.Fill($"{old}/maps/large.pak", 9_000_000, 5);
        home.Scratch.CopyTree(old, later);
        home.Scratch.Fill($"{later}/maps/new.pak", 1_500_000, 9);
        home.Scratch.Flip($"{later}/maps/large.pak", 4_000_000);
        home.Scratch.Flip($"{later}/maps/large.pak", 2_500_000);
        home.Scratch.Write($"{later}/maps/moved.pak", File.ReadAllBytes(home.Scratch.At($"{old}/maps/large.pak"))[(2 << 20)..(3 << 20)]);
        File.Move(home.Scratch.At($"{later}/maps/harbour.pak"), home.Scratch.At($"{later}/maps/haven.pak"));
        await PublishAsync("1.4.2", 41, isOnMirror: false);
        await PublishAsync("1.5.0", 42, isOnMirror: false);
        await IndexAsync("""{"release":"1.4.2","sequence":41,"manifest":"1.4.2.meta4"}""");
        (await OnAsync("repair", "gannet-post", "-y", "--from", old)).Code.ShouldBe(0);
        (await OnAsync("installs", "gannet-post")).Out.ShouldNotContain("behind");

        await IndexAsync("""{"release":"1.4.2","sequence":41,"manifest":"1.4.2.meta4"},{"release":"1.5.0","sequence":42,"manifest":"1.5.0.meta4"}""");
        MakeOld(TimeSpan.FromDays(1));
        (await OnAsync("installs", "gannet-post")).ShouldSatisfyAllConditions(
            a => a.Out.ShouldContain("behind: 1.4.2 is installed, 1.5.0 is published"),
            a => a.Out.ShouldContain("Next: mukta repair gannet-post --profiles profiles --dry-run"));
        (await OnAsync("installs", "gannet-post", "--json")).Json.GetProperty("products")[0].GetProperty("installs")[0].GetProperty("behind")
            .GetProperty("version").GetString().ShouldBe("1.4.2");
        (await VerifyAsync()).Out.ShouldContain("Older: the last repair brought this install to gannet-post 1.4.2 (release 41)");
        var promised = (await home.MuktaAsync("manifest", "compare", "release/1.4.2.meta4", "release/1.5.0.meta4", "--json")).Json
            .GetProperty("bytesToFetch").GetInt64();
        promised.ShouldBeGreaterThan(1_500_000);
        using var mirror = await Mirror.StartAsync(home.Scratch, later);
        (await OnAsync("repair", "gannet-post", "--dry-run", "--from", mirror.Url)).Out.ShouldContain("\n  update       from 1.4.2 to 1.5.0\n  download ");
        var done = await OnAsync("repair", "gannet-post", "-y", "--json", "--from", mirror.Url);
        done.Code.ShouldBe(0, done.Err);
        done.Json.GetProperty("plan").GetProperty("from").GetProperty("version").GetString().ShouldBe("1.4.2");
        ((double)Mirror.BodyBytes(mirror.End())).ShouldBe(promised, promised * 0.02);
        home.Scratch.Snapshot("games/gannet-post").ShouldBe(home.Scratch.Snapshot(later));

        foreach (var command in new[] { "repair", "reinstall" })
        {
            (await OnAsync(command, "gannet-post", "-y", "--manifest", "release/1.4.2.meta4")).ShouldSatisfyAllConditions(
                a => a.Code.ShouldBe(5, command),
                a => a.Err.ShouldContain("The install is newer than the manifest: gannet-post 1.5.0 (release 42) instead of gannet-post 1.4.2 (release 41)."),
                a => a.Err.ShouldContain($"mukta {command} gannet-post"));
        }

        var back = await OnAsync("reinstall", "gannet-post", "-y", "--release", "1.4.2", "--from", old);
        back.Code.ShouldBe(0, back.Err);
        home.Scratch.Snapshot("games/gannet-post").ShouldBe(home.Scratch.Snapshot(old));
    }

    [Fact]
    public async Task A_machine_that_has_never_had_a_network_takes_a_signed_manifest_from_a_bundle_and_no_other()
    {
        string release, trusted;
        using (var nginx = await StartSignedAsync())
        {
            await SignAsync("release/gannet-post.meta4");
            release = File.ReadAllText(home.Scratch.At("profiles/gannet-post.yaml"));
            home.Scratch.Flip("games/gannet-post/maps/harbour.pak", 10);
            var found = await VerifyAsync("--json");
            home.Scratch.Write("found.json", found.Out);
            (await OnAsync("bundle", "make", "--for", "found.json", "--out", "stick")).Code.ShouldBe(0);
            File.Exists(home.Scratch.At("stick/data/manifests/gannet-post.meta4.p7s")).ShouldBeTrue();
            trusted = release;
        }

        Directory.Delete(home.Scratch.At(".cache/mukta"), recursive: true);
        File.WriteAllText(home.Scratch.At("profiles/gannet-post.yaml"), trusted.Replace("trust: [root.pem]", "", StringComparison.Ordinal));
        (await OnAsync("repair", "gannet-post", "-y", "--from", "stick", "--offline")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(4, "nobody vouches for what is on a stick"), a => a.Err.ShouldContain("none was kept"));
        File.WriteAllText(home.Scratch.At("profiles/gannet-post.yaml"), trusted);
        File.AppendAllText(home.Scratch.At("stick/data/manifests/gannet-post.meta4"), " ");
        (await OnAsync("repair", "gannet-post", "-y", "--from", "stick", "--offline")).Code.ShouldBe(5);
        home.Scratch.Truncate("stick/data/manifests/gannet-post.meta4", new FileInfo(home.Scratch.At("stick/data/manifests/gannet-post.meta4")).Length - 1);
        var repaired = await OnAsync("repair", "gannet-post", "-y", "--from", "stick", "--offline");
        repaired.Code.ShouldBe(0, repaired.Err);
        repaired.Out.ShouldContain(" from stick\n");
        var reinstalled = await OnAsync("reinstall", "gannet-post", "-y", "--from", "stick", "--offline");
        reinstalled.Code.ShouldBe(0, reinstalled.Err);
        (await OnAsync("verify", "gannet-post", "--manifest", "stick/data/manifests/gannet-post.meta4")).Code.ShouldBe(0);
    }

    [Fact]
    public async Task A_release_can_stand_in_the_address_of_its_manifest()
    {
        using var nginx = await StartSignedAsync();
        await PublishAsync("1.4.2", 41);
        InProfile($"url: {nginx.TlsUrl}/gannet-post.meta4", $"url: {nginx.TlsUrl}/${{release}}.meta4");
        (await VerifyAsync()).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("The address of the manifest needs the version of a release."),
            a => a.Err.ShouldContain("Name one with --release"));
        (await OnAsync("installs", "gannet-post")).Out.ShouldContain("its files cannot be compared: the address of the manifest needs");
        (await home.MuktaAsync("profile", "check", "profiles/gannet-post.yaml")).Code.ShouldBe(0);
        (await VerifyAsync("--release", "1.4.2")).Code.ShouldBe(0);
        (await VerifyAsync("--release", "..")).Code.ShouldBe(2);
        (await VerifyAsync("--release", "../1.4.2")).Err.ShouldContain($"{nginx.TlsUrl}/..%2F1.4.2.meta4");

        await IndexAsync("""{"release":"1.4.2","sequence":41}""");
        InProfile("url:", $"index: {nginx.TlsUrl}/gannet-post.json\n  url:");
        (await VerifyAsync()).Out.ShouldStartWith("Intact: gannet-post 1.4.2");
        (await OnAsync("check", "gannet-post")).Out.ShouldNotContain("cannot be compared");
        InProfile($"url: {nginx.TlsUrl}/${{release}}.meta4", "");
        (await VerifyAsync()).Err.ShouldContain("The index does not say where the manifest of 1.4.2 is.");
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task A_server_whose_certificate_is_expired_or_unknown_is_not_asked(bool isExpired)
    {
        using var nginx = await StartAsync("", "", isExpired);
        var answer = isExpired ? await VerifyAsync() : await home.OnAsync("verify", "gannet-post");
        (answer.Code, answer.Err).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(4), a => a.Err.ShouldContain("The manifest cannot be downloaded"), a => a.Err.ShouldContain("certificate"));
    }

    public async ValueTask InitializeAsync() => home = await Home.MakeAsync();

    public ValueTask DisposeAsync()
    {
        home.Dispose();
        return ValueTask.CompletedTask;
    }

    private async Task PublishAsync(string release, int sequence, bool isOnMirror = true)
    {
        string[] mirror = isOnMirror ? ["--base-url", $"{home.MirrorUrl}/gannet-post/{release}"] : [];
        (await home.MuktaAsync([
            "manifest", "make", $"mirror/gannet-post/{release}", "--product", "gannet-post", "--release", release, "--sequence", $"{sequence}",
            "--out", $"release/{release}.meta4", .. mirror])).Code.ShouldBe(0);
        await SignAsync($"release/{release}.meta4");
    }

    private async Task IndexAsync(string releases, string expires = "2039-01-31T00:00:00Z")
    {
        home.Scratch.Write(
            "release/gannet-post.json",
            $$"""{"format":"mukta.releases/1","product":"gannet-post","expires":"{{expires}}","releases":[{{releases}}]}""");
        await SignAsync("release/gannet-post.json");
    }

    private async Task SignAsync(string file)
    {
        (await home.MuktaAsync("manifest", "sign", file, "--key", "key.pem", "--cert", "cert.pem", "--yes")).Code.ShouldBe(0);
        MakeNew(file);
    }

    /// <summary>
    /// Gives a published file and its signature a second of their own: nginx tells two of the same length and second apart by nothing.
    /// </summary>
    private void MakeNew(string file)
    {
        published++;
        foreach (var name in new[] { file, file + ".p7s" })
            File.SetLastWriteTimeUtc(home.Scratch.At(name), new DateTime(2026, 1, 31, 0, 0, 0, DateTimeKind.Utc).AddSeconds(published));
    }

    private void InProfile(string before, string after)
    {
        var profile = home.Scratch.At("profiles/gannet-post.yaml");
        File.WriteAllText(profile, File.ReadAllText(profile).Replace(before, after, StringComparison.Ordinal));
    }

    /// <summary>As <see cref="StartAsync"/>, and the profile names a certificate; its key is at hand.</summary>
    private Task<Nginx> StartSignedAsync()
    {
        var made = new Certificates(isRsa: false);
        home.Scratch.Write("profiles/root.pem", made.Root.ExportCertificatePem());
        home.Scratch.Write("cert.pem", made.Publisher.ExportCertificatePem() + "\n" + made.Middle.ExportCertificatePem());
        home.Scratch.Write("key.pem", Certificates.KeyOf(made.Publisher));
        return StartAsync("", "trust: [root.pem]");
    }

    /// <summary>Gannet Post's manifest on the server, and in its profile only the address.</summary>
    private async Task<Nginx> StartAsync(string server, string more, bool isExpired = false)
    {
        home.Scratch.Write("release/x", "x");
        File.Move(home.Scratch.At("gannet-post.meta4"), home.Scratch.At("release/gannet-post.meta4"));
        var nginx = await Nginx.StartAsync(home.Scratch, server, isExpired);
        var profile = home.Scratch.At("profiles/gannet-post.yaml");
        File.WriteAllText(profile, File.ReadAllText(profile).Replace(
            "  file: ../gannet-post.meta4", $"  url: {nginx.TlsUrl}/gannet-post.meta4\n  {more}", StringComparison.Ordinal));
        return nginx;
    }

    private Task<Answer> VerifyAsync(params string[] more) => OnAsync(["verify", "gannet-post", .. more]);

    /// <summary>Runs a command that trusts the server's certificate.</summary>
    private Task<Answer> OnAsync(params string[] words) =>
        home.MuktaWithAsync([$"SSL_CERT_FILE={home.Scratch.At("mirror.crt")}"], [.. words, "--profiles", "profiles"]);

    private Task<Answer> OfflineAsync() => VerifyAsync("--offline");

    /// <summary>Makes what is kept as old as this.</summary>
    private void MakeOld(TimeSpan age)
    {
        foreach (var facts in Directory.EnumerateFiles(home.Scratch.At(".cache/mukta/manifests"), "facts.json", SearchOption.AllDirectories))
        {
            var json = System.Text.Json.Nodes.JsonNode.Parse(File.ReadAllText(facts))!;
            json["askedAt"] = DateTimeOffset.UtcNow - age;
            File.WriteAllText(facts, json.ToJsonString());
        }
    }
}
