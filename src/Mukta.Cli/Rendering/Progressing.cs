using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Shows on standard error how work goes on: a line that moves on a terminal, a plain line now and then elsewhere.</summary>
internal static class Progressing
{
    private static readonly TimeSpan Step = TimeSpan.FromMilliseconds(100);
    private static readonly TimeSpan PlainStep = TimeSpan.FromSeconds(10);

    /// <summary>Runs work beside its progress.</summary>
    public static async Task<T> ShowAsync<T>(Session session, WorkMeter meter, Func<Task<T>> work)
    {
        var running = Task.Run(work);
        if (session.IsQuiet || session.IsVerbose)
            return await running.ConfigureAwait(false);
        if (session.Error.Profile is { Out.IsTerminal: true, Capabilities.Interactive: true })
            await ShowMovingAsync(session.Error, meter, running).ConfigureAwait(false);
        else
            await ShowPlainAsync(session.Error, meter, running).ConfigureAwait(false);
        return await running.ConfigureAwait(false);
    }

    private static Task ShowMovingAsync(IAnsiConsole console, WorkMeter meter, Task running) =>
        new Progress(console) { AutoClear = true, AutoRefresh = false }
            .Columns(
            new TaskDescriptionColumn(), new ProgressBarColumn { Width = 24 }, new PercentageColumn(),
            new TransferSpeedColumn { Base = FileSizeBase.Binary }, new RemainingTimeColumn())
            .StartAsync(async context =>
            {
                ProgressTask? task = null;
                var stage = "";
                while (await Task.WhenAny(running, Task.Delay(Step)).ConfigureAwait(false) != running)
                {
                    if (meter.Stage.Length == 0)
                        continue;
                    if (task is null || stage != meter.Stage)
                    {
                        task?.StopTask();
                        stage = meter.Stage;
                        task = context.AddTask(stage);
                    }

                    task.IsIndeterminate = meter.BytesTotal == 0;
                    task.MaxValue = Math.Max(1, meter.BytesTotal);
                    task.Value = meter.BytesDone;
                    if (meter.BytesTotal == 0 && meter.FilesSeen > 0)
                        task.Description = $"{stage}, {Units.Count(meter.FilesSeen, "name")}";
                    context.Refresh();
                }
            });

    private static async Task ShowPlainAsync(IAnsiConsole console, WorkMeter meter, Task running)
    {
        while (await Task.WhenAny(running, Task.Delay(PlainStep)).ConfigureAwait(false) != running)
        {
            var done = meter is { BytesTotal: 0, FilesSeen: 0 } ? "at work" : meter.BytesTotal == 0 ? Units.Count(meter.FilesSeen, "name")
                : $"{Units.Bytes(meter.BytesDone)} of {Units.Bytes(meter.BytesTotal)}";
            console.WriteLine($"{meter.Stage}: {done}");
        }
    }
}
