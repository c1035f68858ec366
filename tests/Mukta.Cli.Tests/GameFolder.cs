using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>A published release in <c>release</c>, an install of it in <c>game</c>, and the manifest in <c>game.meta4</c>.</summary>
internal sealed class GameFolder : IDisposable
{
    public const int PieceLength = 64 * 1024;

    /// <summary>The manifest, which is the same for all that ask for nothing more.</summary>
    private static readonly Lazy<Task<string>> Published = new(async () =>
    {
        using var game = await MakeAsync("--yes");
        return await File.ReadAllTextAsync(game.Scratch.At("game.meta4"));
    });

    public Scratch Scratch { get; } = new();

    public static async Task<GameFolder> MakeAsync(params string[] extra)
    {
        var game = new GameFolder();
        game.Scratch.Fill("release/bin/game", 200_000, 1, Scratch.Program);
        game.Scratch.Fill("release/maps/harbour.pak", 16 * PieceLength, 2);
        game.Scratch.Fill("release/maps/pier.pak", 3 * PieceLength + 17, 3);
        game.Scratch.Fill("release/sound/gulls bank", 100, 4);
        game.Scratch.Fill("release/sound/empty.bank", 0, 5);
        File.CreateSymbolicLink(game.Scratch.At("release/start"), "bin/game");
        game.Scratch.CopyTree("release", "game");
        File.Delete(game.Scratch.At("game/start"));
        File.CreateSymbolicLink(game.Scratch.At("game/start"), "bin/game");
        if (extra.Length == 0)
            game.Scratch.Write("game.meta4", await Published.Value);
        else
            await game.PublishAsync(extra);
        return game;
    }

    private async Task PublishAsync(string[] extra)
    {
        var made = await MuktaAsync(
            ["manifest", "make", "release", "--product", "gannet-post", "--release", "1.4.2", "--sequence", "41", "--piece-size", "64KiB",
            "--out", "game.meta4", .. extra]);
        made.Code.ShouldBe(0, made.Err);
    }

    public Task<Answer> MuktaAsync(params string[] arguments) => Programs.MuktaAsync(Scratch, arguments);

    public Task<Answer> VerifyAsync(params string[] extra) => MuktaAsync(["verify", "game", "--manifest", "game.meta4", .. extra]);

    public Task<Answer> RepairAsync(params string[] extra) => MuktaAsync(["repair", "game", "--manifest", "game.meta4", .. extra]);

    /// <summary>A healthy install, strays aside.</summary>
    public void ShouldBeWhole() => Scratch.Snapshot("game").ShouldBe(Scratch.Snapshot("release"));

    public void Dispose() => Scratch.Dispose();
}
