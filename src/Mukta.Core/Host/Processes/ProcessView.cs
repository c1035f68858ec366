using System.Globalization;

namespace Mukta.Host.Processes;

/// <summary>What the kernel says of one process (proc(5)). It may end at any moment: then every member throws an IOException.</summary>
/// <param name="folder">Its folder below /proc.</param>
internal sealed class ProcessView(string folder)
{
    /// <summary>Its number.</summary>
    public int Pid => int.Parse(Path.GetFileName(folder), CultureInfo.InvariantCulture);

    /// <summary>Its name, as the kernel keeps it (at most 15 bytes).</summary>
    public string Name => File.ReadAllText(Path.Join(folder, "comm")).TrimEnd('\n');

    /// <summary>Its user's number.</summary>
    public uint Owner => uint.Parse(Status("Uid:"), CultureInfo.InvariantCulture);

    /// <summary>Its group's number.</summary>
    public uint OwnGroup => uint.Parse(Status("Gid:"), CultureInfo.InvariantCulture);

    /// <summary>The file of its program; null if only root may look.</summary>
    public string? Program => ProcessTable.Target(Path.Join(folder, "exe"));

    /// <summary>The folder that it works in; null if only root may look.</summary>
    public string? WorkingFolder => ProcessTable.Target(Path.Join(folder, "cwd"));

    /// <summary>Its arguments, the one before the first among them: how it was called.</summary>
    public IReadOnlyList<string> Arguments => Read("cmdline").TrimEnd('\0') is { Length: > 0 } text ? text.Split('\0') : [];

    /// <summary>The environment that it was started with, as <c>NAME=VALUE</c>; none where only root may look.</summary>
    public IReadOnlyList<string> Environment => Read("environ").Split('\0', StringSplitOptions.RemoveEmptyEntries);

    /// <summary>The process that traces it (ptrace(2)); 0 for none.</summary>
    public int Tracer => int.Parse(Status("TracerPid:"), CultureInfo.InvariantCulture);

    /// <summary>True for a thread of the kernel: it has no command line, and neither files nor memory of its own.</summary>
    public bool IsOfKernel => File.ReadAllText(Path.Join(folder, "cmdline")).Length == 0;

    /// <summary>Its open files, by number; null if only root may look.</summary>
    public IReadOnlyList<(string Number, string Target)>? OpenFiles
    {
        get
        {
            try
            {
                return [.. Directory.EnumerateFileSystemEntries(Path.Join(folder, "fd"))
                    .Select(fd => (Number: Path.GetFileName(fd), Target: ProcessTable.Target(fd) ?? ""))];
            }
            catch (UnauthorizedAccessException)
            {
                return null;
            }
        }
    }

    /// <summary>What the kernel says of an open file: its flags, its locks, and what it watches.</summary>
    /// <param name="number">From <see cref="OpenFiles"/>.</param>
    public IReadOnlyList<string> LinesOf(string number) => Read(Path.Join("fdinfo", number)).Split('\n');

    /// <summary>The files that it has mapped as programs or libraries.</summary>
    public IReadOnlyList<string> Libraries =>
    [
        .. Read("maps").Split('\n').Where(l => l.Split(' ', 3) is [_, [_, _, 'x', _], _] && l.Contains('/', StringComparison.Ordinal))
            .Select(l => l[l.IndexOf('/', StringComparison.Ordinal)..])
            .Select(p => p.EndsWith(" (deleted)", StringComparison.Ordinal) ? p[..^10] : p).Distinct(),
    ];

    /// <summary>A variable of the environment that it was started with; null if it had none of this name, or only root may look.</summary>
    public string? Variable(string name) => Environment.Where(v => v.StartsWith(name + "=", StringComparison.Ordinal))
        .Select(v => v[(name.Length + 1)..]).FirstOrDefault();

    private string Status(string key) => File.ReadLines(Path.Join(folder, "status"))
        .First(l => l.StartsWith(key, StringComparison.Ordinal))[key.Length..].Split('\t', StringSplitOptions.RemoveEmptyEntries)[0];

    /// <summary>A file below its folder; empty if only root may look.</summary>
    private string Read(string file)
    {
        try
        {
            return File.ReadAllText(Path.Join(folder, file));
        }
        catch (UnauthorizedAccessException)
        {
            return "";
        }
    }
}
