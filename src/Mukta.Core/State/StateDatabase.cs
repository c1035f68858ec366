using Microsoft.Data.Sqlite;
using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.State;

/// <summary>
/// A database of Mukta's own: SQLite, below <c>mukta</c> in its user's folder for state.
/// </summary>
[OutsideReader]
public sealed class StateDatabase : IDisposable
{
    private readonly SqliteConnection connection;
    private readonly FileSystemIdentity rights;

    private readonly StateFile file;

    private StateDatabase(StateFile file, SqliteConnection connection, FileSystemIdentity rights) =>
        (this.file, this.connection, this.rights) = (file, connection, rights);

    /// <summary>Opens the database for writing, and makes it where there is none.</summary>
    /// <exception cref="MuktaException">It cannot be opened, or a newer Mukta made it.</exception>
    public static StateDatabase Open(string stateFolder) => Open(stateFolder, StateFile.Memory);

    /// <summary>Opens one of the databases for writing, and makes it where there is none.</summary>
    /// <exception cref="MuktaException">It cannot be opened, or a newer Mukta made it.</exception>
    internal static StateDatabase Open(string stateFolder, StateFile file)
    {
        try
        {
            if (!StatePlace.HasFile(stateFolder, file.Name)) // Closing a file takes the locks that SQLite has on it away.
                StatePlace.EnsureFile(stateFolder, file.Name);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or MuktaException)
        {
            throw Failure(file, StatePlace.PathIn(stateFolder, file.Name), e);
        }

        return Open(stateFolder, file, SqliteOpenMode.ReadWrite);
    }

    /// <summary>Opens the database for reading; null if there is none yet.</summary>
    /// <exception cref="MuktaException">It cannot be opened, or a newer Mukta made it.</exception>
    public static StateDatabase? OpenToRead(string stateFolder) => OpenToRead(stateFolder, StateFile.Memory);

    /// <summary>Opens one of the databases for reading; null if there is none yet.</summary>
    /// <exception cref="MuktaException">It cannot be opened, or a newer Mukta made it.</exception>
    internal static StateDatabase? OpenToRead(string stateFolder, StateFile file) =>
        StatePlace.HasFile(stateFolder, file.Name) ? Open(stateFolder, file, SqliteOpenMode.ReadOnly) : null;

    /// <inheritdoc/>
    public void Dispose()
    {
        connection.Dispose();
        rights.Dispose();
    }

    /// <summary>Its file.</summary>
    internal string FilePath => connection.DataSource;

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
            throw Failure(file, connection.DataSource, e);
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
            throw Failure(file, connection.DataSource, e);
        }
    }

    private static StateDatabase Open(string stateFolder, StateFile file, SqliteOpenMode mode)
    {
        var path = StatePlace.PathIn(stateFolder, file.Name);
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
            var database = new StateDatabase(file, connection, rights);
            database.Migrate(stateFolder, mode != SqliteOpenMode.ReadOnly);
            return database;
        }
        catch (Exception e)
        {
            connection?.Dispose();
            rights?.Dispose();
            if (e is SqliteException)
                throw Failure(file, path, e);
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
        if (Version() == file.Steps.Count)
            return;
        if (!mayChange)
        {
            using var writable = Open(stateFolder, file, SqliteOpenMode.ReadWrite); // Brings the layout up to date, so that it can be read.
            return;
        }

        Together(() =>
        {
            for (var version = Version(); version < file.Steps.Count; version++) // Another run may have been faster.
                With($"{file.Steps[version]} PRAGMA user_version = {version + 1};", c => c.ExecuteNonQuery());
        });
    }

    private int Version()
    {
        var version = With("PRAGMA user_version", c => Convert.ToInt32(
            c.ExecuteScalar(), System.Globalization.CultureInfo.InvariantCulture));
        if (version < 0)
            throw Failure(file, connection.DataSource, new InvalidDataException($"its version is {version}"));
        return version <= file.Steps.Count ? version : throw new MuktaException(
            ExitCode.BadInput, "This state database was made by a newer mukta.", connection.DataSource,
            $"Use that version, or {file.IfDamaged}.");
    }

    private static MuktaException Failure(StateFile file, string path, Exception e) => new(
        ExitCode.Blocked, $"The state database cannot be used: {e.Message.TrimEnd('.')}.", path,
        $"Check the file and its folder with ls -la. If it is damaged, {file.IfDamaged}.", e);
}
