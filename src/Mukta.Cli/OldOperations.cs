using Mukta.Host;
using Mukta.Operations;
using Mukta.State;

namespace Mukta.Cli;

/// <summary>Deletes what finished operations keep after so many days, if the user's settings say so.</summary>
internal static class OldOperations
{
    /// <summary>
    /// Looks at the places in which this user's operations keep something. If it fails, that is said, and what was done is done.
    /// </summary>
    public static void PurgeIfWanted(Session session, OperationTools tools, CancellationToken cancel)
    {
        if (UserSettings.Now.PurgeAfterDays is not { } days || tools.OptionsForUndo.Length > 0)
            return;
        var machine = Machine.Here(UserEnvironment.Get);
        var before = tools.Time.GetUtcNow().AddDays(-days);
        var catalog = new OperationCatalog(
            machine.Home, tools.Time, new Host.SystemUndo(tools.Services, cancel) { Units = new HashSet<string>() });
        try
        {
            var all = catalog.All([], OperationIndex.PlacesOf(machine));
            // One that was begun long ago and has ended only now is not old: it may be the one that this command has just finished.
            var recent = all.Where(o => File.GetLastWriteTimeUtc(Path.Join(o.Place, OperationRecord.FileName)) >= before.UtcDateTime)
                .Select(o => o.Id).ToHashSet(StringComparer.Ordinal);
            var old = all.Where(o => !recent.Contains(o.Id) && o.Record.Header.Started < before
                && o.State is (OperationState.Done or OperationState.Undone)).ToList();
            foreach (var operation in old)
            {
                catalog.Purge(operation, evenUnfinished: false, cancel);
                OperationIndex.TryForget(machine, operation.Id);
                session.Say(
                    $"deleted what operation {operation.Id} kept, {Units.Bytes(operation.Size.Bytes)}: it is older than "
                    + $"{Units.Count(days, "day")}");
            }
        }
        catch (MuktaException e)
        {
            session.Tell(e, "kept files of old operations stay: ");
        }
    }
}
