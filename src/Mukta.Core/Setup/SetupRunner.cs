using System.ComponentModel;
using System.Diagnostics;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Host.Processes;
using Mukta.Host.Services;
using Mukta.Manifests;
using Mukta.Products;

namespace Mukta.Setup;

/// <summary>How a vendor's setup program has ended.</summary>
public enum SetupEnd
{
    /// <summary>It says done, and what has to be true then is.</summary>
    Done,

    /// <summary>It says done once the machine is restarted.</summary>
    NeedsRestart,

    /// <summary>It gave an exit code that does not mean done.</summary>
    Failed,

    /// <summary>It was ended at its time limit.</summary>
    HungUp,

    /// <summary>It says done, and what has to be true then is not.</summary>
    NotTrue,
}

/// <summary>What came of a run.</summary>
/// <param name="End">How it ended.</param>
/// <param name="ExitCode">Its exit code; null if it was ended.</param>
/// <param name="Elapsed">How long it ran.</param>
/// <param name="LastLines">The last lines that it wrote.</param>
/// <param name="NotTrue">What should be true and is not, in words.</param>
public sealed record SetupOutcome(
    SetupEnd End, int? ExitCode, TimeSpan Elapsed, IReadOnlyList<string> LastLines, IReadOnlyList<string> NotTrue);

/// <summary>
/// Runs a vendor's setup program as its profile describes it: only while its bytes are the published ones, with its
/// arguments one by one and no shell, within a time limit; and does not take its word for it afterwards.
/// </summary>
/// <param name="services">For the units that have to be up afterwards.</param>
/// <param name="time">For durations.</param>
public sealed class SetupRunner(IServiceControl services, TimeProvider time)
{
    private const int MostLines = 12, MostText = 16 << 10, LongestLine = 200;

    /// <summary>The number of the machine's present start (random(4), boot_id).</summary>
    public static string Boot => File.ReadAllText("/proc/sys/kernel/random/boot_id").Trim();

    /// <summary>True if a file is in an install with the published bytes.</summary>
    public static bool IsPublishedIn(string install, ManifestFile file)
    {
        using var folder = Folder.Open(install);
        return IsPublished(folder, file, CancellationToken.None);
    }

    /// <summary>True if a file is there with the published bytes.</summary>
    public static bool IsPublished(Folder install, ManifestFile file, CancellationToken cancel)
    {
        try
        {
            if (install.Look(file.Path) is not { Kind: NodeKind.File })
                return false;
            using var handle = install.OpenRead(file.Path);
            return IsPublished(handle, file, cancel);
        }
        catch (Exception e) when (e is IOException or DiskException)
        {
            return false;
        }
    }

    /// <summary>True if an open file has the published bytes.</summary>
    internal static bool IsPublished(SafeFileHandle handle, ManifestFile file, CancellationToken cancel)
    {
        if (RandomAccess.GetLength(handle) != file.Size)
            return false;
        using var hasher = new PieceHasher();
        return OpenFileRanges.Proven(handle, file.Proof, file.Size, [.. Enumerable.Range(0, file.PieceCount)], cancel)
            .Count == file.PieceCount
            && (file.AlsoProve is not { } whole || hasher.Proves(handle, new HashRange(0, file.Size, whole.Kind), whole.Digest, cancel));
    }

    /// <summary>Proves the program, runs it, and looks whether what it says is true.</summary>
    /// <param name="install">The install.</param>
    /// <param name="setup">From the profile.</param>
    /// <param name="action">install, repair or remove.</param>
    /// <param name="manifest">Vouches for the program.</param>
    /// <param name="cancel">Ends the program too.</param>
    /// <exception cref="MuktaException">It is not the published program, or cannot be started.</exception>
    public async Task<SetupOutcome> RunAsync(Folder install, SetupProgram setup, string action, Manifest manifest, CancellationToken cancel)
    {
        var how = setup.Actions[action];
        using var program = ProvenProgram.Open(install, setup.Program, manifest, cancel);
        var started = time.GetTimestamp();
        var (code, lines) = await RunAsync(install, program, how, cancel).ConfigureAwait(false);
        var elapsed = time.GetElapsedTime(started);
        var end = code is not { } given ? SetupEnd.HungUp : how.Done.Contains(given) ? SetupEnd.Done
            : how.Restart.Contains(given) ? SetupEnd.NeedsRestart : SetupEnd.Failed;
        var notTrue = end == SetupEnd.Done && action != "remove"
            ? await NotTrueAsync(install, setup.Then, manifest, cancel).ConfigureAwait(false) : [];
        return new SetupOutcome(notTrue.Count > 0 ? SetupEnd.NotTrue : end, code, elapsed, lines, notTrue);
    }

    /// <summary>What should be true after a setup and is not, in words.</summary>
    public async Task<IReadOnlyList<string>> NotTrueAsync(Folder install, SetupResult then, Manifest manifest, CancellationToken cancel)
    {
        var wrong = new List<string>();
        foreach (var path in then.Files)
        {
            if (install.Look(path) is not { Kind: NodeKind.File })
                wrong.Add($"{PathBytes.Shown(path)} is not there");
            else if (manifest.Files.FirstOrDefault(f => f.Path == path) is { } file && !IsPublished(install, file, cancel))
                wrong.Add($"{PathBytes.Shown(path)} is not as published");
        }

        foreach (var state in await services.StatesAsync(then.Active, cancel).ConfigureAwait(false))
        {
            if (state.Active is not ("active" or "reloading"))
                wrong.Add($"{state.Unit} is {(state.IsThere ? state.Active : "not installed")}, should be active");
        }

        return wrong;
    }

    private static async Task<(int? Code, IReadOnlyList<string> Lines)> RunAsync(
        Folder install, ProvenProgram program, SetupAction how, CancellationToken cancel)
    {
        program.RefuseChanged();
        var said = new TextTail(MostText);
        try
        {
            var start = new ProcessStartInfo(program.ToRun, how.Arguments) { WorkingDirectory = install.RealPath };
            var code = await LimitedProcess.RunAsync(start, how.TimeLimit, said, said, cancel).ConfigureAwait(false);
            return (code, LastLines(said.Text));
        }
        catch (Win32Exception e)
        {
            throw new MuktaException(
                ExitCode.Blocked, $"The setup program cannot be started: {e.Message.TrimEnd('.')}.", PathBytes.Shown(program.Path),
                "Is it a program for this machine, and may it be executed? mukta check and mukta verify tell.", e);
        }
    }

    private static IReadOnlyList<string> LastLines(string text) =>
        [.. text.Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).TakeLast(MostLines)
        .Select(l => PathBytes.Shown(l.Length > LongestLine ? l[..LongestLine] : l))];
}
