using System.Text.Json;

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

    /// <summary>
    /// Kills an operation and its undo, and makes anew what is gone by then, as a program might, before the same command is given again:
    /// in the end everything is as it was before, and what was made anew is still somewhere. A third of the points at most is tried.
    /// </summary>
    /// <param name="make">Makes the scene.</param>
    /// <param name="changes">How many changes the operation makes.</param>
    /// <param name="undoChanges">How many its undo makes.</param>
    /// <param name="paths">Files that a program may make anew, relative to the first of the scene's folders.</param>
    public static void MadeAnew(Func<ICrashScene> make, int changes, int undoChanges, params string[] paths)
    {
        Sample.Printed();
        var (made, many) = (0, Sample.IsAll ? 3 : 9);
        foreach (var point in Sample.OneOf(many, Enumerable.Range(1, changes), areAll: false).Append(changes))
            MadeAnew(point, s => { }, s => s.Run(), $"after a kill at {point}");
        foreach (var point in Sample.OneOf(many, Enumerable.Range(1, undoChanges), areAll: false))
            MadeAnew(point, s => s.Run(), s => s.Undo(), $"after a kill of the undo at {point}");
        made.ShouldBeGreaterThan(0);

        void MadeAnew(int point, Action<ICrashScene> prepare, Action<ICrashScene> run, string after)
        {
            using var scene = make();
            var before = scene.Look();
            prepare(scene);
            using (var disk = new ForgettingDisk(point, scene.Roots))
                IsDone(disk, () => run(scene), after).ShouldBeFalse(after);
            string[] gone = [.. paths.Select(p => Path.Join(scene.Roots[0], p)).Where(p => !File.Exists(p))];
            foreach (var path in gone)
            {
                Directory.CreateDirectory(Path.GetDirectoryName(path)!);
                File.WriteAllText(path, $"by a program: {path}");
            }

            made += gone.Length;

            Told(after, () => run(scene));
            Told("the undo " + after, scene.Undo);
            Same(before, scene.Look(), "undone " + after);
            var contents = scene.Roots.SelectMany(r => Directory.EnumerateFiles(r, "*", SearchOption.AllDirectories)).Select(File.ReadAllText)
                .ToHashSet();
            gone.Select(p => $"by a program: {p}").ShouldAllBe(c => contents.Contains(c), after);
        }
    }

    /// <summary>Loses all that is not flushed, at each point of an operation that is quick.</summary>
    public static void LosingEverything(Func<ICrashScene> make, int changes)
    {
        for (var point = 1; point <= changes; point++)
            CrashRun(make, isPoor: false, new CrashPlan([point], false, Loss.Everything, point));
    }

    private static (List<string> Run, List<string> Undo) On(Func<ICrashScene> make, int seed, bool isPoor)
    {
        var (run, undo) = (Story(make, isPoor, s => { }, s => s.Run()), Story(make, isPoor, s => s.Run(), s => s.Undo()));
        foreach (var crash in Crashes(run.Count, seed, isPoor))
            CrashRun(make, isPoor, crash);
        foreach (var crash in Crashes(undo.Count, seed + 1, isPoor))
            CrashUndo(make, isPoor, crash);
        foreach (var loss in Enum.GetValues<Loss>())
            CutPowerAfterTheEnd(make, isPoor, loss, seed);
        return (run, undo);
    }

    /// <summary>
    /// The crashes to try: a loss of power at each point; a kill there, and the loss when the same command has ended; a kill there and
    /// another one of the same command, and the loss at once or when the third one has ended.
    /// </summary>
    private static IEnumerable<CrashPlan> Crashes(int changes, int seed, bool isPoor)
    {
        var random = new Random(seed);
        var points = Points(changes, seed, isPoor).ToList();
        foreach (var (point, loss, each) in points)
            yield return new CrashPlan([point], false, loss, each);
        foreach (var (point, loss, each) in points.Where((_, i) => i % 3 == 1 + (i / 3 % 2) || (Sample.IsAll && isPoor)))
            yield return new CrashPlan([point], true, loss == Loss.Nothing ? Loss.Names : loss, each);
        foreach (var (point, _, each) in points.Where((_, i) => i % 3 == 0))
            yield return new CrashPlan([point, random.Next(1, changes + 1)], random.Next(2) == 0, (Loss)random.Next(1, 5), each);
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

    private static void CrashRun(Func<ICrashScene> make, bool isPoor, CrashPlan crash)
    {
        var after = crash.Words("the operation", isPoor);
        using var scene = make();
        var before = scene.Look();
        var isDone = Crash(scene, isPoor, crash, scene.Run, after);
        scene.CheckCrashed(after);
        if (!isDone)
            Told(after, scene.Run);
        scene.Check(after);
        var done = scene.Look();
        Told("the undo " + after, scene.Undo);
        Same(before, scene.Look(), "undone " + after);
        Told("the undo of the undo " + after, scene.UndoTheUndo);
        Same(done, scene.Look(), "the undo undone " + after);
    }

    private static void CrashUndo(Func<ICrashScene> make, bool isPoor, CrashPlan crash)
    {
        var after = crash.Words("the undo", isPoor);
        using var scene = make();
        var before = scene.Look();
        scene.Run();
        if (!Crash(scene, isPoor, crash, scene.Undo, after))
            Told(after, scene.Undo);
        Same(before, scene.Look(), after);
        Told(after, scene.Undo); // The power may have taken the last line of one that had ended.
        NoneIsOpen(scene, after);
    }

    /// <summary>
    /// All journals have ended, and what is undone was undone by one undo, however often it was killed. A journal whose first line is not
    /// whole was never begun.
    /// </summary>
    private static void NoneIsOpen(ICrashScene scene, string after)
    {
        var undos = new HashSet<(string Undo, string Of)>();
        foreach (var file in scene.Roots.SelectMany(r => Directory.EnumerateFiles(r, "journal", SearchOption.AllDirectories)))
        {
            var lines = File.ReadAllLines(file);
            if (!File.ReadAllText(file).Contains('\n') || lines[0].Contains('\0'))
                continue;
            lines.ShouldContain(l => l.Contains("\"ended\""), after);
            var header = JsonDocument.Parse(lines[0][lines[0].IndexOf('{')..]).RootElement;
            if (header.TryGetProperty("undoes", out var undone))
                undos.Add((header.GetProperty("operation").GetString()!, undone.GetString()!));
        }

        undos.Select(u => u.Of).ShouldBeUnique(after);
    }

    /// <summary>Kills a command as planned, gives it again after each kill, and cuts the power. True if it has ended before that.</summary>
    private static bool Crash(ICrashScene scene, bool isPoor, CrashPlan crash, Action run, string after)
    {
        using var disk = new ForgettingDisk(crash.Kills[0], scene.Roots, isPoor);
        var isDone = IsDone(disk, run, after);
        foreach (var kill in crash.Kills.Skip(1).Concat(crash.EndsFirst ? [0] : Array.Empty<int>()))
        {
            if (isDone)
                break;
            disk.GoOn(kill);
            isDone = IsDone(disk, run, after);
        }

        disk.CutPower(crash.Loss, crash.Seed);
        return isDone;
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

    private static bool IsDone(ForgettingDisk disk, Action run, string after)
    {
        using (disk.Watching())
        {
            try
            {
                Told(after, run);
                return true;
            }
            catch (Exception e) when (IsKilled(e))
            {
                return false; // As planned.
            }
        }
    }

    private static bool IsKilled(Exception e) => e is Killed || (e is AggregateException all && all.InnerExceptions.Any(i => i is Killed));

    private static void Told(string after, Action run)
    {
        try
        {
            run();
        }
        catch (Exception e) when (!IsKilled(e) && e is not Xunit.Sdk.XunitException)
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

    /// <summary>How a command ends: the changes before which it is killed, counted anew each time, and the loss of power after that.</summary>
    private sealed record CrashPlan(int[] Kills, bool EndsFirst, Loss Loss, int Seed)
    {
        public string Words(string what, bool isPoor) =>
            $"after {what} was killed at change {string.Join(", again at ", Kills)}{(EndsFirst ? ", ended the next time" : "")} "
            + $"and lost {Loss} (seed {Seed}{(isPoor ? ", poor disk" : "")})";
    }
}
