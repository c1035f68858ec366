using System.Diagnostics;
using System.Text.Json;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>What a program has answered.</summary>
internal sealed record Answer(int Code, string Out, string Err)
{
    /// <summary>The document that was printed, which keeps to its published schema.</summary>
    public JsonElement Json => Schemas.Checked(JsonDocument.Parse(Out).RootElement);
}

/// <summary>
/// The built programs, driven from outside. MUKTA_PROGRAMS names a folder with published ones; without it the ones
/// that were built with the tests are taken, compiled ahead if they are.
/// </summary>
internal static class Programs
{
    private const string Managed = "bin/Mukta.Cli/debug";

    public static string Folder { get; } = ForEveryUser(Environment.GetEnvironmentVariable("MUKTA_PROGRAMS") is { Length: > 0 } published
        ? published
        : IsOfThisBuild(Built("ahead")) ? Built("ahead") : Built(Managed));

    /// <summary>True for published programs, and where all is to be tried.</summary>
    public static bool ArePublished { get; } = Environment.GetEnvironmentVariable("MUKTA_PROGRAMS") is { Length: > 0 }
        || Sample.IsAll;

    public static string Mukta => Path.Join(Folder, "mukta");

    public static string StandIns => Path.Join(Folder, "mukta-standins");

    /// <summary>The folder, or a copy of it where only root gets to it, such as in root's home: some tests run the program as somebody else.</summary>
    private static string ForEveryUser(string folder)
    {
        const UnixFileMode Enter = UnixFileMode.OtherExecute;
        var on = new DirectoryInfo(folder);
        while (on is not null && on.UnixFileMode.HasFlag(Enter))
            on = on.Parent;
        if (on is null || !Environment.IsPrivilegedProcess)
            return folder;
        var copy = Directory.CreateTempSubdirectory("mukta-programs-");
        copy.UnixFileMode |= Enter | UnixFileMode.OtherRead;
        using (var copying = Process.Start("cp", ["-rL", Path.Join(folder, "."), copy.FullName]))
            copying.WaitForExit();
        AppDomain.CurrentDomain.ProcessExit += (_, _) => copy.Delete(recursive: true);
        return copy.FullName;
    }

    private static bool IsOfThisBuild(string folder) =>
        File.GetLastWriteTimeUtc(Path.Join(folder, "mukta")) is var compiled
        && Directory.GetFiles(Built(Managed), "*ukta*.dll").All(f => File.GetLastWriteTimeUtc(f) <= compiled);

    private static string Built(string place) => Path.GetFullPath(Path.Join(AppContext.BaseDirectory, "..", "..", "..", place));

    public static Task<Answer> MuktaAsync(Scratch scratch, params string[] arguments) => RunAsync(scratch, Mukta, arguments);

    public static async Task<Answer> RunAsync(Scratch scratch, string program, params string[] arguments)
    {
        using var process = Start(scratch, program, arguments);
        process.StandardInput.Close();
        return await EndAsync(process);
    }

    /// <summary>Starts a program in a scratch folder, with its state there too.</summary>
    public static Process Start(Scratch scratch, string program, params string[] arguments)
    {
        var start = new ProcessStartInfo(program, arguments)
        {
            WorkingDirectory = scratch.Root,
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        start.Environment["XDG_STATE_HOME"] = scratch.At("state");
        start.Environment.Remove("http_proxy");
        return Process.Start(start)!;
    }

    public static async Task<Answer> EndAsync(Process process)
    {
        var (output, error) = (process.StandardOutput.ReadToEndAsync(), process.StandardError.ReadToEndAsync());
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(TestContext.Current.CancellationToken);
        limit.CancelAfter(TimeSpan.FromMinutes(5));
        try
        {
            await process.WaitForExitAsync(limit.Token);
        }
        catch (OperationCanceledException)
        {
            process.Kill(entireProcessTree: true);
            throw new TimeoutException($"{process.StartInfo.FileName} {string.Join(' ', process.StartInfo.ArgumentList)} does not end.");
        }

        return new Answer(process.ExitCode, await output, await error);
    }
}
