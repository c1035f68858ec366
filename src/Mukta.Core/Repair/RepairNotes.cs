using System.Globalization;
using Mukta.Operations;
using Mukta.Repair.Damage;

namespace Mukta.Repair;

/// <summary>
/// What a repair writes into its journal for whoever wants to know later: what it has downloaded, and what the damage looked like.
/// </summary>
/// <param name="Downloaded">Bytes that sources have delivered, in all runs that came to their end.</param>
/// <param name="Release">All bytes of the release; null if it is not written down.</param>
/// <param name="Causes">What the damage looked like.</param>
public sealed record RepairNotes(long Downloaded, long? Release, IReadOnlyList<FoundCause> Causes)
{
    private const string DownloadedKey = "downloaded", MillisecondsKey = "milliseconds", ReleaseKey = "release-bytes", CauseKey = "cause";

    /// <summary>How long the steps took that have downloaded it; zero if that is not written down.</summary>
    public TimeSpan Took { get; init; }

    /// <summary>Reads them. Steps that have downloaded something count too.</summary>
    public static RepairNotes Of(OperationRecord record) => new(
        record.Notes(DownloadedKey).Sum(n => Number(n.Text)) + record.Changes.OfType<StepDone>().Sum(s => s.Bytes ?? 0),
        record.Notes(ReleaseKey).LastOrDefault() is { } release ? Number(release.Text) : null,
        [
            .. record.Notes(CauseKey).Select(n => new FoundCause(
                Enum.TryParse<DamageCause>(n.Of, out var cause) ? cause : DamageCause.NotRecognised, n.Text)).DistinctBy(c => c.Evidence),
        ])
    {
        Took = TimeSpan.FromMilliseconds(record.Notes(MillisecondsKey).Sum(n => Number(n.Text))),
    };

    internal static IReadOnlyList<Change> Of(long downloaded, TimeSpan took, long release, IEnumerable<FoundCause> causes) =>
    [
        new Noted(DownloadedKey, downloaded.ToString(CultureInfo.InvariantCulture)),
        new Noted(MillisecondsKey, ((long)took.TotalMilliseconds).ToString(CultureInfo.InvariantCulture)),
        new Noted(ReleaseKey, release.ToString(CultureInfo.InvariantCulture)),
        .. causes.Select(c => new Noted(CauseKey, c.Evidence, c.Cause.ToString())),
    ];

    private static long Number(string text) =>
        long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : 0;
}
