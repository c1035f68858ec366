using Mukta.Disk;
using Mukta.Operations;
using Mukta.Repair.Local;
using Mukta.Verification;

namespace Mukta.Repair;

/// <summary>Where good pieces may be on this machine, beside the install itself.</summary>
public sealed record PieceSearch
{
    /// <summary>An older copy whose good pieces are taken, with its own verification; null for none.</summary>
    public (Folder Folder, VerifyResult Found)? Donor { get; init; }

    /// <summary>Where else to look; null to look nowhere.</summary>
    public LocalPlaces? Places { get; init; }

    /// <summary>Counts the bytes that are read.</summary>
    public WorkMeter? Meter { get; init; }
}

/// <summary>A repair's plan with what it was made from: the verification, and the pieces that were found on this machine.</summary>
/// <param name="Before">The verification.</param>
/// <param name="Plan">The plan.</param>
/// <param name="Local">What was found on this machine; null if nobody looked.</param>
public sealed record PreparedRepair(VerifyResult Before, RepairPlan Plan, LocalPieces? Local) : IOperationPlan, IDisposable
{
    /// <inheritdoc/>
    public bool IsEmpty => Plan.IsEmpty;

    /// <summary>Makes the plan for what a verification has found, and looks on this machine for the pieces that it needs.</summary>
    /// <param name="before">The verification.</param>
    /// <param name="install">What was verified.</param>
    /// <param name="wish">What is wanted.</param>
    /// <param name="search">Where else good pieces may be.</param>
    /// <param name="cancel">Ends it.</param>
    public static PreparedRepair Of(
        VerifyResult before, Folder install, RepairWish wish, PieceSearch search, CancellationToken cancel)
    {
        var plan = RepairPlan.For(before, wish);
        if (search.Donor is { } copy)
            plan = plan.BesideDonor(copy.Found, wish.Disk);
        if (search.Places is not { } places)
            return new PreparedRepair(before, plan, null);
        var local = LocalPieces.For(
            plan, search.Donor?.Found ?? before, search.Donor?.Folder ?? install, places, search.Meter, cancel);
        return new PreparedRepair(before, plan.With(local), local);
    }

    /// <inheritdoc/>
    public void Dispose() => Local?.Dispose();
}
