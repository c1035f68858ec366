using System.CommandLine;
using System.CommandLine.Invocation;
using System.CommandLine.Parsing;
using System.Runtime.InteropServices;
using Mukta.Cli.Commands;
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

    private static async Task<int> CodeAsync(string[] args)
    {
        var root = BuildRoot();
        var parsed = root.Parse(args.Length == 0 ? ["--help"] : args);
        var session = new Session(parsed);
        if (parsed.Action is ParseErrorAction)
            return session.Fail(Usage(parsed));

        SayWhatWaits(session, args);
        using var interrupt = new CancellationTokenSource();
        using var onInterrupt = PosixSignalRegistration.Create(PosixSignal.SIGINT, context => Interrupt(context, interrupt));
        using var onTerminate = PosixSignalRegistration.Create(PosixSignal.SIGTERM, context => Interrupt(context, interrupt));
        try
        {
            var configuration = new InvocationConfiguration { EnableDefaultExceptionHandler = false, ProcessTerminationTimeout = null };
            return await parsed.InvokeAsync(configuration, interrupt.Token).ConfigureAwait(false);
        }
        catch (MuktaException e)
        {
            return session.Fail(e);
        }
        catch (OperationCanceledException) when (interrupt.IsCancellationRequested)
        {
            return session.Fail(new MuktaException(
                ExitCode.Interrupted, "Interrupted.", Shell.Typed(args),
                "What was finished is kept. Run the same command again to go on."));
        }
        catch (IOException e)
        {
            return session.Fail(new MuktaException(
                ExitCode.Blocked, $"The system refused to read or write: {e.Message.TrimEnd('.')}.", Shell.Typed(args),
                "Look at the room on the disk and at the system's log, then run the same command again.", e));
        }
        catch (Exception e)
        {
            return session.Fail(new MuktaException(
                ExitCode.Defect, $"Mukta has a defect: {e.Message}", Shell.Typed(args),
                "Please report it, with the output of the same command and --verbose.", e));
        }
        finally
        {
            session.Dispose();
        }
    }

    private static RootCommand BuildRoot()
    {
        var root = new RootCommand("Verify game and launcher installs against their published manifests, and repair what is wrong.")
        {
            VerifyCommand.Build(), RepairCommand.Build(), CheckCommand.Build(), StopCommand.Build(), ServicesCommand.Build(),
                CachesCommand.Build(), LaunchCommand.Build(),
            LocateCommand.Build(), AdoptCommand.Build(), MoveCommand.Build(), ReinstallCommand.Build(), ResetCommand.Build(),
            RemoveCommand.Build(), SetupCommand.Build(), UndoCommand.Build(), HeldCommand.Build(), ManifestCommand.Build(),
            ProfileCommand.Build(), DemoCommand.Build(),
        };
        foreach (var option in CommonOptions.All)
            root.Options.Add(option);
        HelpWithExamples.Attach(root);
        return root;
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
                    $"The machine was restarted, and operation {PathBytes.Shown(ready.Operation)} can go on: "
                    + $"{PathBytes.Shown(ready.CommandLine)}");
            }
        }
    }

    private static MuktaException Usage(ParseResult parsed)
    {
        var command = CommandPath(parsed.CommandResult);
        return new MuktaException(
            ExitCode.BadInput, string.Join(' ', parsed.Errors.Select(e => e.Message.TrimEnd('.') + ".").Distinct()),
            Shell.Typed(parsed), $"Type {command} --help to see how it is used.");
    }

    private static string CommandPath(CommandResult result) =>
        result.Parent is CommandResult parent ? $"{CommandPath(parent)} {result.Command.Name}" : "mukta";
}
