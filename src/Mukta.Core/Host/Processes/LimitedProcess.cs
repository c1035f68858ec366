using System.Diagnostics;
using System.Text;

namespace Mukta.Host.Processes;

/// <summary>Runs programs with their arguments one by one, without a shell, and never for ever.</summary>
internal static class LimitedProcess
{
    /// <summary>So long is listened after the end: what a program leaves behind may keep its streams open permanently.</summary>
    private static readonly TimeSpan LastWords = TimeSpan.FromSeconds(2);

    /// <summary>Runs one to its end. At its limit, or where it is interrupted, it is killed with all that it has started.</summary>
    /// <param name="start">The program. Its streams are redirected, and nothing is said to it.</param>
    /// <param name="limit">How long it may run.</param>
    /// <param name="output">Takes what it says.</param>
    /// <param name="error">Takes what it says of errors; may be the same.</param>
    /// <param name="cancel">Interrupts.</param>
    /// <returns>Its exit code; null if it ran for too long.</returns>
    /// <exception cref="System.ComponentModel.Win32Exception">It cannot be started.</exception>
    public static async Task<int?> RunAsync(
        ProcessStartInfo start, TimeSpan limit, TextTail output, TextTail error, CancellationToken cancel)
    {
        (start.RedirectStandardInput, start.RedirectStandardOutput, start.RedirectStandardError) = (true, true, true);
        using var timed = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        using var process = Process.Start(start)!;
        process.StandardInput.Close();
        var listening = Task.WhenAll(output.ListenAsync(process.StandardOutput), error.ListenAsync(process.StandardError));
        timed.CancelAfter(limit);
        var isOver = true;
        try
        {
            await process.WaitForExitAsync(timed.Token).ConfigureAwait(false);
        }
        catch (OperationCanceledException)
        {
            isOver = false;
            process.Kill(entireProcessTree: true);
            await process.WaitForExitAsync(CancellationToken.None).ConfigureAwait(false);
            cancel.ThrowIfCancellationRequested();
        }

        await Task.WhenAny(listening, Task.Delay(LastWords, CancellationToken.None)).ConfigureAwait(false);
        return isOver ? process.ExitCode : null;
    }
}

/// <summary>The end of what a program says, however much it says.</summary>
/// <param name="most">So many characters are kept.</param>
internal sealed class TextTail(int most)
{
    private readonly Lock adding = new();
    private readonly StringBuilder text = new();

    /// <summary>What was said so far.</summary>
    public string Text
    {
        get
        {
            lock (adding)
                return text.Length > most ? text.ToString(text.Length - most, most) : text.ToString();
        }
    }

    /// <summary>Takes all that comes.</summary>
    public async Task ListenAsync(StreamReader reader)
    {
        var buffer = new char[4096];
        try
        {
            for (int got; (got = await reader.ReadAsync(buffer).ConfigureAwait(false)) > 0;)
            {
                lock (adding)
                {
                    text.Append(buffer, 0, got);
                    if (text.Length > 2L * most)
                        text.Remove(0, text.Length - most);
                }
            }
        }
        catch (Exception e) when (e is IOException or ObjectDisposedException)
        {
            // It was ended.
        }
    }
}
