using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Products;
using Mukta.Setup;
using Mukta.Tests;

namespace Mukta.Core.Tests.Setup;

/// <summary>The vendor's setup program: who vouches for it, how long it may take, what it says and whether that is true.</summary>
public sealed class SetupRunnerTests : IDisposable
{
    private readonly Scratch scratch = new();

    [Fact]
    public async Task One_that_hangs_is_ended_at_its_time_limit_with_its_children_and_its_last_words_are_kept()
    {
        var outcome = await RunAsync(
            "yes 2> /dev/null | head -c 300000\necho the last words\nsleep 600 & echo $! > child\nwait", TimeSpan.FromSeconds(5))
            .WaitAsync(TimeSpan.FromMinutes(2), TestContext.Current.CancellationToken);
        (outcome.End, outcome.ExitCode).ShouldBe((SetupEnd.HungUp, null));
        outcome.LastLines[^1].ShouldBe("the last words");
        outcome.LastLines.Count.ShouldBeLessThan(20);
        var child = File.ReadAllText(scratch.At("game/child")).Trim();
        (File.Exists($"/proc/{child}/stat") && !File.ReadAllText($"/proc/{child}/stat").Contains(") Z ", StringComparison.Ordinal))
            .ShouldBeFalse();
    }

    [Fact]
    public async Task Something_that_it_leaves_running_does_not_keep_it_from_being_over()
    {
        var outcome = await RunAsync("sleep 20 &\necho ready", TimeSpan.FromSeconds(15));
        (outcome.End, outcome.ExitCode, outcome.LastLines)
            .ShouldSatisfyAllConditions(
            o => o.End.ShouldBe(SetupEnd.Done), o => o.ExitCode.ShouldBe(0), o => o.LastLines.ShouldBe(["ready"]));
    }

    [Theory]
    [InlineData("exit 0", SetupEnd.Done)]
    [InlineData("exit 7", SetupEnd.Done)]
    [InlineData("exit 10", SetupEnd.NeedsRestart)]
    [InlineData("exit 1", SetupEnd.Failed)]
    [InlineData("kill -9 $$", SetupEnd.Failed)]
    [InlineData("rm data/key", SetupEnd.NotTrue)]
    [InlineData("echo altered > data/key", SetupEnd.NotTrue)]
    public async Task Its_exit_code_is_read_as_the_profile_says_and_it_is_not_taken_at_its_word(string does, SetupEnd end) =>
        (await RunAsync(does, TimeSpan.FromSeconds(30))).End.ShouldBe(end);

    [Theory]
    [InlineData("active", SetupEnd.Done)]
    [InlineData("reloading", SetupEnd.Done)]
    [InlineData("inactive", SetupEnd.NotTrue)]
    [InlineData("failed", SetupEnd.NotTrue)]
    public async Task A_service_that_it_should_have_started_has_to_be_up(string state, SetupEnd end)
    {
        var (setup, manifest) = Made("exit 0", TimeSpan.FromSeconds(30));
        using var folder = Folder.Open(scratch.At("game"));
        var outcome = await new SetupRunner(new FakeServices { Active = state }, TimeProvider.System).RunAsync(
            folder, setup with { Then = new SetupResult(["pier.service"], []) }, "repair", manifest, TestContext.Current.CancellationToken);
        outcome.End.ShouldBe(end);
    }

    [Fact]
    public async Task Its_arguments_reach_it_one_by_one_and_no_shell_sees_them()
    {
        var outcome = await RunAsync("printf '%s.' \"$@\"; echo; pwd", TimeSpan.FromSeconds(30), "two words", "$(touch gone)", "*");
        outcome.LastLines.ShouldBe(["two words.$(touch gone).*.", scratch.At("game")]);
        File.Exists(scratch.At("game/gone")).ShouldBeFalse();
    }

    [Theory]
    [InlineData(0, true)]
    [InlineData(1234, false)]
    public void Root_runs_a_script_by_its_path_only_if_nobody_else_could_change_it(uint owner, bool isByPath)
    {
        Need.Root();
        scratch.Write("game/bin/setup", System.Text.Encoding.UTF8.GetBytes("#!/bin/sh\n"), Scratch.Program);
        using var install = Folder.Open(scratch.At("game"));
        var manifest = ManifestMaker.Make(install, new ManifestRequest { Product = "pier" }, null, TestContext.Current.CancellationToken).Manifest;
        using (var chown = System.Diagnostics.Process.Start("chown", ["-R", $"{owner}:{owner}", scratch.At("game")]))
            chown.WaitForExit();
        using var program = ProvenProgram.Open(install, "bin/setup", manifest, TestContext.Current.CancellationToken);
        program.ToRun.ShouldStartWith(isByPath ? scratch.At("game/bin/setup") : "/proc/self/fd/");
    }

