using System.Globalization;

namespace Mukta.State;

/// <summary>A folder that was recorded as an install.</summary>
/// <param name="Product">The product.</param>
/// <param name="Path">The folder, as its machine names it.</param>
/// <param name="Release">The release that it agreed with; null if that was not known.</param>
/// <param name="Recorded">When.</param>
public sealed record InstallRecord(string Product, string Path, string? Release, DateTimeOffset Recorded);

/// <summary>The installs that a state database remembers.</summary>
/// <param name="database">The database.</param>
public sealed class InstallRecords(StateDatabase database)
{
    /// <summary>All that are remembered, in the order of products and paths.</summary>
    public IReadOnlyList<InstallRecord> All() =>
        database.With("SELECT product, path, release, recorded FROM install ORDER BY product, path", command =>
    {
        var records = new List<InstallRecord>();
        using var rows = command.ExecuteReader();
        while (rows.Read())
        {
            records.Add(new InstallRecord(
                rows.GetString(0), rows.GetString(1), rows.IsDBNull(2) ? null : rows.GetString(2),
                DateTimeOffset.Parse(rows.GetString(3), CultureInfo.InvariantCulture)));
        }

        return records;
    });

    /// <summary>Remembers an install, or what has changed about it.</summary>
    public void Put(InstallRecord record) => database.With(
        "INSERT INTO install (product, path, release, recorded) VALUES ($product, $path, $release, $recorded) ON CONFLICT DO UPDATE SET "
        + "release = excluded.release, recorded = excluded.recorded",
        command => command.ExecuteNonQuery(),
        ("$product", record.Product), ("$path", record.Path), ("$release", record.Release),
        ("$recorded", record.Recorded.ToString("O", CultureInfo.InvariantCulture)));

    /// <summary>Remembers an install if the database can be written.</summary>
    public static void TryPut(Host.Machine machine, string product, string path, string? release, TimeProvider time)
    {
        try
        {
            using var database = StateDatabase.Open(machine.Folders.State);
            new InstallRecords(database).Put(new InstallRecord(product, machine.NameOf(path), release, time.GetUtcNow()));
        }
        catch (MuktaException)
        {
            // The records are a help; without them installs are still found where the profile says.
        }
    }

    /// <summary>Forgets an install if the database can be written.</summary>
    public static void TryForget(Host.Machine machine, string product, string path)
    {
        try
        {
            using var database = StateDatabase.Open(machine.Folders.State);
            new InstallRecords(database).Forget(product, machine.NameOf(path));
        }
        catch (MuktaException)
        {
            // An install that is not there is not found by its record either.
        }
    }

    /// <summary>Forgets an install. Nothing of the install itself is touched.</summary>
    public void Forget(string product, string path) =>
        database.With(
        "DELETE FROM install WHERE product = $product AND path = $path", command => command.ExecuteNonQuery(), ("$product", product),
        ("$path", path));

    /// <summary>The folders of a product that a user's database remembers; none where there is no database that can be read.</summary>
    /// <param name="machine">The machine.</param>
    /// <param name="product">The product.</param>
    public static IReadOnlyList<string> PathsOf(Host.Machine machine, string product)
    {
        try
        {
            using var database = StateDatabase.OpenToRead(machine.Folders.State);
            return database is null ? []
                : [.. new InstallRecords(database).All().Where(r => r.Product == product).Select(r => machine.At(r.Path))];
        }
        catch (MuktaException)
        {
            return []; // The records are a help; without them installs are still found where the profile says.
        }
    }
}
