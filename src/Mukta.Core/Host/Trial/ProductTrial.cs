using System.Globalization;
using Mukta.Disk;
using Mukta.Host.Access;
using Mukta.Host.Processes;
using Mukta.Host.Shortcuts;
using Mukta.Operations;
using Mukta.Products;

namespace Mukta.Host.Trial;

/// <summary>
/// Starts a product as its shortcut does, as the player, and watches it. Its processes are known by a variable of their environment, which
/// they hand on to whatever they start.
/// </summary>
/// <param name="machine">The machine.</param>
/// <param name="environment">The environment variables, as <c>NAME=VALUE</c>.</param>
/// <param name="time">For the waits.</param>
public sealed class ProductTrial(Machine machine, IReadOnlyList<string> environment, TimeProvider time)
{
    private const string Mark = "MUKTA_TRIAL";
    private const int MostLines = 10, LongestTail = 64 << 10;
    private static readonly TimeSpan Step = TimeSpan.FromMilliseconds(200), Patience = TimeSpan.FromSeconds(10);

    /// <summary>The loader's own words (ld.so(8)).</summary>
    private static readonly string[] OfLoader =
    [
        "error while loading shared libraries", "symbol lookup error", "undefined symbol", "' not found (required by",
        "cannot open shared object file",
    ];

    /// <summary>How the product is started.</summary>
    /// <exception cref="MuktaException">No shortcut says so, or it cannot be read.</exception>
    public TrialStart PlanOf(Profile profile, string install)
    {
        RefuseDisk();
        var shortcuts = new ShortcutLook(machine).At(profile, install).Where(s => s.Asked is not null).ToList();
        if (shortcuts.Count == 0)
        {
            throw new MuktaException(
                ExitCode.BadInput, "The profile names no shortcut, so how the product is started is not known.", profile.Product,
                "Add the shortcut to the profile.");
        }

        if (shortcuts[0] is not { Entry: { Exec: { } exec } entry } shortcut)
        {
            throw new MuktaException(
                ExitCode.Problems, "The shortcut is missing or cannot be read, so how the product is started is not known.",
                shortcuts[0].Path, $"Restore it with: mukta shortcuts restore {profile.Product}");
        }

        return Start(
            shortcut.Path, exec.Program,
            [.. exec.Arguments.Where(a => !IsFieldCode(a)).Select(a => a.Replace("%%", "%", StringComparison.Ordinal))],
            [.. exec.Environment.Select(v => $"{v.Key}={v.Value}")],
            entry.Get("Path") is { Length: > 0 } folder && Directory.Exists(folder) ? folder : machine.Folders.Home);
    }

    /// <summary>How the program is started that says whether the product works; null if the profile names none.</summary>
    /// <exception cref="MuktaException">The machine is not running.</exception>
    public TrialStart? ProbeOf(Profile profile, string install)
    {
        RefuseDisk();
        return profile.With(v => machine.Folders.FolderOf(v, install)).Probe is not { } probe ? null
            : Start("", Path.Join(install, probe.Program), probe.Arguments, [], install);
    }

    private TrialStart Start(
        string shortcut, string program, IReadOnlyList<string> arguments, IReadOnlyList<string> variables, string folder)
    {
        using var home = Folder.Open(machine.Folders.Home);
        var player = Player.Of(machine);
        var names = variables.Select(v => v.Split('=')[0]).ToHashSet(StringComparer.Ordinal);
        return new TrialStart(
            shortcut, program, arguments, [.. Session(player.User).Where(v => !names.Contains(v.Split('=')[0])), .. variables], folder,
            player.User)
        {
            Group = home.Look(".")!.Value.Group,
        };
    }

    private void RefuseDisk()
    {
        if (!machine.IsLive)
        {
            throw new MuktaException(
                ExitCode.BadInput, "A product can only be tried on the machine that runs it.", machine.Root,
                "Start that machine and run the command there.");
        }
    }

