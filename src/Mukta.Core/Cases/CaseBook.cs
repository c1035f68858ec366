using System.Globalization;
using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Mukta.Host;
using Mukta.Products;
using Mukta.State;

namespace Mukta.Cases;

/// <summary>The complaints of a machine, and what came of what was tried. Every change is on the disk before a command ends.</summary>
public sealed class CaseBook : IDisposable
{
    private readonly StateDatabase database;
    private readonly TimeProvider time;
    private readonly string boot;

    private CaseBook(StateDatabase database, TimeProvider time, string boot) =>
        (this.database, this.time, this.boot) = (database, time, boot);

    /// <summary>Opens it, and makes it where there is none.</summary>
    /// <param name="machine">The machine.</param>
    /// <param name="time">For dates.</param>
    /// <param name="boot">Between which two restarts of the machine this is.</param>
    /// <exception cref="MuktaException">It cannot be opened.</exception>
    public static CaseBook Open(Machine machine, TimeProvider time, string boot) =>
        new(StateDatabase.Open(machine.Folders.State, StateFile.Cases), time, boot);

    /// <summary>Keeps a new case.</summary>
    /// <returns>The case with its number.</returns>
    public CaseRecord Add(CaseRecord opened)
    {
        var number = 0L;
        database.Together(() =>
        {
            number = database.With(
                "INSERT INTO complaint (product, install, code, means, symptom, reference, snapshot, opened) VALUES ($product, $install, "
                + "$code, $means, $symptom, $reference, $snapshot, $at) RETURNING number",
                c => (long)c.ExecuteScalar()!, ("$product", opened.Product), ("$install", opened.Install), ("$code", opened.Code),
                ("$means", opened.Means), ("$symptom", opened.Symptom), ("$reference", opened.Reference),
                ("$snapshot", opened.Snapshot?.ToJson()), ("$at", Now));
            for (var i = 0; i < opened.Rungs.Count; i++)
            {
                var rung = opened.Rungs[i];
                database.With(
                    "INSERT INTO rung (number, position, rung, prior, tried, fixed, learnt, factor, because, chance, minutes) "
                    + "VALUES ($number, $position, $rung, $prior, $tried, $fixed, $learnt, $factor, $because, $chance, $minutes)",
                    c => c.ExecuteNonQuery(), ("$number", number), ("$position", i), ("$rung", rung.Id), ("$prior", rung.Chance.Prior),
                    ("$tried", rung.Chance.Tried), ("$fixed", rung.Chance.Fixed), ("$learnt", rung.Chance.Learnt),
                    ("$factor", rung.Evidence.Factor), ("$because", rung.Evidence.Because), ("$chance", rung.Likely),
                    ("$minutes", rung.Minutes));
            }

            Write(number, "opened");
        });
        return Of(number);
    }

    /// <summary>All cases, newest first.</summary>
    public IReadOnlyList<CaseRecord> All() => Read("", []);

    /// <summary>A case by its number, or the newest open one.</summary>
    /// <param name="number">The number; null for the newest open one.</param>
    /// <exception cref="MuktaException">There is none.</exception>
    public CaseRecord Of(long? number) =>
        (number is { } named ? Read("WHERE number = $number", [("$number", named)]) : Read("WHERE closed IS NULL", []))
        is [var found, ..] ? found
        : throw new MuktaException(
            ExitCode.BadInput, number is null ? "No case is open." : "There is no such case.",
            number is null ? database.FilePath : number.Value.ToString(CultureInfo.InvariantCulture),
            number is null ? "Open one with: mukta case open PRODUCT --symptom TEXT" : "List them with: mukta case list");

    /// <summary>Writes down something about a case.</summary>
    public void Note(CaseRecord open, string text) => database.Together(() => Write(open.Number, $"note: {text}"));

    /// <summary>Writes down that a rung is begun. What was begun before keeps its time.</summary>
    public void Begin(CaseRecord open, string rung) => database.Together(() =>
    {
        if (Change(open, rung, "begun = $at, boot = $boot", "begun IS NULL", ("$at", Now), ("$boot", boot)))
            Write(open.Number, $"{rung}: begun");
    });

    /// <summary>Writes down that a rung was not begun after all.</summary>
    public void GiveUp(CaseRecord open, string rung) => database.Together(() =>
    {
        if (Change(open, rung, "begun = NULL, boot = NULL", "done IS NULL"))
            Write(open.Number, $"{rung}: not agreed to");
    });

    /// <summary>Writes down that a rung is done, and what came of it is still to be seen.</summary>
    /// <param name="open">The case.</param>
    /// <param name="rung">The rung.</param>
    /// <param name="operation">The operation that did it; null for none.</param>
    public void Done(CaseRecord open, string rung, string? operation) => database.Together(() =>
    {
        if (Change(open, rung, "done = $at, operation = $operation", "done IS NULL", ("$at", Now), ("$operation", operation)))
            Write(open.Number, operation is null ? $"{rung}: done" : $"{rung}: done, operation {operation}");
    });

