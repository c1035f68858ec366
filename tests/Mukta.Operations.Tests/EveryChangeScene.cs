using System.Text;
using Mukta.Disk;
using Mukta.Tests;

namespace Mukta.Operations.Tests;

/// <summary>Every kind of change, singly and in a batch.</summary>
internal sealed class EveryChangeScene : ICrashScene
{
    private readonly Tree tree = new();

    public Tree Tree => tree;

    public IReadOnlyList<string> Roots => [tree.Scratch.Root];

    public List<string> Look() =>
        [.. tree.Look().Select(f => $"{f.Key} {f.Value} {File.GetLastWriteTimeUtc(tree.Scratch.At("place", f.Key)).Ticks}")];

    public void Run()
    {
        using var folder = Folder.Open(tree.Place);
        if (!Directory.Exists(tree.Scratch.At("place/.mukta")))
            folder.EnsureFolder(".mukta", isLasting: true);
        var left = OperationRecord.In(folder, KeptArea.OfInstall).LastOrDefault(r => !r.IsEnded);
        using var area = left is null ? KeptArea.Begin(folder, KeptArea.OfInstall, Tree.Header()) : KeptArea.Resume(folder, left.Path);
        if (folder.Look("a")?.Mode != 0b111_101_101)
            area.SetMode("a", 0b111_101_101);
        if (folder.Look("full/one") is not null)
            area.EmptyFolder("full");
        if (folder.Look("deep/er/c") is not null)
        {
            area.EnsureFolder("other/place");
            if (folder.Look("other/place/c") is null)
                area.Rename("deep/er/c", "other/place/c");
        }

        area.RemoveEmptyFolders("deep/er");
        area.MakeMissingFolders(["wide/one", "wide/two/deep"]);
        Stage(folder, "staged-b", "B");
        if (folder.ReadAll("b", 100).AsSpan().SequenceEqual("b"u8))
            area.Replace("staged-b", "b");
        Stage(folder, "staged-d", "D");
        if (folder.Look("d") is null)
            area.Do([new Placed("d", "staged-d")]);
        Stage(folder, "patch", "P");
        if (!folder.ReadAll("a", 100).AsSpan().SequenceEqual("P"u8))
            area.Do(new Patched("a", 0, 1, "patch", 0, folder.Look("a")!.Value.ModifiedNs));
        foreach (var staged in new[] { "staged-b", "staged-d", "patch" }.Where(s => folder.Look(s) is not null))
            folder.RemoveFile(staged);
        folder.Flush("");
        area.End();
    }

    public void Check(string after)
    {
        File.ReadAllText(tree.Scratch.At("place/a")).ShouldBe("P", after);
        File.ReadAllText(tree.Scratch.At("place/b")).ShouldBe("B", after);
        File.ReadAllText(tree.Scratch.At("place/d")).ShouldBe("D", after);
        File.ReadAllText(tree.Scratch.At("place/other/place/c")).ShouldBe("c", after);
        Directory.EnumerateFileSystemEntries(tree.Scratch.At("place/full")).ShouldBeEmpty(after);
        Directory.Exists(tree.Scratch.At("place/deep")).ShouldBeFalse(after);
        Directory.EnumerateDirectories(tree.Scratch.At("place/wide"), "*", SearchOption.AllDirectories).Count().ShouldBe(3, after);
    }

    public void Undo()
    {
        while (tree.Catalog.All([tree.Place], [])
            .LastOrDefault(o => o.State != OperationState.Undone && o.Record.Header.Undoes is null) is { } last)
            tree.Undo(last.Id).NotRestored.ShouldBeEmpty();
    }

    public void UndoTheUndo()
    {
        foreach (var undo in tree.Catalog.All([tree.Place], [])
            .Where(o => o.Record.Header.Undoes is not null && o.State != OperationState.Undone).Reverse().ToList())
            tree.Undo(undo.Id).NotRestored.ShouldBeEmpty();
    }

    public void Dispose() => tree.Dispose();

    private static void Stage(Folder folder, string name, string text)
    {
        if (folder.Look(name) is not null)
            folder.RemoveFile(name);
        using var file = folder.CreateFile(name, 0b110_100_100);
        file.Write(Encoding.UTF8.GetBytes(text), 0);
        file.Flush();
    }
}
