using System.Globalization;
using Mukta.Fetching;

namespace Mukta.State;

/// <summary>The newest releases that a user's database remembers.</summary>
/// <param name="stateFolder">The user's folder for state.</param>
public sealed class SeenReleases(string stateFolder) : ISeenReleases
{
    /// <inheritdoc/>
    public SeenRelease? Newest(string product, string trust)
    {
        using var database = StateDatabase.OpenToRead(stateFolder);
        return database?.With(
            "SELECT sequence, release, at FROM seen WHERE product = $product AND trust = $trust", command =>
        {
            using var rows = command.ExecuteReader();
            return !rows.Read() ? null
                : new SeenRelease(
                rows.GetInt64(0), rows.IsDBNull(1) ? null : rows.GetString(1),
                DateTimeOffset.Parse(rows.GetString(2), CultureInfo.InvariantCulture));
        }, ("$product", product), ("$trust", trust));
    }

    /// <inheritdoc/>
    public void Remember(string product, string trust, SeenRelease release)
    {
        try
        {
            Put(product, trust, release);
        }
        catch (MuktaException)
        {
            // Then an older one is taken next time, as on the first day.
        }
    }

    private void Put(string product, string trust, SeenRelease release)
    {
        using var database = StateDatabase.Open(stateFolder);
        database.With(
            "INSERT INTO seen (product, trust, sequence, release, at) VALUES ($product, $trust, $sequence, $release, $at) "
            + "ON CONFLICT DO UPDATE SET sequence = excluded.sequence, release = excluded.release, at = excluded.at "
            + "WHERE excluded.sequence > sequence", command => command.ExecuteNonQuery(),
            ("$product", product), ("$trust", trust), ("$sequence", release.Sequence), ("$release", release.Release),
            ("$at", release.At.ToString("O", CultureInfo.InvariantCulture)));
    }
}
