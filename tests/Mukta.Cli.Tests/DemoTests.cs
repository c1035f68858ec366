using Mukta.Tests;

namespace Mukta.Cli.Tests;

public sealed class DemoTests : IDisposable
{
    private readonly Scratch scratch = new();

    [Fact]
    public async Task The_demo_runs_through_without_a_terminal_and_leaves_nothing_behind()
    {
        var answer = await Programs.RunAsync(scratch, "env", $"TMPDIR={scratch.Root}", Programs.Mukta, "demo");
        answer.Code.ShouldBe(0, answer.Err);
        answer.Out.ShouldContain("$ mukta repair games/gannet-post --manifest gannet-post.meta4 --yes");
        answer.Out.ShouldContain("(1 corrupt piece rejected)");
        answer.Out.ShouldContain("gannet-post.meta4.p7s: signed by Saltlight Commons");
        (answer.Out + answer.Err).ShouldContain("The manifest is not what was signed: it was changed");
        answer.Out.ShouldContain("Case 1 is fixed by module-service, and closed.");
        answer.Out.ShouldContain("case-1.html: Case 1: Gannet Post, PH-0142. Fixed by module-service, with 1 of 4 rungs tried.");
        answer.Out.ShouldContain("Bundle made: ");
        answer.Out.ShouldContain(" from stick\n");
        answer.Out.TrimEnd().Split('\n')[^1].ShouldContain("The mirror has answered");
        Directory.GetDirectories(scratch.Root).ShouldBeEmpty();
    }

    [Fact]
    public async Task The_demo_can_be_kept_to_go_on_by_hand()
    {
        var answer = await Programs.MuktaAsync(scratch, "demo", "--keep", "kept");
        answer.Code.ShouldBe(0, answer.Err);
        var lines = answer.Out[answer.Out.IndexOf("\ncd ", StringComparison.Ordinal)..].TrimEnd();
        var pasted = await Programs.RunAsync(scratch, "bash", "-c", $"{lines} --yes; code=$?; kill %1; exit $code");
        pasted.Code.ShouldBe(0, pasted.Out + pasted.Err);
        (await Programs.RunAsync(scratch, Programs.StandIns, "break", "kept")).Code.ShouldBe(0);
        (await Programs.MuktaAsync(scratch, "verify", "kept/games/gannet-post", "--manifest", "kept/gannet-post.meta4")).Code.ShouldBe(1);
        (await Programs.MuktaAsync(scratch, "demo", "--keep", "kept")).Code.ShouldBe(2, "a folder in use is left alone");
    }

    public void Dispose() => scratch.Dispose();
}
