using Mukta.Tests;

namespace Mukta.Operations.Tests;

/// <summary>
/// A run or an undo is killed at any point, and before the same command is given again, programs make anew whatever is gone. In the end,
/// what was there before is back and what was made anew is still somewhere.
/// </summary>
public sealed class MadeAnewCrashTests
{
    private static readonly string[] Paths =
        ["a", "b", "d", "deep/er/c", "other/place/c", "full/one", "full/two", "wide/one", "wide/two/deep"];

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void After_a_killed_run_neither_what_programs_make_anew_nor_what_was_there_before_is_lost(bool isPoor) => ForEach(113, isPoor, s => { }, s => s.Run());

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void After_a_killed_undo_neither_what_programs_make_anew_nor_what_was_there_before_is_lost(bool isPoor) => ForEach(115, isPoor, s => s.Run(), s => Undo(s));

    private static void ForEach(int changes, bool isPoor, Action<EveryChangeScene> before, Action<EveryChangeScene> run)
    {
        Sample.Printed();
        foreach (var point in Sample.OneOf(5, Enumerable.Range(1, changes), Sample.IsAll))
        {
            using var scene = new EveryChangeScene();
            var was = scene.Tree.Look();
            before(scene);
            using (var disk = new ForgettingDisk(point, scene.Roots, isPoor))
            using (disk.Watching())
                Should.Throw<Killed>(() => run(scene));
            var anew = MakeAnew(scene.Tree.Scratch);
            var after = $"killed at {point}{(isPoor ? ", poor disk" : "")}, then made anew: {string.Join(", ", anew)}";
            using (isPoor ? new PoorDisk().Watching() : null)
            {
                Should.NotThrow(() => run(scene), after);
                var left = Undo(scene);
                var now = scene.Tree.Look();
                foreach (var (path, look) in was.Where(w => !left.Any(l => Path.GetFileName(l.Subject) == Path.GetFileName(w.Key))))
                    now.GetValueOrDefault(path).ShouldBe(look, $"{path} {after}");
                if (was.All(w => now.GetValueOrDefault(w.Key) == w.Value))
                    left.ShouldBeEmpty(after);
            }

            var contents = Directory.EnumerateFiles(scene.Tree.Place, "*", SearchOption.AllDirectories).Select(File.ReadAllText).ToList();
            foreach (var path in anew)
                contents.ShouldContain($"anew {path}", after);
        }
    }

    private static List<string> MakeAnew(Scratch scratch)
    {
        var made = new List<string>();
        foreach (var path in Paths.Where(p => !Path.Exists(scratch.At("place", p))))
        {
            scratch.Write($"place/{path}", $"anew {path}");
            made.Add(path);
        }

        return made;
    }

    /// <summary>Undoes all, and answers what is not back.</summary>
    private static List<(string Subject, string Reason)> Undo(EveryChangeScene scene)
    {
        var left = new List<(string, string)>();
        foreach (var done in scene.Tree.Catalog.All([scene.Tree.Place], []).Where(o => o.Record.Header.Undoes is null && o.State != OperationState.Undone).Reverse())
            left.AddRange(scene.Tree.Undo(done.Id).NotRestored);
        return left;
    }
}
