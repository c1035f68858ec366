using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.Reinstall;

/// <summary>The steps of a clean reinstall, in order. In an operation's record each stands with the install's path behind it.</summary>
public static class ReinstallStep
{
    /// <summary>The user's data is copied, and the copy is checked.</summary>
    public const string UserDataCopied = "user-data-copied";

    /// <summary>The new tree is whole.</summary>
    public const string Built = "built";

    /// <summary>Services are off.</summary>
    public const string ServicesOff = "services-off";

    /// <summary>The vendor's remove has begun to run.</summary>
    public const string Removing = Setup.VendorRemove.Removing;

    /// <summary>The vendor's remove has run.</summary>
    public const string Removed = Setup.VendorRemove.Removed;

    /// <summary>The new tree is in the old one's place.</summary>
    public const string ChangedOver = "changed-over";

    /// <summary>The user's data is where it was.</summary>
    public const string UserDataBack = "user-data-back";

    /// <summary>Leftovers are set aside.</summary>
    public const string LeftoversSetAside = "leftovers-set-aside";

    /// <summary>The vendor's install has run.</summary>
    public const string SetUp = "set-up";

    /// <summary>Services are as expected.</summary>
    public const string ServicesRestored = "services-restored";

    /// <summary>Shortcuts are as expected.</summary>
    public const string ShortcutRestored = "shortcut-restored";

    /// <summary>The new install was verified.</summary>
    public const string Verified = "verified";

    /// <summary>How far an operation has come with an install.</summary>
    /// <param name="operation">The operation.</param>
    /// <param name="path">The install.</param>
    public static ReinstallState StateOf(Operation operation, string path)
    {
        bool Has(string step) => operation.IsDone(Of(step, path));
        return Has(Verified) ? ReinstallState.Finished
            : Has(ChangedOver) ? operation.IsWaiting ? ReinstallState.WaitsForRestart : ReinstallState.ChangedOver
            : Has(Removing) ? operation.IsWaiting ? ReinstallState.RemovedAndWaits : ReinstallState.Removed
            : Has(ServicesOff) ? ReinstallState.ServicesOff
            : ReinstallState.Preparing;
    }

    /// <summary>True if a step with an install is done in an operation that was interrupted.</summary>
    public static bool IsDone(OperationRecord record, string step, string path) => record.HasStep(Of(step, path));

    internal static string Of(string step, string path) => $"{step} {path}";

    /// <summary>The installs of an operation that was interrupted.</summary>
    public static IReadOnlyList<(string Product, string Path)> TargetsOf(OperationRecord record) =>
        [.. record.Notes(TargetNote).Select(n => (n.Of!, n.Text))];

    /// <summary>
    /// True if nothing was at a path when an operation was begun, and now there is something that is not the operation's.
    /// </summary>
    /// <param name="root">The machine's root.</param>
    /// <param name="record">The operation, which was interrupted.</param>
    /// <param name="path">The install.</param>
    public static bool IsTakenMeanwhile(string root, OperationRecord record, string path)
    {
        if (!Path.Exists(path) || IsDone(record, ChangedOver, path) || record.Notes(AbsentNote).All(n => n.Text != path))
            return false;
        using var folder = Folder.Open(root);
        var own = Path.GetRelativePath(folder.RealPath, Folder.RealPathOf(path));
        return !record.WithOtherPlaces(folder).Any(c => c.Change is Placed or Swapped or Renamed && c.Path == own);
    }

    internal const string TargetNote = "target", UserDataNote = "user-data", InsideNote = "inside", AbsentNote = "absent";
}
