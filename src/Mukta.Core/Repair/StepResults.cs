using System.Collections.Concurrent;
using System.Runtime.ExceptionServices;
using Mukta.Disk;
using Mukta.Repair.Damage;

namespace Mukta.Repair;

/// <summary>What has come so far of the steps of one plan.</summary>
internal sealed class StepResults
{
    /// <summary>Steps that are done.</summary>
    public int Done { get; private set; }

    /// <summary>Steps that failed.</summary>
    public ConcurrentQueue<RepairFailure> Failures { get; } = [];

    /// <summary>What the damage of single files looks like.</summary>
    public ConcurrentBag<(string Path, FoundCause Cause)> Causes { get; } = [];

    /// <summary>Files whose bytes were proven on the disk, as they were right afterwards.</summary>
    public Dictionary<string, Node> Proven { get; } = new(StringComparer.Ordinal);

    /// <summary>Counts a step as done, or notes why it failed.</summary>
    public void Count(string path, Exception? failure)
    {
        if (failure is null)
            Done++;
        else
            Fail(path, failure);
    }

    /// <summary>Counts a file's step as done: its bytes were proven on the disk.</summary>
    public void CountProven(string path, Node there)
    {
        Done++;
        Proven[path] = there;
    }

    /// <summary>Does a part of a step. False if it fails, and then the failure is noted.</summary>
    public bool Does(string path, Action act)
    {
        var failure = Tried(act);
        if (failure is not null)
            Fail(path, failure);
        return failure is null;
    }

    /// <summary>Notes why a step failed. A disk that is full would fail for all that follow too.</summary>
    public void Fail(string path, Exception failure)
    {
        if (failure is DiskException { Errno: DiskException.NoSpace or DiskException.QuotaExceeded })
            ExceptionDispatchInfo.Throw(failure);
        Failures.Enqueue(failure is MuktaException known ? new RepairFailure(path, known.What.TrimEnd('.'), known.Code)
            : new RepairFailure(path, $"the disk fails: {failure.Message.TrimEnd('.')}", ExitCode.Blocked));
    }

    /// <summary>Does something, and answers how it failed.</summary>
    public static Exception? Tried(Action act)
    {
        try
        {
            act();
            return null;
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            return e;
        }
    }
}