    /// <summary>Writes down that there was nothing to do for a rung.</summary>
    public void Skip(CaseRecord open, string rung, string why) => database.Together(() =>
    {
        Change(open, rung, "result = $result", "result IS NULL", ("$result", NameOf(TriedResult.NotNeeded)));
        Write(open.Number, $"{rung}: {why}");
    });

    private bool Change(CaseRecord open, string rung, string set, string where, params ReadOnlySpan<(string, object?)> values) =>
        database.With(
            $"UPDATE rung SET {set} WHERE number = $number AND rung = $rung AND {where}", c => c.ExecuteNonQuery(),
            [.. values, ("$number", open.Number), ("$rung", rung)]) > 0;

    /// <summary>Writes down what came of a rung; a case that is fixed is closed.</summary>
    /// <param name="open">The case.</param>
    /// <param name="rung">The rung, as the profile has it.</param>
    /// <param name="result">What came of it.</param>
    public void Result(CaseRecord open, Rung rung, TriedResult result)
    {
        var word = NameOf(result);
        var since = open.Rungs.FirstOrDefault(r => r.Id == rung.Id)?.Begun
            ?? (open.Events.Count > 0 ? open.Events[^1].At : open.Opened);
        database.Together(() =>
        {
            database.With(
                "UPDATE rung SET result = $result WHERE number = $number AND rung = $rung", c => c.ExecuteNonQuery(), ("$result", word),
                ("$number", open.Number), ("$rung", rung.Id));
            var id = database.With(
                "DELETE FROM outcome WHERE number = $number AND rung = $rung RETURNING id", c => (string?)c.ExecuteScalar(),
                ("$number", open.Number), ("$rung", rung.Id)); // Whoever says it again corrects what was said.
            Insert(
                new RungOutcome(time.GetUtcNow(), open.Product, open.Code, rung.Id, rung.Act, result)
                {
                    Id = id ?? RandomNumberGenerator.GetHexString(32, lowercase: true),
                    Minutes = (time.GetUtcNow() - since).TotalMinutes,
                },
                open.Number);
            Write(open.Number, $"{rung.Id}: {word}");
            if (result == TriedResult.Fixed)
                CloseNow(open.Number);
        });
    }

    /// <summary>Closes a case.</summary>
    public void Close(CaseRecord open) => database.Together(() =>
    {
        Write(open.Number, "closed");
        CloseNow(open.Number);
    });

    /// <summary>What came of what was tried, in all cases.</summary>
    public IReadOnlyList<RungOutcome> Outcomes() => database.With(
        "SELECT at, product, code, rung, act, result, minutes, id FROM outcome ORDER BY at, id", command =>
    {
        var outcomes = new List<RungOutcome>();
        using var rows = command.ExecuteReader();
        while (rows.Read())
        {
            outcomes.Add(new RungOutcome(
                Time(rows.GetString(0)), rows.GetString(1), rows.GetString(2), rows.GetString(3), ActOf(rows.GetString(4)),
                ResultOf(rows.GetString(5)))
            {
                Minutes = rows.IsDBNull(6) ? null : rows.GetDouble(6),
                Id = rows.GetString(7),
            });
        }

        return outcomes;
    });

    /// <summary>How long the rungs of a product have taken here, minutes, by their names.</summary>
    public ILookup<string, double> Took(string product) => database.With(
        "SELECT rung.rung, begun, done FROM rung JOIN complaint USING (number) WHERE product = $product AND begun IS NOT NULL AND done IS "
        + "NOT NULL",
        command =>
        {
            var took = new List<(string Rung, double Minutes)>();
            using var rows = command.ExecuteReader();
            while (rows.Read())
                took.Add((rows.GetString(0), Math.Max(0, (Time(rows.GetString(2)) - Time(rows.GetString(1))).TotalMinutes)));
            return took.ToLookup(t => t.Rung, t => t.Minutes);
        }, ("$product", product));

    /// <summary>Takes over what others have recorded. What is known already counts once.</summary>
    /// <returns>How many are new.</returns>
    public int Import(IReadOnlyList<RungOutcome> outcomes)
    {
        var added = 0;
        database.Together(() => added = outcomes.Sum(o => Insert(o, null)));
        return added;
    }

