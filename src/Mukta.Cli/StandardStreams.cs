using System.Text;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Cli;

/// <summary>
/// Standard output and error. What cannot be written there keeps nothing from being done: whoever reads may have seen enough, the disk
/// may be full, or there may be no such stream at all.
/// </summary>
internal sealed class StandardStreams : TextWriter
{
    /// <summary>What is open in the place of a stream that is closed: else the next file that is opened would be written to.</summary>
    private static readonly List<SafeFileHandle> Instead = [];

    private readonly StreamWriter inner;
    private bool isOver;

    private StandardStreams(Stream stream) => inner = new StreamWriter(stream, new UTF8Encoding(false)) { AutoFlush = true };

    public override Encoding Encoding => inner.Encoding;

    /// <summary>
    /// Why something was not written; null if all was, or if whoever read it has seen enough: .NET's stream takes a broken pipe as written.
    /// </summary>
    public Exception? Failure { get; private set; }

    /// <summary>Takes their place in <see cref="Console"/>, and answers the one for standard output.</summary>
    public static StandardStreams Take()
    {
        for (var stream = 0; stream <= 2; stream++)
        {
            if (new FileInfo($"/proc/self/fd/{stream}").LinkTarget is null && File.Exists("/dev/null"))
                Instead.Add(File.OpenHandle("/dev/null", FileMode.Open, FileAccess.ReadWrite, FileShare.ReadWrite));
        }

        var output = new StandardStreams(Console.OpenStandardOutput());
        Console.SetOut(output);
        Console.SetError(new StandardStreams(Console.OpenStandardError()));
        return output;
    }

    public override void Write(char value) => Try(() => inner.Write(value));

    public override void Write(char[] buffer, int index, int count) => Try(() => inner.Write(buffer, index, count));

    public override void Write(string? value) => Try(() => inner.Write(value));

    public override void WriteLine(string? value) => Try(() => inner.WriteLine(value));

    public override void Flush() => Try(inner.Flush);

    private void Try(Action write)
    {
        if (isOver)
            return;
        try
        {
            write();
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            (isOver, Failure) = (true, e);
        }
    }
}
