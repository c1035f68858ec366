using Mukta.Cli.Tests;
using Mukta.Tests;

namespace Mukta.Attacks.Tests;

/// <summary>What somebody does to lead Mukta astray, or what breaks around it.</summary>
/// <param name="Name">What it is, as a sentence without its full stop.</param>
/// <param name="Act">Sets it up, runs Mukta and says what has to hold. That nothing outside is touched, and that no run ends as a defect,
/// hangs or
/// takes much memory, is checked for each.</param>
internal sealed record Attack(string Name, Func<AttackScene, Task> Act);

/// <summary>The table of attacks and faults. A new one is a row in one of the lists.</summary>
public sealed class AttackTests
{
    private static readonly IReadOnlyDictionary<string, Attack> All = new[]
    {
        StateAttacks.Rows, ProfileAttacks.Rows, JournalAttacks.Rows, ReaderAttacks.Rows, TerminalAttacks.Rows, CaseAttacks.Rows, InstallAttacks.Rows,
        MirrorAttacks.Rows, OperationAttacks.Rows, BystanderAttacks.Rows, FirstUseAttacks.Rows, ManifestAttacks.Rows,
    }.SelectMany(r => r).ToDictionary(a => a.Name);

    /// <summary>
    /// All rows for a program that was published, as in CI; else some by a seed.
    /// MUKTA_ROWS, a part of their names, chooses others.
    /// </summary>
    public static TheoryData<string> Names =>
        [.. Environment.GetEnvironmentVariable("MUKTA_ROWS") is { Length: > 0 } part
            ? All.Keys.Where(k => k.Contains(part, StringComparison.Ordinal))
            : Sample.OneOf(Some, All.Keys, Programs.ArePublished)];

    private const int Some = 20;

    [Theory]
    [MemberData(nameof(Names))]
    public async Task Nothing_outside_is_touched_and_nothing_ends_as_a_defect(string name)
    {
        using var scene = await AttackScene.MakeAsync();
        await All[name].Act(scene);
        scene.OutsideShouldBeUntouched();
    }
}
