using System.Globalization;
using Mukta.Disk;
using Mukta.Host.Packages;
using Mukta.Host.Processes;
using Mukta.Host.Services;
using Mukta.Host.Shortcuts;
using Mukta.Products;

namespace Mukta.Host.Interference;

/// <summary>The product whose surroundings are looked at.</summary>
/// <param name="Profile">Its profile.</param>
/// <param name="Install">Its install; null if there is none.</param>
/// <param name="Others">Installs of products that belong to it: their libraries are not from elsewhere.</param>
public sealed record LookedProduct(Profile Profile, string? Install, IReadOnlyList<string> Others);

/// <summary>Looks for other programs that get between a product and its files or its anti-cheat module.</summary>
/// <param name="machine">The machine.</param>
/// <param name="services">Its service manager.</param>
/// <param name="environment">The environment variables.</param>
/// <param name="proc">Where the kernel shows its processes.</param>
public sealed class InterferenceLook(
    Machine machine, IServiceControl services, Func<string, string?> environment, string proc = "/proc")
{
    private readonly IPackageManager? packages = PackageManagers.Of(machine);

    /// <summary>What concerns every program of the machine: preloaded libraries and graphics layers.</summary>
    public async Task<InterferenceFacts> OfMachineAsync(CancellationToken cancel) => new()
    {
        Preloads = [.. Preloads.OfMachine(machine, environment)],
        Layers = await ImplicitLayers.OfAsync(machine, environment, packages, cancel).ConfigureAwait(false),
    };

    /// <summary>What concerns one product.</summary>
    public async Task<InterferenceFacts> OfAsync(LookedProduct product, CancellationToken cancel)
    {
        IReadOnlyList<Shortcut> shortcuts = product.Install is null ? [] : new ShortcutLook(machine).At(product.Profile, product.Install);
        var preloads = Preloads.Of(shortcuts).ToList();
        if (!machine.IsLive)
            return new InterferenceFacts { Preloads = preloads, Unseen = "the programs of a machine cannot be seen on its disk" };
        using var folder = product.Install is { } install ? Folder.Open(install) : null;
        var own = new ProcessTable(proc).Using(folder is null ? [] : [folder.RealPath], product.Profile.Processes).Running
            .Where(r => r.IsOfProduct).ToList();
        var (scanners, locks, hidden) = folder is null ? ([], [], 0) : LookAtAll(folder, own, cancel);
        var (conflicts, unseen) = await ConflictsAsync(product.Profile, cancel).ConfigureAwait(false);
        var asked = shortcuts.SelectMany(s => s.Asked?.Environment ?? new Dictionary<string, string>()).ToList();
        return new InterferenceFacts
        {
            Preloads = [.. preloads, .. own.SelectMany(p => WhileThere(() => Preloads.Of(View(p.Pid), asked).ToList(), []))],
            Traced = [.. own.Select(Tracer).OfType<TracedProcess>()],
            Injected = await InjectedAsync(product, folder?.RealPath, own, cancel).ConfigureAwait(false),
            Scanners = scanners,
            Locks = locks,
            Conflicts = conflicts,
            Hidden = hidden,
            Unseen = unseen,
        };
    }

    /// <summary>The conflicts of a profile that run now, in the profile's order; and why something of it is not known.</summary>
    public async Task<(IReadOnlyList<RunningConflict> Running, string? Unseen)> ConflictsAsync(Profile profile, CancellationToken cancel)
    {
        IReadOnlyList<string> units = [.. profile.Conflicts.SelectMany(c => c.Units).Distinct()];
        HashSet<string> up = [];
        string? unseen = null;
        try
        {
            var states = units.Count == 0 ? [] : await services.StatesAsync(units, cancel).ConfigureAwait(false);
            up = [.. states.Where(s => s.Active is "active" or "activating" or "reloading").Select(s => s.Unit)];
        }
        catch (ServiceControlFailed e)
        {
            unseen = e.What.TrimEnd('.');
        }

        var table = new ProcessTable(proc);
        return ([.. profile.Conflicts
            .Select(c => new RunningConflict(c, table.Using([], c.Processes).Running, [.. c.Units.Where(up.Contains)]))
            .Where(c => c.Processes.Count > 0 || c.Units.Count > 0)], unseen);
    }

    private ProcessView View(int pid) => new(Path.Join(proc, pid.ToString(CultureInfo.InvariantCulture)));

    /// <summary>Processes come and go while they are looked at.</summary>
    private static T WhileThere<T>(Func<T> look, T gone)
    {
        try
        {
            return look();
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or FormatException or InvalidOperationException)
        {
            return gone;
        }
    }

    private TracedProcess? Tracer(RunningProcess process) => WhileThere(
        () => View(process.Pid).Tracer is > 0 and var tracer ? new TracedProcess(process, OtherProgram.Of(View(tracer))) : null, null);

    /// <summary>Who watches the disk of an install, and who has locked a file in it: by every open file of every process.</summary>
    private (List<FileScanner> Scanners, List<LockedFile> Locks, int Hidden) LookAtAll(
        Folder install, List<RunningProcess> own, CancellationToken cancel)
    {
        var (scanners, locks, hidden) = (new List<FileScanner>(), new List<LockedFile>(), 0);
        var (place, below) = (WatchedPlace.Of(install), install.RealPath.TrimEnd('/') + "/");
        foreach (var folder in Directory.EnumerateDirectories(proc))
        {
            cancel.ThrowIfCancellationRequested();
            if (!int.TryParse(Path.GetFileName(folder), NumberStyles.None, CultureInfo.InvariantCulture, out var pid)
                || pid == Environment.ProcessId || own.Exists(o => o.Pid == pid))
                continue;
            var process = new ProcessView(folder);
            if (WhileThere(() => process.OpenFiles ?? (process.IsOfKernel ? [] : null), []) is not { } files)
            {
                hidden++;
                continue;
            }

            bool? mayRefuse = null;
            foreach (var (number, target) in files)
            {
                if (target == FanotifyMarks.OpenFile
                    && WhileThere(() => FanotifyMarks.MayRefuse(process.LinesOf(number), place), null) is { } refuses)
                    mayRefuse = mayRefuse == true || refuses;
                if (target.StartsWith(below, StringComparison.Ordinal) && !target.StartsWith(below + ".mukta/", StringComparison.Ordinal)
                    && WhileThere(() => process.LinesOf(number).Any(l => l.StartsWith("lock:", StringComparison.Ordinal)), false)
                    && WhileThere(() => OtherProgram.Of(process), null) is { } locker)
                    locks.Add(new LockedFile(locker, target[below.Length..]));
            }

            if (mayRefuse is { } may && WhileThere(() => OtherProgram.Of(process), null) is { } scanner)
                scanners.Add(new FileScanner(scanner, may));
        }

        return (scanners, [.. locks.Distinct()], hidden);
    }

    /// <summary>The libraries in the product's processes that come neither with it nor with the system.</summary>
    private async Task<IReadOnlyList<InjectedLibrary>> InjectedAsync(
        LookedProduct product, string? install, List<RunningProcess> own, CancellationToken cancel)
    {
        var known = product.Others.Where(Directory.Exists).Select(Folder.RealPathOf).Append(install)
            .Concat(product.Profile.Runtime.Layer is { } layer ? machine.Folders.FoldersAt(layer, product.Install) : [])
            .OfType<string>().Select(f => f.TrimEnd('/') + "/").ToList();
        var seen = own.SelectMany(p => WhileThere(
            () => View(p.Pid).Libraries.Where(l => !known.Exists(k => l.StartsWith(k, StringComparison.Ordinal)) && !IsOfKernel(l)
            && l != ProcessTable.ProgramOf(p.Pid)).Select(l => (Process: p, Library: l)).ToList(), [])).ToList();
        if (packages is null || seen.Count == 0)
            return []; // Without a list of the system's own files, no other file can be told from them.
        var owners = await packages.OwnersAsync([.. seen.Select(s => s.Library).Distinct()], cancel).ConfigureAwait(false);
        return [.. seen.Where(s => !owners.ContainsKey(s.Library))
            .Select(s => new InjectedLibrary(s.Process, s.Library, WhileThere(() => Node.At(s.Library)?.User, null)))];
    }

    /// <summary>Memory that has a name but is not a file on a disk.</summary>
    private static bool IsOfKernel(string path) => path.StartsWith("/memfd:", StringComparison.Ordinal)
        || path.StartsWith("/dev/", StringComparison.Ordinal) || path.StartsWith("/SYSV", StringComparison.Ordinal)
        || path.StartsWith("/anon_hugepage", StringComparison.Ordinal);
}