    /// <summary>Starts the product and watches it.</summary>
    /// <param name="start">From <see cref="PlanOf"/>.</param>
    /// <param name="duration">For how long.</param>
    /// <param name="ends">True to end it afterwards.</param>
    /// <param name="cancel">Interrupts; then it is ended if it was to be.</param>
    public async Task<TrialReport> RunAsync(TrialStart start, TimeSpan duration, bool ends, CancellationToken cancel)
    {
        var mark = $"{Mark}={Guid.NewGuid():N}";
        var folder = Directory.CreateTempSubdirectory("mukta-try-").FullName;
        var output = Path.Join(folder, "output");
        try
        {
            var said = await KernelMessages.LastAsync(cancel).ConfigureAwait(false);
            var begun = time.GetTimestamp();
            int pid;
            try
            {
                pid = UserProcess.Start(
                    new ProcessStopped(
                        start.Program, [start.Program, .. start.Arguments], start.Folder, [.. start.Environment, mark], start.User,
                        start.Group),
                    output);
            }
            catch (DiskException e)
            {
                return new TrialReport(TrialResult.NotStarted, TimeSpan.Zero) { Reason = e.What.Split(": ", 2)[^1].TrimEnd('.') };
            }

            var seen = new HashSet<int> { pid };
            ProcessEnd? end = null;
            List<RunningProcess> left;
            try
            {
                while (true)
                {
                    end ??= DetachedProcess.EndOf(pid);
                    left = Marked(mark, pid);
                    seen.UnionWith(left.Select(p => p.Pid));
                    if (time.GetElapsedTime(begun) >= duration || (end is not null && left.Count == 0))
                        break;
                    await Task.Delay(Step, time, cancel).ConfigureAwait(false);
                }
            }
            catch (OperationCanceledException) when (ends)
            {
                await EndAsync(mark).ConfigureAwait(false);
                throw;
            }

            var took = time.GetElapsedTime(begun);
            var lines = Tail(output);
            return new TrialReport(ResultOf(end, left), took)
            {
                Pid = pid,
                Code = end?.Code,
                Signal = end?.Signal,
                HasCore = end?.HasCore == true,
                LastLines = [.. lines.TakeLast(MostLines)],
                LoaderLines = [.. lines.Where(l => OfLoader.Any(w => l.Contains(w, StringComparison.Ordinal))).Distinct().Take(MostLines)],
                KernelLines = await KernelMessages.OfAsync(seen, said, cancel).ConfigureAwait(false),
                Left = left,
                Ended = ends ? await EndAsync(mark).ConfigureAwait(false) : [],
            };
        }
        finally
        {
            Directory.Delete(folder, recursive: true); // What still runs keeps its open file.
        }
    }

    private static TrialResult ResultOf(ProcessEnd? end, List<RunningProcess> left) => end switch
    {
        null => TrialResult.Running,
        { Signal: not null } => TrialResult.Killed,
        { Code: 0 } when left.Count > 0 => TrialResult.HandedOver,
        _ => TrialResult.Ended,
    };

    private async Task<IReadOnlyList<EndedProcess>> EndAsync(string mark) =>
        await new ProcessEnder(new ProcessTable(), time).EndAsync(Marked(mark, 0), Patience, force: true, null, CancellationToken.None)
        .ConfigureAwait(false);

    /// <summary>The processes that carry the mark, without the first one itself.</summary>
    private static List<RunningProcess> Marked(string mark, int first)
    {
        var found = new List<RunningProcess>();
        var table = new ProcessTable();
        foreach (var folder in Directory.EnumerateDirectories("/proc"))
        {
            try
            {
                if (int.TryParse(Path.GetFileName(folder), NumberStyles.None, CultureInfo.InvariantCulture, out var pid) && pid != first
                    && new ProcessView(folder) is var process && process.Environment.Contains(mark) && table.StartTicks(pid) is { } ticks)
                    found.Add(new RunningProcess(pid, process.Name, process.Owner, default, ticks, ["the product has started it"]));
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException or FormatException or InvalidOperationException)
            {
                // It has ended while we looked.
            }
        }

        return found;
    }

    /// <summary>The environment of the player: our own, or what one of their programs knows of the session.</summary>
    private IReadOnlyList<string> Session(uint user)
    {
        if (user == CurrentUser.Number)
            return [.. environment.Where(v => v.Split('=')[0] != "HOME").Append($"HOME={machine.Folders.Home}")];
        var account = File.ReadLines("/etc/passwd").Select(l => l.Split(':'))
            .FirstOrDefault(f => f.Length > 6 && f[2] == user.ToString(CultureInfo.InvariantCulture));
        string[] usual =
        [
            $"HOME={machine.Folders.Home}", $"USER={account?[0]}", $"LOGNAME={account?[0]}", $"SHELL={account?[6]}",
            "PATH=/usr/local/bin:/usr/bin:/bin:/usr/local/games:/usr/games",
        ];
        var desktop = Directory.EnumerateDirectories("/proc").Select(f => OfDesktop(new ProcessView(f), user))
            .FirstOrDefault(v => v is not null) ?? [];
        var names = desktop.Select(v => v.Split('=')[0]).ToHashSet(StringComparer.Ordinal);
        return [.. usual.Where(v => !names.Contains(v.Split('=')[0])), .. desktop];
    }

    private static List<string>? OfDesktop(ProcessView process, uint user)
    {
        try
        {
            return process.Owner == user && process.Environment.Where(UserProcess.IsOfSession).ToList() is var variables
                && variables.Exists(v => v.Split('=')[0] is "DISPLAY" or "WAYLAND_DISPLAY") ? variables : null;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or FormatException or InvalidOperationException)
        {
            return null;
        }
    }

    /// <summary>Field codes stand for files that are opened, and nothing is (Desktop Entry specification, "The Exec key").</summary>
    private static bool IsFieldCode(string argument) => argument is ['%', not '%'];

    private static List<string> Tail(string output) =>
        [.. SmallText.End(output, LongestTail).Split('\n').Select(l => l.TrimEnd('\r')).Where(l => l.Length > 0)];
}
