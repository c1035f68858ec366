using Microsoft.Data.Sqlite;
using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.State;

/// <summary>
/// Mukta's own memory of a machine: SQLite, <c>mukta/state.db</c> below its user's folder for state. Everything in it can be
/// found out again from what is on the disk.
/// </summary>
[OutsideReader]
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
        """
        CREATE TABLE seen (
            product TEXT NOT NULL,
            trust TEXT NOT NULL,
            sequence INTEGER NOT NULL,
            release TEXT,
            at TEXT NOT NULL,
            PRIMARY KEY (product, trust)
        ) WITHOUT ROWID;
        """,
    ];

    private const string FileName = "state.db";

    private readonly SqliteConnection connection;
    private readonly FileSystemIdentity rights;

    private StateDatabase(SqliteConnection connection, FileSystemIdentity rights) => (this.connection, this.rights) = (connection, rights);

    /// <summary>Opens the database for writing, and makes it where there is none.</summary>
    /// <exception cref="MuktaException">It cannot be opened, or a newer Mukta made it.</exception>
    public static StateDatabase Open(string stateFolder)
    {
        try
        {
            if (!StatePlace.HasFile(stateFolder, FileName)) // Closing a file takes the locks that SQLite has on it away.
                StatePlace.EnsureFile(stateFolder, FileName);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or MuktaException)
        {
            throw Failure(StatePlace.PathIn(stateFolder, FileName), e);
        }

        return Open(stateFolder, SqliteOpenMode.ReadWrite);
    }

    /// <summary>Opens the database for reading; null if there is none yet.</summary>
    /// <exception cref="MuktaException">It cannot be opened, or a newer Mukta made it.</exception>
    public static StateDatabase? OpenToRead(string stateFolder) =>
        StatePlace.HasFile(stateFolder, FileName) ? Open(stateFolder, SqliteOpenMode.ReadOnly) : null;

    /// <inheritdoc/>
    public void Dispose()
    {
        connection.Dispose();
        rights.Dispose();
    }

    /// <summary>Does something with a statement of the database.</summary>
    /// <exception cref="MuktaException">The database does not do it.</exception>
    internal T With<T>(string statement, Func<SqliteCommand, T> act, params ReadOnlySpan<(string Name, object? Value)> values)
    {
        using var command = connection.CreateCommand();
        command.CommandText = statement;
        foreach (var (name, value) in values)
            command.Parameters.AddWithValue(name, value ?? DBNull.Value);
        try
        {
            return act(command);
        }
        catch (Exception e) when (e is SqliteException or InvalidOperationException or InvalidCastException or FormatException
            or OverflowException or ArgumentException)
        {
            throw Failure(connection.DataSource, e);
        }
    }

    /// <summary>Does something of which all is kept or nothing.</summary>
    /// <exception cref="MuktaException">The database does not do it.</exception>
    internal void Together(Action act)
    {
        try
        {
            using var transaction = connection.BeginTransaction();
            act();
            transaction.Commit();
        }
        catch (SqliteException e)
        {
            throw Failure(connection.DataSource, e);
        }
    }

    private static StateDatabase Open(string stateFolder, SqliteOpenMode mode)
    {
        var path = StatePlace.PathIn(stateFolder, FileName);
        var (user, group) = StatePlace.OwnerOf(stateFolder);
        SqliteConnection? connection = null;
        FileSystemIdentity? rights = null;
        try
        {
            // This loads the library, which the folder's owner may not be able to read.
            connection = new SqliteConnection(
                new SqliteConnectionStringBuilder { DataSource = path, Mode = mode, Pooling = false, DefaultTimeout = 10 }.ToString());
            rights = FileSystemIdentity.Of(user, group); // Held until it is closed: SQLite opens files when it likes.
            connection.Open();
            var database = new StateDatabase(connection, rights);
            database.Migrate(stateFolder, mode != SqliteOpenMode.ReadOnly);
            return database;
        }
        catch (Exception e)
        {
            connection?.Dispose();
            rights?.Dispose();
            if (e is SqliteException)
                throw Failure(path, e);
            if (e is TypeInitializationException or DllNotFoundException or EntryPointNotFoundException)
            {
                throw new MuktaException(
                    ExitCode.Blocked, "The library of SQLite cannot be loaded, so nothing is remembered.",
                    Path.Join(AppContext.BaseDirectory, "libe_sqlite3.so"),
                    "Put it beside the program, from the package that mukta came in.", e);
            }

            throw;
        }
    }

    private void Migrate(string stateFolder, bool mayChange)
    {
        if (Version() == Steps.Length)
            return;
        if (!mayChange)
        {
            using var writable = Open(stateFolder, SqliteOpenMode.ReadWrite); // Brings the layout up to date, so that it can be read.
            return;
        }

        Together(() =>
        {
            for (var version = Version(); version < Steps.Length; version++) // Another run may have been faster.
                With($"{Steps[version]} PRAGMA user_version = {version + 1};", c => c.ExecuteNonQuery());
        });
    }

    private int Version() =>
        With("PRAGMA user_version", c => Convert.ToInt32(
        c.ExecuteScalar(), System.Globalization.CultureInfo.InvariantCulture)) is var version
        && version <= Steps.Length ? version
        : throw new MuktaException(
            ExitCode.BadInput, "This state database was made by a newer mukta.", connection.DataSource,
            "Use that version, or move the file away; its contents can be rebuilt with mukta installs add.");

    private static MuktaException Failure(string path, Exception e) => new(
        ExitCode.Blocked, $"The state database cannot be used: {e.Message.TrimEnd('.')}.", path,
        "Check the file and its folder with ls -la. If it is damaged, move it away; its contents can be rebuilt with mukta installs "
        + "add.", e);
}
