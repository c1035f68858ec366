using Mukta.Operations;

namespace Mukta.Core.Tests;

/// <summary>Undoes what a catalog knows, as a user would: the last one first.</summary>
internal static class Undos
{
    /// <summary>Undoes every operation that is no undo.</summary>
    public static void All(OperationCatalog catalog, IReadOnlyList<string> installs)
    {
        while (catalog.All(installs, []).LastOrDefault(o => o.State != OperationState.Undone && o.Record.Header.Undoes is null) is { } last)
            One(catalog, installs, last.Id);
    }

    /// <summary>Undoes every undo.</summary>
    public static void OfUndos(OperationCatalog catalog, IReadOnlyList<string> installs)
    {
        foreach (var undo in catalog.All(installs, []).Where(o => o.Record.Header.Undoes is not null && o.State != OperationState.Undone)
            .Select(o => o.Id).Distinct().Reverse().ToList())
            One(catalog, installs, undo);
    }

    public static void One(OperationCatalog catalog, IReadOnlyList<string> installs, string id) =>
        catalog.Undo([.. catalog.All(installs, []).Where(o => o.Id == id)], null, TestContext.Current.CancellationToken)
        .NotRestored.ShouldBeEmpty();
}
