using System.Globalization;
using Mukta.Operations;

namespace Mukta.Host.Checks;

/// <summary>Operations on a product that were begun and have not ended. Pure.</summary>
public static class PendingFindings
{
    /// <summary>Says of each its state, and what to do.</summary>
    public static IEnumerable<CheckFinding> Of(IEnumerable<PendingOperation> pending) => pending.Select(Of);

    /// <summary>The same as two sentences each: its state, and what to do.</summary>
    public static IEnumerable<(string Seen, string Advice)> Sentences(IEnumerable<PendingOperation> pending) =>
        Of(pending).Select(f => ($"{f.Seen}.", $"{char.ToUpperInvariant(f.Advice![0])}{f.Advice[1..]}"));

    private static CheckFinding Of(PendingOperation pending)
    {
        var header = pending.Record.Header;
        var what = string.Create(
            CultureInfo.InvariantCulture,
            $"{Article(header.Command)} {header.Command} that was begun {header.Started.ToLocalTime():yyyy-MM-dd HH:mm}");
        var (seen, advice) = pending.State switch
        {
            OperationState.Running => ($"{what} is running", "wait until it has finished"),
            OperationState.Waiting => (
                $"{what} waits for a restart",
                $"restart the machine and run the same command again, or go back with: mukta undo {header.Operation}"),
            OperationState.BeingUndone => ($"{what} was undone in part", $"finish that with: mukta undo {header.Operation}"),
            _ => ($"{what} has not ended", $"run the same command again to finish it, or go back with: mukta undo {header.Operation}"),
        };
        return new CheckFinding(FindingKind.OperationPending, Verdict.Warning, header.Operation, seen, Advice: advice);
    }

    private static string Article(string word) => "aeiou".Contains(word[0], StringComparison.Ordinal) ? "an" : "a";
}
