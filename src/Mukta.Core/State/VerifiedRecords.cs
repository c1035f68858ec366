using System.Globalization;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Verification.Quick;

namespace Mukta.State;

/// <summary>What verifications have shown, in a user's state database. All of it can be found again by verifying.</summary>
/// <param name="machine">The machine.</param>
public sealed class VerifiedRecords(Machine machine) : IVerifiedMemory
{
    VerifiedRecord? IVerifiedMemory.Find(string install)
    {
        if (!machine.IsLive)
            return null; // A mounted disk's own memory is left alone.
        try
        {
            using var database = StateDatabase.OpenToRead(machine.Folders.State);
            return database is null ? null : Read(database, install);
        }
        catch (Exception e) when (e is MuktaException or InvalidDataException)
        {
            return null; // Then everything is read.
        }
    }

    void IVerifiedMemory.TryPut(VerifiedRecord record)
    {
        if (!machine.IsLive)
            return;
        try
        {
            using var database = StateDatabase.Open(machine.Folders.State);
            database.Together(() => Write(database, record));
        }
        catch (MuktaException)
        {
            // The next quick verification reads everything.
        }
    }

    private static VerifiedRecord? Read(StateDatabase database, string install)
    {
        var found = database.With(
            "SELECT file_system, manifest, product, release, sequence, expires, files, links, bytes, weak, since, whole, modes FROM "
            + "verified WHERE install = $install",
            command =>
            {
                using var row = command.ExecuteReader();
                if (!row.Read())
                    return null;
                var release = new ReleaseFacts(
                    row.IsDBNull(2) ? null : row.GetString(2), row.IsDBNull(3) ? null : row.GetString(3),
                    row.IsDBNull(4) ? null : row.GetInt64(4), row.IsDBNull(5) ? null : Date(row.GetString(5)),
                    row.GetInt32(6), row.GetInt32(7), row.GetInt64(8), row.GetInt32(9));
                return new VerifiedRecord(
                    install, (ulong)row.GetInt64(0), row.GetString(1), release, Date(row.GetString(10)), row.GetBoolean(11),
                    row.GetBoolean(12), new Dictionary<string, SealedFolder>());
            },
            ("$install", install));
        return found is null ? null : found with { Folders = Folders(database, install) };
    }

    private static Dictionary<string, SealedFolder> Folders(StateDatabase database, string install) => database.With(
        "SELECT folder, device, seals FROM verified_folder WHERE install = $install",
        command =>
        {
            var folders = new Dictionary<string, SealedFolder>(StringComparer.Ordinal);
            using var row = command.ExecuteReader();
            while (row.Read())
                folders.Add(row.GetString(0), new SealedFolder((ulong)row.GetInt64(1), row.GetFieldValue<byte[]>(2)));
            return folders;
        },
        ("$install", install));

    private static void Write(StateDatabase database, VerifiedRecord record)
    {
        database.With("DELETE FROM verified_folder WHERE install = $install", c => c.ExecuteNonQuery(), ("$install", record.Install));
        var (release, files) = (record.Release, record.Folders);
        database.With(
            """
            INSERT OR REPLACE INTO verified
                (install, file_system, manifest, product, release, sequence, expires, files, links, bytes, weak, since, whole, modes)
            VALUES
                ($install, $fileSystem, $manifest, $product, $release, $sequence, $expires, $files, $links, $bytes, $weak,
                $since, $whole, $modes)
            """,
            c => c.ExecuteNonQuery(),
            ("$install", record.Install), ("$fileSystem", (long)record.FileSystem), ("$manifest", record.Manifest),
            ("$product", release.Product), ("$release", release.Release), ("$sequence", release.Sequence),
            ("$expires", release.Expires is { } expires ? Text(expires) : null), ("$files", release.Files), ("$links", release.Links),
            ("$bytes", release.Bytes), ("$weak", release.WeakFiles),
            ("$since", Text(record.Since)), ("$whole", record.IsWhole), ("$modes", record.ModesCompared));
        database.With("INSERT INTO verified_folder (install, folder, device, seals) VALUES ($install, $folder, $device, $seals)", command =>
        {
            var (folder, device, seals) =
                (command.Parameters.AddWithValue("$folder", ""), command.Parameters.AddWithValue("$device", 0L),
                command.Parameters.AddWithValue("$seals", Array.Empty<byte>()));
            foreach (var (path, its) in files)
            {
                (folder.Value, device.Value, seals.Value) = (path, (long)its.Device, its.Bytes);
                command.ExecuteNonQuery();
            }

            return files.Count;
        }, ("$install", record.Install));
    }

    private static string Text(DateTimeOffset date) => date.ToString("O", CultureInfo.InvariantCulture);

    private static DateTimeOffset Date(string text) => DateTimeOffset.Parse(text, CultureInfo.InvariantCulture);
}
