using System.Globalization;
using System.Text;
using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.Host.Processes;

/// <summary>
/// Looks through /proc for the processes that use a product: by their program, by their name, by files that they have
/// open or mapped. Processes come and go while it reads; one that is gone is left out.
/// </summary>
/// <param name="proc">Where the kernel shows its processes.</param>
public sealed class ProcessTable(string proc = "/proc")
{
    private const int TicksPerSecond = 100; // USER_HZ: the same on every Linux that .NET runs on.
    private const int MostReasons = 4;
    private const string OwnLock = "/" + InstallLock.LockFile;
    private static readonly string? OwnProgram = Target("/proc/self/exe");

    /// <summary>
    /// The processes that use a product, in the order of their numbers. Runs of mukta are not among them, this one, another, or what one is
    /// about to start: they keep off each other by locks.
    /// </summary>
    /// <param name="folders">The real paths of its folders, without a link on their way: the install first, then caches and the
    /// like.</param>
    /// <param name="names">Names of the product's processes; a process counts by name only if a file of this name is its program or first
    /// word.</param>
    public ProcessLook Using(IReadOnlyList<string> folders, IReadOnlyList<string> names)
    {
        var booted = BootTime();
        var found = new List<RunningProcess>();
        var hidden = 0;
        var below = folders.Select(f => f.TrimEnd('/') + "/").ToList();
        var mapped = new MappedFiles(below);
        foreach (var folder in Directory.EnumerateDirectories(proc))
        {
            if (!int.TryParse(Path.GetFileName(folder), NumberStyles.None, CultureInfo.InvariantCulture, out var pid)
                || pid == Environment.ProcessId)
                continue;
            try
            {
                if (Look(folder, pid, below, mapped, names, booted, ref hidden) is { } process)
                    found.Add(process);
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException or FormatException)
            {
                // It has ended while we looked.
            }
        }

        return new ProcessLook([.. found.OrderBy(p => p.Pid)], hidden);
    }

    /// <summary>When a process was started, in clock ticks; null if there is none of this number, or only what is left of one.</summary>
    public long? StartTicks(int pid)
    {
        try
        {
            var (state, ticks) = Stat(Path.Join(proc, pid.ToString(CultureInfo.InvariantCulture)));
            return state == "Z" ? null : ticks;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or FormatException)
        {
            return null;
        }
    }

    /// <summary>The process that started another; 0 for none.</summary>
    public int ParentOf(int pid)
    {
        try
        {
            return int.Parse(AfterName(Path.Join(proc, pid.ToString(CultureInfo.InvariantCulture)))[1], CultureInfo.InvariantCulture);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or FormatException)
        {
            return 0;
        }
    }

    /// <summary>The program that a process runs; null if only root may look, or if it has ended.</summary>
    public static string? ProgramOf(int pid) => Target(string.Create(CultureInfo.InvariantCulture, $"/proc/{pid}/exe"));