    private int Insert(RungOutcome outcome, long? number) => database.With(
        "INSERT INTO outcome (at, product, code, rung, act, result, minutes, id, number) "
        + "VALUES ($at, $product, $code, $rung, $act, $result, $minutes, $id, $number) ON CONFLICT DO NOTHING",
        c => c.ExecuteNonQuery(), ("$at", outcome.At.ToString("O", CultureInfo.InvariantCulture)), ("$product", outcome.Product),
        ("$code", outcome.Code), ("$rung", outcome.Rung), ("$act", LadderReader.NameOf(outcome.Act)),
        ("$result", NameOf(outcome.Result)), ("$minutes", outcome.Minutes), ("$id", outcome.Id), ("$number", number));

    /// <inheritdoc/>
    public void Dispose() => database.Dispose();

    /// <summary>A result as it is written: fixed, not-fixed, worse, not-needed.</summary>
    public static string NameOf(TriedResult result) => result switch
    {
        TriedResult.Fixed => "fixed",
        TriedResult.Worse => "worse",
        TriedResult.NotNeeded => "not-needed",
        _ => "not-fixed",
    };

    /// <summary>The result of a name; null if there is none.</summary>
    public static TriedResult? ResultNamed(string name) =>
        Enum.GetValues<TriedResult>().Select(r => (TriedResult?)r).FirstOrDefault(r => NameOf(r!.Value) == name);

    private string Now => time.GetUtcNow().ToString("O", CultureInfo.InvariantCulture);

    private void CloseNow(long number) => database.With(
        "UPDATE complaint SET closed = $at WHERE number = $number AND closed IS NULL", c => c.ExecuteNonQuery(), ("$at", Now),
        ("$number", number));

    private void Write(long number, string what) => database.With(
        "INSERT INTO event (number, at, boot, what) VALUES ($number, $at, $boot, $what)", c => c.ExecuteNonQuery(),
        ("$number", number), ("$at", Now), ("$boot", boot), ("$what", what));

    private List<CaseRecord> Read(string where, ReadOnlySpan<(string Name, object? Value)> values)
    {
        var cases = database.With(
            "SELECT number, product, install, code, means, symptom, reference, opened, closed, snapshot FROM complaint "
            + $"{where} ORDER BY number DESC",
            command =>
            {
                var found = new List<CaseRecord>();
                using var rows = command.ExecuteReader();
                while (rows.Read())
                {
                    found.Add(new CaseRecord(rows.GetString(1), Text(rows, 2), rows.GetString(3), rows.GetString(4), [])
                    {
                        Number = rows.GetInt64(0),
                        Symptom = Text(rows, 5),
                        Reference = Text(rows, 6),
                        Opened = Time(rows.GetString(7)),
                        Closed = MaybeTime(rows, 8),
                        Snapshot = CaseSnapshot.OfJson(Text(rows, 9)),
                    });
                }

                return found;
            }, values);
        return [.. cases.Select(c => c with { Rungs = Rungs(c.Number), Events = Events(c.Number) })];
    }

    private List<CaseRung> Rungs(long number) => database.With(
        "SELECT rung, prior, tried, fixed, learnt, factor, because, minutes, result, begun, boot, done, operation FROM rung "
        + "WHERE number = $number ORDER BY position",
        command =>
        {
            var found = new List<CaseRung>();
            using var rows = command.ExecuteReader();
            while (rows.Read())
            {
                found.Add(new CaseRung(
                    rows.GetString(0), new RungChance(rows.GetDouble(1), rows.GetDouble(2), rows.GetDouble(3), rows.GetDouble(4)),
                    new EvidenceWeight(rows.GetDouble(5), Text(rows, 6)), rows.GetDouble(7),
                    Text(rows, 8) is { } result ? ResultOf(result) : null)
                {
                    Begun = MaybeTime(rows, 9),
                    Boot = Text(rows, 10),
                    Done = MaybeTime(rows, 11),
                    Operation = Text(rows, 12),
                });
            }

            return found;
        }, ("$number", number));

    private List<CaseEvent> Events(long number) => database.With(
        "SELECT at, boot, what FROM event WHERE number = $number ORDER BY rowid",
        command =>
        {
            var found = new List<CaseEvent>();
            using var rows = command.ExecuteReader();
            while (rows.Read())
                found.Add(new CaseEvent(Time(rows.GetString(0)), rows.GetString(1), rows.GetString(2)));
            return found;
        }, ("$number", number));

    private static string? Text(SqliteDataReader rows, int column) => rows.IsDBNull(column) ? null : rows.GetString(column);

    private static DateTimeOffset? MaybeTime(SqliteDataReader rows, int column) => Text(rows, column) is { } text ? Time(text) : null;

    private static DateTimeOffset Time(string text) => DateTimeOffset.Parse(text, CultureInfo.InvariantCulture);

    private static TriedResult ResultOf(string text) =>
        ResultNamed(text) ?? throw new FormatException($"There is no result {text}.");

    private static RungAct ActOf(string text) => LadderReader.ActOf(text) ?? RungAct.Operator;
}