    [Fact]
    public async Task What_is_run_is_what_was_proven_whatever_takes_its_place_meanwhile()
    {
        scratch.Write("game/bin/setup", File.ReadAllBytes("/bin/true"), Scratch.Program);
        scratch.Write("game/data/key", "published");
        scratch.Write("good", File.ReadAllBytes("/bin/true"), Scratch.Program);
        scratch.Write("evil", File.ReadAllBytes("/usr/bin/touch"), Scratch.Program);
        using var folder = Folder.Open(scratch.At("game"));
        var manifest = ManifestMaker.Make(
            folder, new ManifestRequest { PieceLength = 65536 }, null, TestContext.Current.CancellationToken).Manifest;
        var setup = new SetupProgram(
            "bin/setup", new Dictionary<string, SetupAction>
            {
                ["repair"] = new([scratch.At("canary")], TimeSpan.FromSeconds(30), [0], []),
            },
            new SetupResult([], []));
        using var stopping = new CancellationTokenSource();
        var swapping = Task.Run(() =>
        {
            while (!stopping.IsCancellationRequested)
            {
                foreach (var next in new[] { "evil", "good" })
                {
                    File.Copy(scratch.At(next), scratch.At("next"), overwrite: true);
                    File.Move(scratch.At("next"), scratch.At("game/bin/setup"), overwrite: true);
                }
            }
        }, TestContext.Current.CancellationToken);
        var runs = 0;
        for (var i = 0; i < 300; i++)
        {
            try
            {
                await new SetupRunner(new FakeServices(), TimeProvider.System)
                    .RunAsync(folder, setup, "repair", manifest, TestContext.Current.CancellationToken);
                runs++;
            }
            catch (MuktaException e)
            {
                e.Code.ShouldBe(ExitCode.NotTrusted);
            }
        }

        await stopping.CancelAsync();
        await swapping;
        File.Exists(scratch.At("canary")).ShouldBeFalse($"{runs} runs were of the published program");
    }

    [Fact]
    public async Task It_is_run_only_while_its_bytes_are_the_published_ones()
    {
        var (setup, manifest) = Made("touch run", TimeSpan.FromSeconds(30));
        using var folder = Folder.Open(scratch.At("game"));
        scratch.Flip("game/bin/setup", 12);
        await Refused(manifest);
        File.Delete(scratch.At("game/bin/setup"));
        File.CreateSymbolicLink(scratch.At("game/bin/setup"), scratch.Write("elsewhere", "#!/bin/sh\ntouch run\n"));
        await Refused(manifest);
        await Refused(manifest with { Files = [] });
        File.Exists(scratch.At("game/run")).ShouldBeFalse();

        async Task Refused(Manifest vouching) =>
            (await Should.ThrowAsync<MuktaException>(
            () => new SetupRunner(new FakeServices(), TimeProvider.System).RunAsync(folder, setup, "repair", vouching, default)))
            .Code.ShouldBe(ExitCode.NotTrusted);
    }

    public void Dispose() => scratch.Dispose();

    private (SetupProgram Setup, Manifest Manifest) Made(string script, TimeSpan limit, params string[] arguments)
    {
        scratch.Write("game/bin/setup", System.Text.Encoding.UTF8.GetBytes($"#!/bin/sh\n{script}\n"), Scratch.Program);
        scratch.Write("game/data/key", "a key");
        using var folder = Folder.Open(scratch.At("game"));
        var manifest = ManifestMaker.Make(folder, new ManifestRequest { PieceLength = 4096 }, null, default).Manifest;
        return (new SetupProgram(
            "bin/setup", new Dictionary<string, SetupAction> { ["repair"] = new(arguments, limit, [0, 7], [10]) },
            new SetupResult([], ["data/key"])), manifest);
    }

    private async Task<SetupOutcome> RunAsync(string script, TimeSpan limit, params string[] arguments)
    {
        var (setup, manifest) = Made(script, limit, arguments);
        using var folder = Folder.Open(scratch.At("game"));
        return await new SetupRunner(new FakeServices(), TimeProvider.System)
            .RunAsync(folder, setup, "repair", manifest, TestContext.Current.CancellationToken);
    }
}
