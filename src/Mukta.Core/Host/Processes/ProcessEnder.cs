using Mukta.Disk;

namespace Mukta.Host.Processes;

/// <summary>What became of a process that was to be ended.</summary>
/// <param name="Process">The process.</param>
/// <param name="IsGone">True if it has ended.</param>
/// <param name="Reason">Why it has not; null if it has.</param>
public sealed record EndedProcess(RunningProcess Process, bool IsGone, string? Reason = null);

/// <summary>
/// Ends processes: asks first (SIGTERM), waits, and kills only if told to. Holds on to each process by a descriptor
/// (pidfd_open), so that a number that is given out again meanwhile is never hit.
/// </summary>
/// <param name="table">For what is running.</param>
/// <param name="time">For the wait.</param>
public sealed class ProcessEnder(ProcessTable table, TimeProvider time)
{
    private const int Terminate = 15, Kill = 9;
    private static readonly TimeSpan Step = TimeSpan.FromMilliseconds(100);

    /// <summary>Why a process may never be ended, as words behind its name; null if it may.</summary>
    public string? Untouchable(RunningProcess process)
    {
        if (process.Pid == 1)
            return "is the machine's first process";
        for (var pid = Environment.ProcessId; pid > 1; pid = table.ParentOf(pid))
        {
            if (pid == process.Pid)
                return pid == Environment.ProcessId ? "is mukta itself" : "has started mukta";
        }

        return null;
    }

    /// <summary>Ends processes.</summary>
    /// <param name="processes">The ones from <see cref="ProcessTable.Using"/>; no other is touched.</param>
    /// <param name="patience">How long to wait after asking.</param>
    /// <param name="force">True to kill those that are still there then.</param>
    /// <param name="waiting">Told now and then how many are left and how much patience is.</param>
    /// <param name="cancel">Ends the wait.</param>
    public async Task<IReadOnlyList<EndedProcess>> EndAsync(
        IReadOnlyList<RunningProcess> processes, TimeSpan patience, bool force, Action<int, TimeSpan>? waiting, CancellationToken cancel)
    {
        var answers = new Dictionary<int, string?>();
        var held = new List<(RunningProcess Process, ProcessHandle Handle)>();
        try
        {
            foreach (var process in processes)
            {
                try
                {
                    if (Untouchable(process) is { } never)
                        answers[process.Pid] = never;
                    else if (Hold(process) is { } handle)
                        held.Add((process, handle));
                }
                catch (DiskException)
                {
                    answers[process.Pid] = "cannot be told apart from another that may get its number, so it was left alone";
                }
            }

            Signal(held, Terminate, answers);
            await WaitAsync(held, patience, waiting, cancel).ConfigureAwait(false);
            if (force)
            {
                Signal([.. held.Where(h => !h.Handle.HasEnded)], Kill, answers);
                await WaitAsync(held, Step * 20, null, cancel).ConfigureAwait(false);
            }

            foreach (var (process, handle) in held.Where(h => !h.Handle.HasEnded))
                answers.TryAdd(process.Pid, "does not end when it is asked to");
        }
        finally
        {
            held.ForEach(h => h.Handle.Dispose());
        }

        return [.. processes.Select(p => new EndedProcess(p, !answers.ContainsKey(p.Pid), answers.GetValueOrDefault(p.Pid)))];
    }

    /// <summary>A descriptor of exactly this process; null if it is gone, or another one has its number.</summary>
    private ProcessHandle? Hold(RunningProcess process)
    {
        var handle = ProcessHandle.Open(process.Pid);
        if (handle is null || table.StartTicks(process.Pid) == process.StartTicks)
            return handle;
        handle.Dispose();
        return null;
    }

    private static void Signal(
        IReadOnlyList<(RunningProcess Process, ProcessHandle Handle)> held, int signal, Dictionary<int, string?> answers)
    {
        foreach (var (process, handle) in held)
        {
            if (!handle.TrySignal(signal, out var isForbidden) && isForbidden)
                answers[process.Pid] = "belongs to another user: run the same command with sudo";
        }
    }

    private async Task WaitAsync(
        List<(RunningProcess Process, ProcessHandle Handle)> held, TimeSpan patience, Action<int, TimeSpan>? waiting,
        CancellationToken cancel)
    {
        var started = time.GetTimestamp();
        while (held.Count(h => !h.Handle.HasEnded) is var left and > 0 && patience - time.GetElapsedTime(started) is var rest
            && rest > TimeSpan.Zero)
        {
            waiting?.Invoke(left, rest);
            await Task.Delay(Step, time, cancel).ConfigureAwait(false);
        }
    }
}
