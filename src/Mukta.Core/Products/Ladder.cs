namespace Mukta.Products;

/// <summary>What a rung does.</summary>
public enum RungAct
{
    /// <summary>What only a person can do; the rung says how.</summary>
    Operator,

    /// <summary>Ends the product's processes.</summary>
    Stop,

    /// <summary>Stops the programs that the profile lists as conflicts, one at a time.</summary>
    StopConflicts,

    /// <summary>Clears a cache, or all that may be cleared.</summary>
    ClearCaches,

    /// <summary>Sets partly downloaded files aside.</summary>
    SweepDownloads,

    /// <summary>Brings the services to what the profile asks for.</summary>
    RestoreServices,

    /// <summary>Stops and starts the services.</summary>
    RestartServices,

    /// <summary>Restores the shortcuts.</summary>
    RestoreShortcuts,

    /// <summary>Sets older releases aside.</summary>
    SweepReleases,

    /// <summary>Repairs the files; with a component, downloads that one again.</summary>
    Repair,

    /// <summary>Runs the vendor's setup.</summary>
    Setup,

    /// <summary>Sets the product's settings aside.</summary>
    Reset,

    /// <summary>Moves the install to another disk.</summary>
    Move,

    /// <summary>Replaces the install by a clean copy.</summary>
    Reinstall,

    /// <summary>Takes the product out and installs it again.</summary>
    RemoveAndInstall,

    /// <summary>Installs a package of the system again.</summary>
    SystemPackage,
}

/// <summary>The worst that a rung can take from the user. What loses more comes later.</summary>
public enum RungLoss
{
    /// <summary>Nothing that the user would miss.</summary>
    Nothing,

    /// <summary>Settings.</summary>
    Settings,

    /// <summary>The user's own data.</summary>
    UserData,
}

/// <summary>One remedy of a ladder.</summary>
/// <param name="Id">Its name in the profile.</param>
/// <param name="Act">What it does.</param>
/// <param name="Product">The product that it does it to; null for the profile's own.</param>
/// <param name="Minutes">How long it is expected to take, minutes.</param>
public sealed record Rung(string Id, RungAct Act, string? Product, int Minutes)
{
    /// <summary>The cache, component, setup action or package that it is about; null for all, or where there is no such thing.</summary>
    public string? Part { get; init; }

    /// <summary>What a person has to do; null for a remedy.</summary>
    public string? Instructions { get; init; }

    /// <summary>What may be lost.</summary>
    public RungLoss Loses { get; init; }

    /// <summary>Rungs that have to be tried before it.</summary>
    public IReadOnlyList<string> After { get; init; } = [];

    /// <summary>Findings of <c>check</c> that are gone once a person has done it, in the words of JSON.</summary>
    public IReadOnlyList<string> Gone { get; init; } = [];

    /// <summary>True for one that is done once the machine was restarted.</summary>
    public bool IsRestart { get; init; }
}

/// <summary>An error code or a symptom: what it means, and what helps.</summary>
/// <param name="Code">The code, or a name for the symptom.</param>
/// <param name="Means">What it means, in words.</param>
/// <param name="Symptoms">Patterns of what people say; <c>*</c> stands for any text, and letter case does not count.</param>
/// <param name="Logs">Patterns of lines in the product's logs.</param>
/// <param name="Rungs">The rungs that apply, each with the chance that it helps, 0.01 to 0.99.</param>
public sealed record ComplaintCode(
    string Code, string Means, IReadOnlyList<string> Symptoms, IReadOnlyList<string> Logs, IReadOnlyDictionary<string, double> Rungs);

/// <summary>A program of the product that says whether it works: it exits with 0 if it does. No shell sees its arguments.</summary>
/// <param name="Program">Relative to the install.</param>
/// <param name="Arguments">Its arguments.</param>
/// <param name="TimeLimit">After which it counts as not working.</param>
public sealed record ProductProbe(string Program, IReadOnlyList<string> Arguments, TimeSpan TimeLimit);
