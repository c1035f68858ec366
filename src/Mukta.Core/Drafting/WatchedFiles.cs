using Mukta.Host.Processes;

namespace Mukta.Drafting;

/// <summary>
/// What a product's processes have open while they are watched. They are checked several times a second; a file that is open for a moment
/// only may be missed.
/// </summary>
/// <param name="Files">The files, and whether one was open for writing.</param>
/// <param name="Programs">Their programs, as paths.</param>
internal sealed record WatchedFiles(IReadOnlyDictionary<string, bool> Files, IReadOnlySet<string> Programs)
{
    private static readonly TimeSpan Pause = TimeSpan.FromMilliseconds(150);

    /// <summary>Nothing: for a machine that does not run.</summary>
    public static WatchedFiles None { get; } = new(new Dictionary<string, bool>(), new HashSet<string>());

    /// <summary>Watches for some time; looks once if there is none.</summary>
    public static async Task<WatchedFiles> WatchAsync(string install, TimeSpan duration, TimeProvider time, CancellationToken cancel)
    {
        var table = new ProcessTable();
        var files = new Dictionary<string, bool>(StringComparer.Ordinal);
        var programs = new HashSet<string>(StringComparer.Ordinal);
        var began = time.GetTimestamp();
        while (true)
        {
            foreach (var process in table.Using([install], []).Running)
            {
                if (ProcessTable.ProgramOf(process.Pid) is not { } program || !program.StartsWith(install + "/", StringComparison.Ordinal))
                    continue; // A shell or an editor that only stands in the folder.
                programs.Add(program);
                foreach (var file in table.OpenedBy(process.Pid))
                    files[file.Path] = files.GetValueOrDefault(file.Path) || file.IsForWriting;
            }

            if (time.GetElapsedTime(began) >= duration)
                return new WatchedFiles(files, programs);
            await Task.Delay(Pause, time, cancel).ConfigureAwait(false);
        }
    }
}
