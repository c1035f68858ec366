namespace Mukta.State;

/// <summary>A database of Mukta's own, and how its layout has grown.</summary>
/// <param name="Name">Its file's name.</param>
/// <param name="Steps">What brings it from each version to the next; its number is kept in user_version.</param>
/// <param name="IfDamaged">What to do if it cannot be used, as an order.</param>
internal sealed record StateFile(string Name, IReadOnlyList<string> Steps, string IfDamaged)
{
    /// <summary>What Mukta remembers of a machine. All of it can be found out again from what is on the disk.</summary>
    public static StateFile Memory { get; } = new("state.db",
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
    ],
    "move it away; its contents can be rebuilt with mukta installs add");

    /// <summary>Complaints, and what came of what was tried. Nothing else knows this.</summary>
    public static StateFile Cases { get; } = new("cases.db",
    [
        """
        CREATE TABLE complaint (
            number INTEGER PRIMARY KEY AUTOINCREMENT,
            product TEXT NOT NULL,
            install TEXT,
            code TEXT NOT NULL,
            means TEXT NOT NULL,
            symptom TEXT,
            reference TEXT,
            opened TEXT NOT NULL,
            closed TEXT
        );
        CREATE TABLE rung (
            number INTEGER NOT NULL,
            position INTEGER NOT NULL,
            rung TEXT NOT NULL,
            prior REAL NOT NULL,
            tried REAL NOT NULL,
            fixed REAL NOT NULL,
            learnt REAL NOT NULL,
            factor REAL NOT NULL,
            because TEXT,
            chance REAL NOT NULL,
            minutes REAL NOT NULL,
            result TEXT,
            PRIMARY KEY (number, position)
        ) WITHOUT ROWID;
        CREATE TABLE event (
            number INTEGER NOT NULL,
            at TEXT NOT NULL,
            boot TEXT NOT NULL,
            what TEXT NOT NULL
        );
        CREATE TABLE outcome (
            at TEXT NOT NULL,
            product TEXT NOT NULL,
            code TEXT NOT NULL,
            rung TEXT NOT NULL,
            act TEXT NOT NULL,
            result TEXT NOT NULL,
            minutes REAL
        );
        """,
        """
        ALTER TABLE complaint ADD COLUMN snapshot TEXT;
        ALTER TABLE rung ADD COLUMN begun TEXT;
        ALTER TABLE rung ADD COLUMN boot TEXT;
        ALTER TABLE rung ADD COLUMN done TEXT;
        ALTER TABLE rung ADD COLUMN operation TEXT;
        ALTER TABLE outcome ADD COLUMN id TEXT;
        ALTER TABLE outcome ADD COLUMN number INTEGER;
        UPDATE outcome SET id = lower(hex(randomblob(16)));
        CREATE UNIQUE INDEX outcome_id ON outcome (id);
        """,
    ],
    "copy it, then move it away; the cases in it are lost to mukta");
}
