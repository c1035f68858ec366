using Mukta.Disk;
using Mukta.Tests;

namespace Mukta.Operations.Tests;

/// <summary>A folder with files that operations work on, and the calls that a user's commands come to.</summary>
internal sealed class Tree : IDisposable
{
    private static readonly DateTime LongAgo = new(2026, 1, 2, 3, 4, 5, DateTimeKind.Utc);

    public Tree(bool inMemory = true)
    {
        Scratch = new Scratch(inMemory);
        Scratch.Write("place/a", "a");
        Scratch.Write("place/b", "b");
        Scratch.Write("place/deep/er/c", "c");
        Scratch.Write("place/full/one", "1");
        Scratch.Write("place/full/two", "2");
        Scratch.Write("ready/new-a", "new a");
        foreach (var path in Directory.EnumerateFileSystemEntries(Scratch.Root, "*", SearchOption.AllDirectories).Append(Scratch.Root))
            Directory.SetLastWriteTimeUtc(path, LongAgo);
    }

    public Scratch Scratch { get; }

    public string Place => Scratch.At("place");

    public OperationCatalog Catalog { get; } = new(new OperationHome("/", SharedState.Folder), TimeProvider.System);

    public static OperationHeader Header(string command = "repair", long sequence = 1, TimeProvider? time = null) =>
        OperationHeader.New(command, "pier", null, time ?? TimeProvider.System) with { Sequence = sequence };

    public KeptOperation Only => Catalog.All([Place], []).Single(o => o.Record.Header.Undoes is null);

    /// <summary>Begins an operation in the place, does something with it, and ends it.</summary>
    public string Do(Action<KeptArea> act, bool ends = true, OperationHeader? header = null)
    {
        using var folder = Folder.Open(Place);
        using var area = KeptArea.Begin(folder, KeptArea.OfInstall, header ?? Header());
        act(area);
        if (ends)
            area.End();
        return area.Header.Operation;
    }

    public UndoOutcome Undo(string? id = null)
    {
        var all = Catalog.All([Place], []);
        return Catalog.Undo(
            [.. all.Where(o => o.Id == (id ?? all.Last(l => l.Record.Header.Undoes is null).Id))], null,
            TestContext.Current.CancellationToken);
    }

    public string Journal(string id) => Scratch.At("place/.mukta/kept", id, "journal");

    public SortedDictionary<string, string> Look() => Scratch.Snapshot("place");

    public void Dispose() => Scratch.Dispose();
}