    /// <summary>The files that a process has open just now; none where only root may look, or if it has ended.</summary>
    public IReadOnlyList<OpenedFile> OpenedBy(int pid)
    {
        var folder = Path.Join(proc, pid.ToString(CultureInfo.InvariantCulture));
        try
        {
            return [.. Directory.EnumerateFileSystemEntries(Path.Join(folder, "fd"))
                .Select(fd => Target(fd) is { } path && path.StartsWith('/') ? new OpenedFile(path, IsForWriting(folder, fd)) : null)
                .OfType<OpenedFile>()];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }

    /// <summary>By the open file's flags, see proc_pid_fdinfo(5).</summary>
    private static bool IsForWriting(string folder, string fd)
    {
        try
        {
            var flags = File.ReadLines(Path.Join(folder, "fdinfo", Path.GetFileName(fd)))
                .FirstOrDefault(l => l.StartsWith("flags:", StringComparison.Ordinal));
            return flags is not null && (Convert.ToInt64(flags[6..].Trim(), 8) & 3) != 0;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or FormatException or OverflowException)
        {
            return false;
        }
    }

    private static RunningProcess? Look(
        string folder, int pid, List<string> below, MappedFiles mapped, IReadOnlyList<string> names, DateTimeOffset booted, ref int hidden)
    {
        var (state, ticks) = Stat(folder);
        if (state == "Z")
            return null;
        var name = Text(folder, "comm").TrimEnd('\n');
        var program = Target(Path.Join(folder, "exe"));
        var commandLine = Text(folder, "cmdline");
        var firstWord = Path.GetFileName(commandLine.Split('\0')[0]);
        var reasons = new List<string>();
        if (program is not null && Inside(program, below) is { } own)
            reasons.Add($"runs {own}");
        if (names.FirstOrDefault(n => n == firstWord || n == Path.GetFileName(program)) is { } known)
            reasons.Add($"named in the profile as {known}");
        var isOfProduct = reasons.Count > 0;
        var open = Open(folder);
        if ((program is not null && program == OwnProgram) || (open ?? []).Any(f => f.EndsWith(OwnLock, StringComparison.Ordinal)))
            return null;
        hidden += open is null && commandLine.Length > 0 && reasons.Count == 0 ? 1 : 0; // Threads of the kernel have no command line.
        foreach (var file in (open ?? []).Select(f => (How: "open", Path: f))
            .Concat(mapped.Of(folder).Select(f => (How: "mapped", Path: f))))
        {
            if (reasons.Count < MostReasons && file.Path != program && Inside(file.Path, below) is { } used
                && !reasons.Contains($"it has {used} {file.How}"))
                reasons.Add($"it has {used} {file.How}");
        }

        if (reasons.Count == 0)
            return null;
        return new RunningProcess(
            pid, name, new ProcessView(folder).Owner, booted.AddSeconds((double)ticks / TicksPerSecond), ticks, reasons)
        {
            IsOfProduct = isOfProduct,
        };
    }

    /// <summary>
    /// A path as seen from the first of the folders, which is the install, and whole below the others; null outside all of them.
    /// </summary>
    private static string? Inside(string path, List<string> below)
    {
        var at = below.FindIndex(b => path.StartsWith(b, StringComparison.Ordinal));
        return at < 0 ? null : at == 0 ? path[below[0].Length..] : path;
    }

    /// <summary>State and start (fields 3 and 22 of /proc/PID/stat, see proc(5)).</summary>
    private static (string State, long Ticks) Stat(string folder)
    {
        var fields = AfterName(folder);
        return (fields[0], long.Parse(fields[19], CultureInfo.InvariantCulture));
    }

    /// <summary>The fields behind the name, which may itself contain spaces and brackets.</summary>
    private static string[] AfterName(string folder)
    {
        var text = Text(folder, "stat");
        var fields = text[(text.LastIndexOf(')') + 1)..].Split(' ', StringSplitOptions.RemoveEmptyEntries);
        return fields.Length > 19 ? fields : throw new FormatException("A line of /proc/PID/stat is shorter than it should be.");
    }

    /// <summary>A short file of a process, without the buffers of a reader of long texts.</summary>
    private static string Text(string folder, string file) => Encoding.UTF8.GetString(File.ReadAllBytes(Path.Join(folder, file)));

    /// <summary>
    /// The files and folders that a process has open; null if only root may look. Mukta's own folders are left out: a program that watches
    /// the folders of a user, such as a file manager, opens every new one.
    /// </summary>
    private static List<string>? Open(string folder)
    {
        try
        {
            return [.. Directory.EnumerateFileSystemEntries(Path.Join(folder, "fd"))
                .Select(fd => Target(fd) is { } path && !(IsOwn(path) && Directory.Exists(fd)) ? path : null).OfType<string>()];
        }
        catch (UnauthorizedAccessException)
        {
            return null;
        }
        catch (IOException)
        {
            return []; // It has just ended.
        }
    }

    private static bool IsOwn(string path) => $"{path}/".Contains($"/{OwnFolder.Name}/", StringComparison.Ordinal);

    /// <summary>What a link of /proc points to, a file that was deleted since too; null if that cannot be seen.</summary>
    internal static string? Target(string link)
    {
        try
        {
            return new FileInfo(link).LinkTarget is { } target ? target.EndsWith(" (deleted)", StringComparison.Ordinal) ? target[..^10]
                : target : null;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }

    private DateTimeOffset BootTime()
    {
        var line = File.ReadLines(Path.Join(proc, "stat")).First(l => l.StartsWith("btime ", StringComparison.Ordinal));
        return DateTimeOffset.FromUnixTimeSeconds(long.Parse(line.AsSpan(6), CultureInfo.InvariantCulture));
    }
}
