namespace Mukta.Cli.Tests;

/// <summary><c>mukta services</c> against a real systemd.</summary>
public sealed class RealServicesTests(Systemd systemd) : IClassFixture<Systemd>
{
    private const string Profile = """
        format: mukta.profile/1
        product: pier
        title: Pier
        kind: anti-cheat
        installs: {places: [/opt/saltlight/pier]}
        services:
          - {unit: pier-tide.service, after: [pier-wind.service]}
          - {unit: pier-wind.service}

        """;

    [Fact]
    public async Task A_service_that_was_switched_off_and_masked_is_brought_back_and_stays_up()
    {
        await SetUpAsync("sleep infinity");
        (await systemd.InsideAsync("systemctl", "mask", "--now", "pier-tide.service")).Code.ShouldBe(0);
        var shown = await MuktaAsync();
        shown.Code.ShouldBe(1);
        shown.Out.ShouldContain("startup  masked, should be enabled");
        shown.Out.ShouldContain("Next: mukta services restore pier --profiles /opt/saltlight/profiles");

        (await RunAsync("restore")).Code.ShouldBe(2, "it asks, and there is nobody to ask");
        var dry = await RunAsync("restore", "--dry-run");
        dry.Out.ShouldContain("unmask pier-tide.service");
        (await systemd.InsideAsync("systemctl", "is-active", "pier-wind.service")).Out.ShouldBe("inactive\n");

        var restored = await RunAsync("restore", "--yes");
        restored.Code.ShouldBe(0, restored.Out + restored.Err);
        restored.Out.ShouldContain("Running, and stayed up.");
        restored.Err.IndexOf("start pier-wind", StringComparison.Ordinal)
            .ShouldBeLessThan(restored.Err.IndexOf("start pier-tide", StringComparison.Ordinal), "what is needed first comes first");
        foreach (var unit in new[] { "pier-tide.service", "pier-wind.service" })
        {
            (await systemd.InsideAsync("systemctl", "is-active", unit)).Out.ShouldBe("active\n");
            (await systemd.InsideAsync("systemctl", "is-enabled", unit)).Out.ShouldBe("enabled\n");
        }

        (await MuktaAsync()).Code.ShouldBe(0);
        (await RunAsync("restore", "--yes")).Out.ShouldContain("Nothing to do.");

        var before = (await systemd.InsideAsync("systemctl", "show", "-p", "MainPID", "pier-tide.service")).Out;
        (await RunAsync("restart", "--yes")).Code.ShouldBe(0);
        (await systemd.InsideAsync("systemctl", "show", "-p", "MainPID", "pier-tide.service")).Out.ShouldNotBe(before);

        (await RunAsync("stop", "--yes")).Code.ShouldBe(0);
        (await systemd.InsideAsync("systemctl", "is-active", "pier-tide.service")).Out.ShouldBe("inactive\n");
        (await systemd.InsideAsync("systemctl", "is-enabled", "pier-tide.service"))
            .Out.ShouldBe("enabled\n", "a stop is for now; it starts with the machine all the same");

        (await UndoAsync()).Code.ShouldBe(0);
        (await systemd.InsideAsync("systemctl", "is-active", "pier-tide.service"))
            .Out.ShouldBe("active\n", "as it was before it was stopped");
        (await UndoAsync()).Code.ShouldBe(0, "the restart: nothing to bring back");
        (await UndoAsync()).Code.ShouldBe(0);
        (await systemd.InsideAsync("systemctl", "is-enabled", "pier-tide.service"))
            .Out.ShouldBe("masked\n", "as it was before it was restored");
        (await systemd.InsideAsync("systemctl", "is-active", "pier-wind.service")).Out.ShouldBe("inactive\n");
    }

    [Fact]
    public async Task A_service_that_starts_and_dies_after_a_second_is_not_called_up_and_its_last_words_are_shown()
    {
        await SetUpAsync("sh -c 'echo the tide is out; sleep 1; exit 7'");
        var answer = await RunAsync("restore", "--yes", "--json");
        answer.Code.ShouldBe(1, answer.Err);
        answer.Json.GetProperty("failure")
            .GetString()!.ShouldContain("came up and did not stay up: it is failed now (exit-code, status 7)");
        var tide = answer.Json.GetProperty("services")[0];
        (tide.GetProperty("state").GetString(), tide.GetProperty("exitStatus").GetInt32()).ShouldBe(("failed", 7));
        tide.GetProperty("lastLines").EnumerateArray().Select(l => l.GetString()).ShouldContain("the tide is out");
        (await MuktaAsync()).Out.ShouldContain("failed, exit-code, status 7");
    }

    [Fact]
    public async Task A_unit_that_is_not_there_is_said_and_left_out()
    {
        await SetUpAsync("sleep infinity");
        await systemd.WriteAsync(
            "/opt/saltlight/profiles/pier.yaml", Profile.Replace("unit: pier-tide", "unit: pier-gone", StringComparison.Ordinal));
        var shown = await MuktaAsync("--json");
        shown.Json.GetProperty("products")[0].GetProperty("services")[0].GetProperty("load").GetString().ShouldBe("not-found");
    }

    private Task<Answer> MuktaAsync(params string[] more) =>
        systemd.InsideAsync([Systemd.Mukta, "services", "pier", "--profiles", "/opt/saltlight/profiles", .. more]);

    private Task<Answer> RunAsync(string word, params string[] more) =>
        systemd.InsideAsync([Systemd.Mukta, "services", word, "pier", "--profiles", "/opt/saltlight/profiles", .. more]);

    private Task<Answer> UndoAsync() => systemd.InsideAsync(Systemd.Mukta, "undo", "--profiles", "/opt/saltlight/profiles", "--yes");

    private async Task SetUpAsync(string tide)
    {
        systemd.Need();
        await systemd.WriteAsync("/opt/saltlight/profiles/pier.yaml", Profile);
        foreach (var (unit, command) in new[] { ("pier-tide", tide), ("pier-wind", "sleep infinity") })
        {
            (await systemd.InsideAsync(
                "sh", "-c",
                $"systemctl unmask {unit}.service; systemctl disable --now {unit}.service; systemctl reset-failed {unit}.service; true"))
                .Code.ShouldBe(0);
            await systemd.WriteAsync(
                $"/usr/lib/systemd/system/{unit}.service", $"[Service]\nExecStart=/bin/{command}\n[Install]\nWantedBy=basic.target\n");
        }

        (await systemd.InsideAsync("systemctl", "daemon-reload")).Code.ShouldBe(0);
    }
}
