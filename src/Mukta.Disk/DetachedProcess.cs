using System.Runtime.InteropServices;

namespace Mukta.Disk;

/// <summary>How a process has ended (wait(2)).</summary>
/// <param name="Code">Its exit code; null if a signal ended it.</param>
/// <param name="Signal">The signal that ended it; null if it ended by itself.</param>
/// <param name="HasCore">True if the kernel has written its memory down, or has given it to a program for that.</param>
public readonly record struct ProcessEnd(int? Code, int? Signal, bool HasCore);

/// <summary>Starts programs that outlive Mukta: in a session of their own, and without its streams.</summary>
public static partial class DetachedProcess
{
    private const int Attributes = 1024; // posix_spawnattr_t has 336 bytes and posix_spawn_file_actions_t 80 in glibc.
    private const short OwnSession = 0x80, UsualSignals = 0x04, NoSignalsBlocked = 0x08; // POSIX_SPAWN_SETSID, SETSIGDEF, SETSIGMASK
    private const int SignalSet = 128, ReadWrite = 2;

    // What .NET ignores or handles for itself: hang-up, interrupt, quit, broken pipe, terminate, child, continue.
    private static readonly int[] Handled = [1, 2, 3, 13, 15, 17, 18];

    /// <summary>Starts a program (posix_spawn(3)). No shell sees its arguments.</summary>
    /// <param name="program">Its file.</param>
    /// <param name="arguments">Its arguments, the one before the first among them.</param>
    /// <param name="environment">All variables that it gets, as <c>NAME=VALUE</c>.</param>
    /// <param name="folder">The folder that it works in.</param>
    /// <param name="output">A file that takes what it prints, and is made; null for nowhere.</param>
    /// <returns>The number of its process.</returns>
    /// <exception cref="DiskException">It cannot be started.</exception>
    public static int Start(
        string program, IReadOnlyList<string> arguments, IReadOnlyList<string> environment, string folder, string? output = null)
    {
        const int WriteAndCreate = 1 | 0x40 | 0x400, OwnerOnly = 0b110_000_000; // O_WRONLY, O_CREAT and O_APPEND
        var (actions, attributes, signals) = (new byte[Attributes], new byte[Attributes], new byte[SignalSet]);
        foreach (var signal in Handled)
            signals[(signal - 1) / 8] |= (byte)(1 << ((signal - 1) % 8));
        using var allArguments = new TextArray(arguments);
        using var allVariables = new TextArray(environment);
        Check(InitializeActions(actions));
        try
        {
            Check(ChangeFolder(actions, Bytes(folder)));
            for (var stream = 0; stream < 3; stream++)
            {
                Check(stream > 0 && output is not null ? OpenStream(actions, stream, Bytes(output), WriteAndCreate, OwnerOnly)
                    : OpenStream(actions, stream, Bytes("/dev/null"), ReadWrite, 0));
            }

            Check(InitializeAttributes(attributes));
            Check(SetDefaultSignals(attributes, signals));
            Check(SetSignalMask(attributes, new byte[SignalSet]));
            Check(SetFlags(attributes, OwnSession | UsualSignals | NoSignalsBlocked));
            Check(Spawn(out var pid, Bytes(program), actions, attributes, allArguments.Pointers, allVariables.Pointers));
            return pid;
        }
        finally
        {
            _ = DestroyActions(actions);
            _ = DestroyAttributes(attributes);
        }

        void Check(int error)
        {
            if (error != 0)
                throw Folder.Failure("start", program, error);
        }
    }

    /// <summary>
    /// How a process that was started here has ended; null if it runs. It is told once: then its number is given out again.
    /// </summary>
    public static ProcessEnd? EndOf(int pid)
    {
        const int DoNotWait = 1, CoreFlag = 0x80; // WNOHANG, and the flag of WCOREDUMP.
        if (WaitFor(pid, out var status, DoNotWait) != pid)
            return null;
        var signal = status & 0x7F;
        return signal == 0 ? new ProcessEnd((status >> 8) & 0xFF, null, false) : new ProcessEnd(null, signal, (status & CoreFlag) != 0);
    }

    private static byte[] Bytes(string text) => PathBytes.Encode(text);

    /// <summary>Texts as C has them: pointers to bytes that end with NUL, and NULL behind the last.</summary>
    private sealed class TextArray : IDisposable
    {
        public TextArray(IReadOnlyList<string> texts)
        {
            Pointers = new nint[texts.Count + 1];
            for (var i = 0; i < texts.Count; i++)
            {
                var bytes = Bytes(texts[i]);
                Pointers[i] = Marshal.AllocHGlobal(bytes.Length);
                Marshal.Copy(bytes, 0, Pointers[i], bytes.Length);
            }
        }

        public nint[] Pointers { get; }

        public void Dispose()
        {
            foreach (var pointer in Pointers)
                Marshal.FreeHGlobal(pointer);
        }
    }

    [LibraryImport("libc", EntryPoint = "posix_spawn_file_actions_init")]
    private static partial int InitializeActions([In, Out] byte[] actions);

    [LibraryImport("libc", EntryPoint = "posix_spawn_file_actions_destroy")]
    private static partial int DestroyActions([In, Out] byte[] actions);

    [LibraryImport("libc", EntryPoint = "posix_spawn_file_actions_addopen")]
    private static partial int OpenStream([In, Out] byte[] actions, int descriptor, byte[] path, int flags, uint mode);

    [LibraryImport("libc", EntryPoint = "posix_spawn_file_actions_addchdir_np")]
    private static partial int ChangeFolder([In, Out] byte[] actions, byte[] path);

    [LibraryImport("libc", EntryPoint = "posix_spawnattr_init")]
    private static partial int InitializeAttributes([In, Out] byte[] attributes);

    [LibraryImport("libc", EntryPoint = "posix_spawnattr_destroy")]
    private static partial int DestroyAttributes([In, Out] byte[] attributes);

    [LibraryImport("libc", EntryPoint = "posix_spawnattr_setflags")]
    private static partial int SetFlags([In, Out] byte[] attributes, short flags);

    [LibraryImport("libc", EntryPoint = "posix_spawnattr_setsigdefault")]
    private static partial int SetDefaultSignals([In, Out] byte[] attributes, byte[] signals);

    [LibraryImport("libc", EntryPoint = "posix_spawnattr_setsigmask")]
    private static partial int SetSignalMask([In, Out] byte[] attributes, byte[] signals);

    [LibraryImport("libc", EntryPoint = "waitpid")]
    private static partial int WaitFor(int pid, out int status, int options);

    [LibraryImport("libc", EntryPoint = "posix_spawn")]
    private static partial int Spawn(
        out int pid, byte[] program, byte[] actions, byte[] attributes, nint[] arguments, nint[] environment);
}
