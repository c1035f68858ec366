namespace Mukta.Tests;

/// <summary>Something that an operation works on, made anew for each crash.</summary>
public interface ICrashScene : IDisposable
{
    /// <summary>The folders in which everything happens.</summary>
    IReadOnlyList<string> Roots { get; }

    /// <summary>Bytes, names, kinds, modes and times of everything that an undo has to bring back.</summary>
    List<string> Look();

    /// <summary>Gives the command, the first time or again.</summary>
    void Run();

    /// <summary>Fails unless the operation has done all of its work.</summary>
    void Check(string after);

    /// <summary>Fails if a user would have lost something right after the crash, before anything is run again.</summary>
    void CheckCrashed(string after)
    {
    }

    /// <summary>Undoes all that is not undone, an undo left aside.</summary>
    void Undo();

    /// <summary>Undoes the undo.</summary>
    void UndoTheUndo();
}

/// <summary>
/// Ends the world before every single change that an operation and its undo make on the disk, and cuts the power in several ways; then
/// gives the same command again. With <c>MUKTA_TESTS=all</c> every point, otherwise some by a seed that is printed and that
/// <c>MUKTA_SEED</c> sets.
/// </summary>
public static class CrashPoints
{
    private const int Sampled = 12;

    /// <summary>Tries all points of an operation: it is resumed, undone, and its undo undone. Then the same on a poorer disk.</summary>
    /// <param name="make">Makes the scene.</param>
    /// <param name="changes">How many changes the operation makes, exactly.</param>
    /// <param name="undoChanges">How many its undo makes, exactly.</param>
    public static void ForEach(Func<ICrashScene> make, int changes, int undoChanges)
    {
        var seed = Sample.Printed();
        var (run, undo) = On(make, seed, isPoor: false);
        (run.Count, undo.Count).ShouldBe(
            (changes, undoChanges),
            $"changes that the operation and its undo make:\n{string.Join('\n', run.Append("undo:").Concat(undo))}");
        using (new PoorDisk().Watching())
            On(make, seed, isPoor: true);
    }

    private static (List<string> Run, List<string> Undo) On(Func<ICrashScene> make, int seed, bool isPoor)
    {
        var (run, undo) = (Story(make, isPoor, s => { }, s => s.Run()), Story(make, isPoor, s => s.Run(), s => s.Undo()));
        foreach (var (point, loss, each) in Points(run.Count, seed, isPoor))
            Crash(make, isPoor, point, loss, each);
        foreach (var (point, loss, each) in Points(undo.Count, seed + 1, isPoor))
            CrashUndo(make, isPoor, point, loss, each);
        foreach (var (point, loss, each) in Points(run.Count, seed + 2, isPoor).Where((_, i) => Sample.IsAll || i % 3 == 0))
            CutPowerAfterResuming(make, isPoor, point, loss == Loss.Nothing ? Loss.Names : loss, each);
        foreach (var loss in Enum.GetValues<Loss>())
            CutPowerAfterTheEnd(make, isPoor, loss, seed);
        return (run, undo);
    }

    /// <summary>The points to try, each with a way in which the power is lost.</summary>
    public static IEnumerable<(int Point, Loss Loss, int Seed)> Points(int changes, int seed, bool isPoor = false)
    {
        var random = new Random(seed);
        if (!Sample.IsAll)
            return [.. Enumerable.Range(0, isPoor ? Sampled / 2 : Sampled).Select(i => (random.Next(1, changes + 1), (Loss)(i % 5), random.Next()))];
        return Enumerable.Range(1, changes).Where(p => !isPoor || p % 3 == (uint)seed % 3)
            .SelectMany(p => (isPoor ? [(Loss)(p % 5)] : new[] { Loss.Nothing, Loss.Everything, (Loss)(2 + (p % 3)) })
                .Select(l => (p, l, random.Next())));
    }

    private static List<string> Story(Func<ICrashScene> make, bool isPoor, Action<ICrashScene> before, Action<ICrashScene> run)
    {
        using var scene = make();
        before(scene);
        using var disk = new ForgettingDisk(0, scene.Roots, isPoor);
        using (disk.Watching())
            run(scene);
        return disk.Story;
    }

