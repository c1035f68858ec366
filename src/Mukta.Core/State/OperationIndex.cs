using System.Globalization;
using Mukta.Operations;

namespace Mukta.State;

/// <summary>
/// Which operations there were, and in which folders they hold something. What each has done is in its own record beside
/// what it holds: that travels with a disk, outlives this database, and is on the same file system as what it tells of.
/// </summary>
/// <param name="database">The database.</param>
public sealed class OperationIndex(StateDatabase database)
{
    /// <summary>Remembers that an operation has begun.</summary>
    /// <param name="header">The operation.</param>
    /// <param name="place">The folder of held areas that it uses.</param>
    public void Put(OperationHeader header, string place) => database.With(
        "INSERT INTO operation (id, place, command, product, release, started) VALUES ($id, $place, $command, $product, $release, "
        + "$started) ON CONFLICT DO NOTHING",
        command => command.ExecuteNonQuery(),
        ("$id", header.Operation), ("$place", place), ("$command", header.Command), ("$product", header.Product),
        ("$release", header.Release),
        ("$started", header.Started.ToString("O", CultureInfo.InvariantCulture)));

    /// <summary>Forgets an operation that holds nothing any more.</summary>
    public void Forget(string id) =>
        database.With("DELETE FROM operation WHERE id = $id", command => command.ExecuteNonQuery(), ("$id", id));

    /// <summary>The folders of held areas that are remembered.</summary>
    public IReadOnlyList<string> Places() => database.With("SELECT DISTINCT place FROM operation ORDER BY place", command =>
    {
        var places = new List<string>();
        using var rows = command.ExecuteReader();
        while (rows.Read())
            places.Add(rows.GetString(0));
        return places;
    });

    /// <summary>The latest operation on a product that has begun since a time; null for none, or without a database.</summary>
    public static string? LatestOf(Host.Machine machine, string product, DateTimeOffset since)
    {
        try
        {
            using var database = StateDatabase.OpenToRead(machine.Folders.State);
            return database?.With(
                "SELECT id FROM operation WHERE product = $product AND started >= $since ORDER BY started DESC, id DESC LIMIT 1",
                command => (string?)command.ExecuteScalar(), ("$product", product),
                ("$since", since.ToUniversalTime().ToString("O", CultureInfo.InvariantCulture)));
        }
        catch (MuktaException)
        {
            return null;
        }
    }

    /// <summary>The folders of held areas of a user's database; none where there is no database that can be read.</summary>
    public static IReadOnlyList<string> PlacesOf(Host.Machine machine)
    {
        try
        {
            using var database = StateDatabase.OpenToRead(machine.Folders.State);
            return database is null ? [] : [.. new OperationIndex(database).Places().Select(machine.At)];
        }
        catch (MuktaException)
        {
            return [];
        }
    }

    /// <summary>Forgets an operation, if the state can be opened: it only remembers a place that is checked in vain.</summary>
    public static void TryForget(Host.Machine machine, string id)
    {
        try
        {
            using var database = StateDatabase.Open(machine.Folders.State);
            new OperationIndex(database).Forget(id);
        }
        catch (MuktaException)
        {
            // See above.
        }
    }

    /// <summary>Remembers an operation if the database can be written. What it has done is found without it as well.</summary>
    public static void TryPut(Host.Machine machine, OperationHeader header, string place)
    {
        try
        {
            using var database = StateDatabase.Open(machine.Folders.State);
            new OperationIndex(database).Put(header, machine.NameOf(Path.GetFullPath(place)));
        }
        catch (MuktaException)
        {
            // A full disk or a folder of somebody else's must not keep an operation from being done.
        }
    }
}
