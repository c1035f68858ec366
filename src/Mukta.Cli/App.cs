using System.CommandLine;
using System.Runtime.InteropServices;
using Mukta.Cli.Help;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Operations;
using Mukta.Setup;

namespace Mukta.Cli;

/// <summary>The program: parses, runs one command, and turns every way it can end into an exit code and a message.</summary>
internal static class App
{
    public static async Task<int> RunAsync(string[] args)
    {
        var output = StandardStreams.Take();
        var code = await CodeAsync(args).ConfigureAwait(false);
        if (output.Failure is not { } failure)
            return code;
        await Console.Error.WriteLineAsync(
            $"mukta: The standard output could not be written: {failure.Message.TrimEnd('.')}.\n"
            + $"  {Shell.Typed(args)}\n"
            + "Only output is lost; what the command has done is done. Send the output to where there is room for it.")
            .ConfigureAwait(false);
        return code == (int)ExitCode.Done ? (int)ExitCode.Blocked : code;
    }

    /// <summary>No files of arguments, which a word that begins with @ would name.</summary>
    public static ParserConfiguration Parsing { get; } = new() { ResponseFileTokenReplacer = null };

    /// <summary>What a command throws, it throws; signals are ours.</summary>
    public static InvocationConfiguration Running { get; } =
        new() { EnableDefaultExceptionHandler = false, ProcessTerminationTimeout = null };

    private static async Task<int> CodeAsync(string[] args)
    {
        var root = CommandTree.Build();
        var parsed = root.Parse(args.Length == 0 ? ["--help"] : args, Parsing);
        var session = new Session(parsed);
        if (UsageFault.IsIn(parsed))
            return session.Fail(UsageFault.Of(parsed));

        SayWhatWaits(session, args);
        using var interrupt = new CancellationTokenSource();
        using var onInterrupt = PosixSignalRegistration.Create(PosixSignal.SIGINT, context => Interrupt(context, interrupt));
        using var onTerminate = PosixSignalRegistration.Create(PosixSignal.SIGTERM, context => Interrupt(context, interrupt));
        try
        {
            return await parsed.InvokeAsync(Running, interrupt.Token).ConfigureAwait(false);
        }
        catch (MuktaException e)
        {
            return session.Fail(e);
        }
        catch (OperationCanceledException) when (interrupt.IsCancellationRequested)
        {
            return session.Fail(new MuktaException(
                ExitCode.Interrupted, "Interrupted.", Shell.Typed(args),
                "Run the same command again to continue; what was finished is kept."));
        }
        catch (IOException e)
        {
            return session.Fail(new MuktaException(
                ExitCode.Blocked, $"The system refused to read or write: {e.Message.TrimEnd('.')}.", Shell.Typed(args),
                "Check the free space on the disk and the system's log, then run the same command again.", e));
        }
        catch (Exception e)
        {
            return session.Fail(new MuktaException(
                ExitCode.Defect, $"Internal error: {e.Message}", Shell.Typed(args),
                "Report this, with the output of the same command with --verbose.", e));
        }
        finally
        {
            session.Dispose();
        }
    }

    /// <summary>The first time what is begun comes to a good end. The second time it ends at once, which loses nothing either.</summary>
    private static void Interrupt(PosixSignalContext context, CancellationTokenSource interrupt)
    {
        context.Cancel = !interrupt.IsCancellationRequested;
        interrupt.Cancel();
    }

    /// <summary>What waited for a restart can go on now.</summary>
    private static void SayWhatWaits(Session session, string[] args)
    {
        if (session.IsQuiet || session.IsJson)
            return;
        foreach (var ready in WaitingOperations.Ready(Machine.Here(UserEnvironment.Get).Home, () => SetupRunner.Boot))
        {
            if (ready.CommandLine != Shell.Typed(args))
            {
                Console.Error.WriteLine(
                    $"The machine was restarted, so operation {PathBytes.Shown(ready.Operation)} can go on.\nNext: "
                    + $"{PathBytes.Shown(ready.CommandLine)}");
            }
        }
    }
}