    private static void Crash(Func<ICrashScene> make, bool isPoor, int point, Loss loss, int seed)
    {
        var after = $"after losing {loss} at change {point} (seed {seed}{(isPoor ? ", poor disk" : "")})";
        using var scene = make();
        var before = scene.Look();
        using (var disk = new ForgettingDisk(point, scene.Roots, isPoor))
        {
            RunUntilTheEnd(disk, scene.Run);
            disk.CutPower(loss, seed);
        }

        scene.CheckCrashed(after);
        Told(after, scene.Run);
        scene.Check(after);
        var done = scene.Look();
        Told("the undo " + after, scene.Undo);
        Same(before, scene.Look(), "undone " + after);
        Told("the undo of the undo " + after, scene.UndoTheUndo);
        Same(done, scene.Look(), "the undo undone " + after);
    }

    private static void CrashUndo(Func<ICrashScene> make, bool isPoor, int point, Loss loss, int seed)
    {
        var after = $"after losing {loss} at change {point} of the undo (seed {seed}{(isPoor ? ", poor disk" : "")})";
        using var scene = make();
        var before = scene.Look();
        scene.Run();
        using (var disk = new ForgettingDisk(point, scene.Roots, isPoor))
        {
            RunUntilTheEnd(disk, scene.Undo);
            disk.CutPower(loss, seed);
        }

        Told(after, scene.Undo);
        Same(before, scene.Look(), after);
    }

    /// <summary>What a command has said is done is still done when the power is cut right afterwards, and so is its undo.</summary>
    private static void CutPowerAfterTheEnd(Func<ICrashScene> make, bool isPoor, Loss loss, int seed)
    {
        using var scene = make();
        var before = scene.Look();
        using (var disk = new ForgettingDisk(0, scene.Roots, isPoor))
        {
            using (disk.Watching())
                scene.Run();
            disk.CutPower(loss, seed);
        }

        scene.CheckCrashed($"after losing {loss} when all was done");
        scene.Check($"after losing {loss} when all was done");
        using (var disk = new ForgettingDisk(0, scene.Roots, isPoor))
        {
            using (disk.Watching())
                scene.Undo();
            disk.CutPower(loss, seed);
        }

        Same(before, scene.Look(), $"after losing {loss} when all was undone");
    }

    /// <summary>A run is killed, the same command ends, and only then the power is cut: what the killed one had not flushed counts too.</summary>
    private static void CutPowerAfterResuming(Func<ICrashScene> make, bool isPoor, int point, Loss loss, int seed)
    {
        var after = $"after a kill at change {point}, the same command, and losing {loss} (seed {seed}{(isPoor ? ", poor disk" : "")})";
        using var scene = make();
        var before = scene.Look();
        using (var disk = new ForgettingDisk(point, scene.Roots, isPoor))
        {
            RunUntilTheEnd(disk, scene.Run);
            disk.GoOn();
            using (disk.Watching())
                Told(after, scene.Run);
            disk.CutPower(loss, seed);
        }

        scene.CheckCrashed(after);
        scene.Check(after);
        Told("the undo " + after, scene.Undo);
        Same(before, scene.Look(), "undone " + after);
    }

    private static void RunUntilTheEnd(ForgettingDisk disk, Action run)
    {
        using (disk.Watching())
        {
            try
            {
                run();
            }
            catch (Exception e) when (e is Killed || (e is AggregateException all && all.InnerExceptions.Any(i => i is Killed)))
            {
                // As planned.
            }
        }
    }

    private static void Told(string after, Action run)
    {
        try
        {
            run();
        }
        catch (Exception e) when (e is not Xunit.Sdk.XunitException)
        {
            throw new InvalidOperationException($"{after}: {e.Message}", e);
        }
    }

    public static void Same(List<string> expected, List<string> now, string after)
    {
        var differences = expected.Except(now).Select(l => "- " + l).Concat(now.Except(expected).Select(l => "+ " + l)).ToList();
        if (differences.Count > 0)
            Assert.Fail($"{after}:\n{string.Join('\n', differences)}");
    }
}
