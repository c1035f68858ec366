using Microsoft.Data.Sqlite;
using Mukta.Operations;

namespace Mukta.State;

/// <summary>
/// Mukta's own memory of a machine: SQLite, <c>mukta/state.db</c> below its user's folder for state. Everything in it can be
/// found out again from what is on the disk.
/// </summary>
public sealed class StateDatabase : IDisposable
{
    /// <summary>What brings a database from each version to the next; its number is kept in user_version.</summary>
    private static readonly string[] Steps =
    [
        """
        CREATE TABLE install (
            product TEXT NOT NULL,
            path TEXT NOT NULL,
            release TEXT,
            recorded TEXT NOT NULL,
            PRIMARY KEY (product, path)
        ) WITHOUT ROWID;
        """,
        """
        CREATE TABLE operation (
            id TEXT NOT NULL,
            place TEXT NOT NULL,
            command TEXT NOT NULL,
            product TEXT,
            release TEXT,
            started TEXT NOT NULL,
            PRIMARY KEY (id, place)
        ) WITHOUT ROWID;
        """,
        """
        CREATE TABLE verified (
            install TEXT NOT NULL PRIMARY KEY,
            file_system INTEGER NOT NULL,
            manifest TEXT NOT NULL,
            product TEXT,
            release TEXT,
            sequence INTEGER,
            expires TEXT,
            files INTEGER NOT NULL,
            links INTEGER NOT NULL,
            bytes INTEGER NOT NULL,
            weak INTEGER NOT NULL,
            since TEXT NOT NULL,
            whole INTEGER NOT NULL,
            modes INTEGER NOT NULL
        ) WITHOUT ROWID;
        CREATE TABLE verified_folder (
            install TEXT NOT NULL,
            folder TEXT NOT NULL,
            device INTEGER NOT NULL,
            seals BLOB NOT NULL,
            PRIMARY KEY (install, folder)
        );
        """,
    ];

    private StateDatabase(SqliteConnection connection) => Connection = connection;

    internal SqliteConnection Connection { get; }

    /// <summary>Where the database of a user is.</summary>
    /// <param name="stateFolder">The user's folder for state (XDG Base Directory specification).</param>
    public static string PathIn(string stateFolder) => Path.Join(stateFolder, "mukta", "state.db");

    /// <summary>Opens the database for writing, and makes it where there is none.</summary>
    /// <exception cref="MuktaException">It cannot be opened, or a newer Mukta made it.</exception>
    public static StateDatabase Open(string stateFolder)
    {
        var path = PathIn(stateFolder);
        try
        {
            StatePlace.Ensure(stateFolder);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or MuktaException)
        {
            throw Failure(path, e);
        }

        var isNew = !File.Exists(path);
        var database = Open(path, SqliteOpenMode.ReadWriteCreate);
        if (isNew)
            StatePlace.ChangeOwner(Path.GetDirectoryName(path)!);
        return database;
    }

    /// <summary>Opens the database for reading; null where there is none yet.</summary>
    /// <exception cref="MuktaException">It cannot be opened, or a newer Mukta made it.</exception>
    public static StateDatabase? OpenToRead(string stateFolder) =>
        File.Exists(PathIn(stateFolder)) ? Open(PathIn(stateFolder), SqliteOpenMode.ReadOnly) : null;

    /// <inheritdoc/>
    public void Dispose() => Connection.Dispose();

    /// <summary>Does something with a statement of the database.</summary>
    /// <exception cref="MuktaException">The database does not do it.</exception>
    internal T With<T>(string statement, Func<SqliteCommand, T> act, params ReadOnlySpan<(string Name, object? Value)> values)
    {
        using var command = Connection.CreateCommand();
        command.CommandText = statement;
        foreach (var (name, value) in values)
            command.Parameters.AddWithValue(name, value ?? DBNull.Value);
        try
        {
            return act(command);
        }
        catch (SqliteException e)
        {
            throw Failure(Connection.DataSource, e);
        }
    }

    private static StateDatabase Open(string path, SqliteOpenMode mode)
    {
        var connection = new SqliteConnection(
            new SqliteConnectionStringBuilder { DataSource = path, Mode = mode, Pooling = false, DefaultTimeout = 10 }.ToString());
        try
        {
            connection.Open();
            var database = new StateDatabase(connection);
            database.Migrate(path, mode != SqliteOpenMode.ReadOnly);
            return database;
        }
        catch (SqliteException e)
        {
            connection.Dispose();
            throw Failure(path, e);
        }
        catch (MuktaException)
        {
            connection.Dispose();
            throw;
        }
    }

    private void Migrate(string path, bool mayChange)
    {
        var version = With(
            "PRAGMA user_version", c => Convert.ToInt32(c.ExecuteScalar(), System.Globalization.CultureInfo.InvariantCulture));
        if (version > Steps.Length)
        {
            throw new MuktaException(
                ExitCode.BadInput, "A newer version of mukta has made this state database.", path,
                "Use that version, or move the file away: all in it can be found again with mukta locate --record.");
        }

        if (version == Steps.Length)
            return;
        if (!mayChange)
        {
            using var writable = Open(path, SqliteOpenMode.ReadWrite); // Brings the layout up to date, so that it can be read.
            return;
        }

        using var transaction = Connection.BeginTransaction();
        for (; version < Steps.Length; version++)
            With($"{Steps[version]} PRAGMA user_version = {version + 1};", c => c.ExecuteNonQuery());
        transaction.Commit();
    }

    private static MuktaException Failure(string path, Exception e) => new(
        ExitCode.Blocked, $"The state database cannot be used: {e.Message.TrimEnd('.')}.", path,
        "Look at the file and its folder with ls -la. If it is damaged, move it away: all in it can be found again with mukta locate "
        + "--record.", e);
}
