using Mukta.Disk;
using Mukta.Host.Services;

namespace Mukta.Host.Processes;

/// <summary>
/// Nothing is touched while a product runs. Whoever touches something of a product cannot be made without one of these, and asks it right
/// before.
/// </summary>
/// <param name="machine">The machine. On a mounted disk only processes count that use the very folders.</param>
/// <param name="processNames">What the product's processes are called.</param>
/// <param name="howToEnd">What to do about them, in words.</param>
public sealed class RunningGuard(Machine machine, IReadOnlyList<string> processNames, string howToEnd)
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(10);

    /// <summary>The processes that use the product, or one of these files or folders. A service's own process is not among them.</summary>
    /// <param name="paths">Files and folders, there or not.</param>
    /// <param name="services">Services whose processes do not count, because they are stopped by whoever asks.</param>
    public ProcessLook Using(IEnumerable<string> paths, IReadOnlyList<ServiceState> services)
    {
        var look = new ProcessTable().Using(
            [.. paths.Where(Path.Exists).Select(Folder.RealPathOf).Distinct(StringComparer.Ordinal)], machine.IsLive ? processNames : []);
        return look with { Running = [.. look.Running.Where(r => services.All(s => s.MainPid != r.Pid))] };
    }

    /// <summary>Refuses if there are any.</summary>
    /// <exception cref="ProductRuns">There are some.</exception>
    public void Refuse(IEnumerable<string> paths, IReadOnlyList<ServiceState> services)
    {
        if (Using(paths, services).Running is { Count: > 0 } running)
            throw new ProductRuns(running, howToEnd);
    }

    /// <summary>Ends them by request, and answers what became of each.</summary>
    public async Task<IReadOnlyList<EndedProcess>> EndAsync(
        IEnumerable<string> paths, IReadOnlyList<ServiceState> services, TimeProvider time, CancellationToken cancel) =>
        Using(paths, services).Running is { Count: > 0 } running
            ? await new ProcessEnder(new ProcessTable(), time)
            .EndAsync(running, Patience, force: false, null, cancel).ConfigureAwait(false) : [];
}
