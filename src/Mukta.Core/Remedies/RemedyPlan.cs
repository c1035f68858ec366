using Mukta.Operations;

namespace Mukta.Remedies;

/// <summary>The worst that a remedy can take from the user.</summary>
public enum PossibleLoss
{
    /// <summary>Nothing that the user would miss.</summary>
    Nothing,

    /// <summary>Settings: the product starts as new.</summary>
    Settings,

    /// <summary>The product itself.</summary>
    Product,

    /// <summary>The user's own data.</summary>
    UserData,
}

/// <summary>What a step of a remedy does.</summary>
public enum RemedyAct
{
    /// <summary>Moves something to the kept files.</summary>
    SetAside,

    /// <summary>Stops a service, and keeps it from starting with the machine.</summary>
    StopService,

    /// <summary>Runs the vendor's own program.</summary>
    RunVendorRemove,

    /// <summary>Leaves something where it is, although it is in what is set aside.</summary>
    LeaveInPlace,

    /// <summary>Leaves something where it is, for a reason.</summary>
    Skip,
}

/// <summary>One thing that a remedy will do.</summary>
/// <param name="Act">What.</param>
/// <param name="Subject">To what: a path as seen from here, or a unit.</param>
/// <param name="Why">What makes it part of the plan, or keeps it out of it, in words.</param>
/// <param name="Bytes">How many bytes it moves.</param>
/// <param name="Files">How many files it moves.</param>
public sealed record RemedyStep(RemedyAct Act, string Subject, string Why, long Bytes = 0, long Files = 0);

/// <summary>What a remedy will do, what it costs and what can be lost, made before anything is touched.</summary>
/// <param name="Steps">In the order in which they are done.</param>
/// <param name="Loss">The worst that can be lost until it is undone.</param>
public sealed record RemedyPlan(IReadOnlyList<RemedyStep> Steps, PossibleLoss Loss) : IOperationPlan
{
    /// <summary>True if there is nothing to do.</summary>
    public bool IsEmpty => Steps.All(s => s.Act is RemedyAct.Skip or RemedyAct.LeaveInPlace);

    /// <summary>Services that it stops.</summary>
    public IReadOnlyList<string> Stopped => [.. Steps.Where(s => s.Act == RemedyAct.StopService).Select(s => s.Subject)];

    /// <summary>What it sets aside.</summary>
    public IReadOnlyList<string> SetAside => [.. Steps.Where(s => s.Act == RemedyAct.SetAside).Select(s => s.Subject)];

    /// <summary>Bytes that are kept until the operation is purged.</summary>
    public long BytesKept => Steps.Where(s => s.Act == RemedyAct.SetAside).Sum(s => s.Bytes);

    /// <summary>Files that are kept.</summary>
    public long FilesKept => Steps.Where(s => s.Act == RemedyAct.SetAside).Sum(s => s.Files);
}

/// <summary>What came of a remedy of which there is no more to say.</summary>
/// <param name="Operation">The operation.</param>
public sealed record RemedyOutcome(string Operation) : IOperationOutcome
{
    /// <inheritdoc/>
    public ExitCode Code => ExitCode.Done;
}
