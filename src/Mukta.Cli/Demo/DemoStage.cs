using System.Diagnostics;
using Mukta.Disk;

namespace Mukta.Cli.Demo;

/// <summary>The demo's folder and programs. What it has started ends with it, and the folder goes unless it is to be kept.</summary>
internal sealed class DemoStage : IDisposable
{
    private const int Terminate = 15;
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(2);
    private readonly List<Process> started = [];

    private DemoStage(string folder, bool isKept) => (Folder, IsKept) = (folder, isKept);

    public string Folder { get; }

    public bool IsKept { get; }

    /// <summary>The folder of both programs.</summary>
    public static string Programs => AppContext.BaseDirectory;

    public static string Mukta { get; } = Path.Join(Programs, "mukta");

    public static string StandIns { get; } = Path.Join(Programs, "mukta-standins");

    /// <summary>Makes the folder.</summary>
    /// <exception cref="MuktaException">It is in use, or the stand-ins are not there.</exception>
    public static DemoStage Open(string? keep)
    {
        if (!File.Exists(StandIns))
        {
            throw new MuktaException(
                ExitCode.BadInput, "The demo needs the program mukta-standins beside mukta.", StandIns,
                "Put both programs of the release into one folder.");
        }

        if (keep is null)
            return new DemoStage(Directory.CreateTempSubdirectory("mukta-demo-").FullName, isKept: false);
        if (Directory.Exists(keep) && Directory.EnumerateFileSystemEntries(keep).Any())
            throw new MuktaException(ExitCode.BadInput, "The folder for the demo is not empty.", keep, "Name a new folder with --keep.");
        try
        {
            return new DemoStage(Directory.CreateDirectory(keep).FullName, isKept: true);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new MuktaException(
                ExitCode.Blocked, "The folder for the demo cannot be made.", keep, "Name a folder that you may write to with --keep.", e);
        }
    }

    /// <summary>Runs a program in the demo's folder, with this program's own input and output.</summary>
    public async Task<int> RunAsync(
        string program, IReadOnlyList<string> arguments, CancellationToken cancel, string? outputFile = null)
    {
        var start = StartOf(program, arguments);
        start.RedirectStandardOutput = outputFile is not null;
        using var process = Process.Start(start)!;
        if (outputFile is not null)
        {
            await File.WriteAllTextAsync(outputFile, await process.StandardOutput.ReadToEndAsync(cancel).ConfigureAwait(false), cancel)
                .ConfigureAwait(false);
        }

        try
        {
            await process.WaitForExitAsync(cancel).ConfigureAwait(false);
            return process.ExitCode;
        }
        catch (OperationCanceledException)
        {
            process.Kill();
            await process.WaitForExitAsync(CancellationToken.None).ConfigureAwait(false);
            throw;
        }
    }

    /// <summary>Starts a program that goes on, and answers what it prints first.</summary>
    public async Task<(Process Process, string FirstLine)> StartAsync(
        string program, IReadOnlyList<string> arguments, CancellationToken cancel)
    {
        var start = StartOf(program, arguments);
        start.RedirectStandardOutput = true;
        var process = Process.Start(start)!;
        started.Add(process);
        var line = await process.StandardOutput.ReadLineAsync(cancel).ConfigureAwait(false);
        return (process, line ?? throw new InvalidOperationException($"{program} ended before it was ready."));
    }

    /// <summary>Puts a script in a program's place that does nothing until it is ended, and starts it.</summary>
    public async Task StartTrayAsync(string program, CancellationToken cancel)
    {
        await File.WriteAllTextAsync(program, "echo up\nwhile :; do sleep 1; done\n", cancel).ConfigureAwait(false);
        await StartAsync("/bin/sh", [program], cancel).ConfigureAwait(false);
    }

    /// <summary>Asks a program to end (SIGTERM).</summary>
    public static void EndIt(Process process)
    {
        using var held = process.HasExited ? null : ProcessHandle.Open(process.Id);
        held?.TrySignal(Terminate, out _);
    }

    public void Dispose()
    {
        foreach (var process in started)
        {
            EndIt(process);
            if (!process.WaitForExit(Patience))
                process.Kill();
            process.WaitForExit();
            process.Dispose();
        }

        if (!IsKept)
            Directory.Delete(Folder, recursive: true);
    }

    private ProcessStartInfo StartOf(string program, IReadOnlyList<string> arguments)
    {
        var start = new ProcessStartInfo(program, arguments) { WorkingDirectory = Folder };
        foreach (var variable in start.Environment.Keys.Where(k => k.StartsWith("XDG_", StringComparison.Ordinal)).ToList())
            start.Environment.Remove(variable);
        foreach (var variable in start.Environment.Keys.Where(k => k.EndsWith("_proxy", StringComparison.OrdinalIgnoreCase)).ToList())
            start.Environment.Remove(variable); // All of the demo's servers are on this machine.
        start.Environment["HOME"] = Folder; // The demo's user lives in the demo's folder.
        start.Environment[Session.ProfilesVariable] = Path.Join(Folder, "profiles");
        start.Environment[Host.Services.Systemctl.Variable] = Path.Join(Folder, "host", "systemctl");
        return start;
    }
}
