using System.Diagnostics;
using System.Globalization;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Security.Cryptography;

namespace Mukta.Hashing.Lanes;

/// <summary>
/// SHA-256 of several messages at once. A program that is compiled while it runs has the kernels in itself; one that was
/// compiled ahead of time knows only the instructions that every processor has, and loads them from a library beside it.
/// </summary>
/// <remarks>
/// Unsafe, and sound: <see cref="Compress"/> hands on pointers that its only caller, <see cref="LaneSet"/>, keeps alive, aligned
/// and long enough; a kernel reads <c>blocks</c> x 64 bytes of each message, writes the state, and keeps nothing.
/// </remarks>
internal sealed unsafe class LaneKernel
{
    /// <summary>The variable that forces a method, for tests: avx512, avx2 or platform.</summary>
    public const string Variable = "MUKTA_HASHING";

    /// <summary>What forces the platform's own implementation.</summary>
    public const string Platform = "platform";

    private const string EntryPoint = "mukta_sha256_lanes";

    private static readonly Lazy<(LaneKernel? Kernel, string Decision)> Choice =
        new(() => Choose(Environment.GetEnvironmentVariable(Variable)));

    private readonly delegate*<uint*, byte**, nint, void> managed;
    private readonly delegate* unmanaged<uint*, byte**, nint, void> native;

    private LaneKernel(string name, int lanes, delegate*<uint*, byte**, nint, void> managed)
    {
        (Name, Lanes) = (name, lanes);
        this.managed = managed;
    }

    private LaneKernel(string name, int lanes, delegate* unmanaged<uint*, byte**, nint, void> native)
    {
        (Name, Lanes) = (name, lanes);
        this.native = native;
    }

    /// <summary>The fastest on this machine; null if that is the platform's own, one message at a time.</summary>
    public static LaneKernel? Best => Choice.Value.Kernel;

    /// <summary>True if the user says which.</summary>
    public static bool IsForced => Environment.GetEnvironmentVariable(Variable) is { Length: > 0 };

    /// <summary>How it was chosen, for people.</summary>
    public static string Decision => Choice.Value.Decision;

    /// <summary>avx512 or avx2.</summary>
    public string Name { get; }

    /// <summary>How many messages it takes at once.</summary>
    public int Lanes { get; }

    /// <summary>Takes blocks of 64 bytes of each message into its state.</summary>
    public void Compress(uint* state, byte** messages, nint blocks)
    {
        if (native is not null)
            native(state, messages, blocks);
        else
            managed(state, messages, blocks);
    }

    /// <summary>The kernel of a name; null if this machine or this program has none of it.</summary>
    public static LaneKernel? Named(string name) => name switch
    {
        "avx512" when Avx512Lanes.IsSupported => new LaneKernel(name, Avx512Lanes.Lanes, &Avx512Lanes.Compress),
        "avx512" when Processor.Has("avx512f", "avx512bw", "avx512dq", "avx512vl", "avx512cd") => Loaded(name, Avx512Lanes.Lanes),
        "avx2" when Avx2Lanes.IsSupported => new LaneKernel(name, Avx2Lanes.Lanes, &Avx2Lanes.Compress),
        "avx2" when Processor.Has("avx2", "bmi1", "bmi2", "fma", "abm", "movbe") => Loaded(name, Avx2Lanes.Lanes),
        _ => null,
    };

    /// <summary>Chooses: what is forced, or the fastest by a measurement of a few milliseconds.</summary>
    /// <exception cref="MuktaException">What is forced is not there.</exception>
    internal static (LaneKernel? Kernel, string Decision) Choose(string? forced)
    {
        if (forced is { Length: > 0 })
        {
            var kernel = Named(forced);
            return kernel is not null || forced == Platform ? (kernel, $"{forced}, by {Variable}")
                : throw new MuktaException(
                ExitCode.BadInput, $"{Variable} names a way to hash that is not there.", forced,
                $"Name avx512, avx2 or {Platform}, or leave it unset; this processor or this program may lack the first two.");
        }

        var (best, speed) = ((LaneKernel?)null, PlatformSpeed());
        var told = Measured(Platform, speed);
        foreach (var name in (ReadOnlySpan<string>)["avx512", "avx2"])
        {
            if (best is not null || Named(name) is not { } kernel)
                continue;
            var its = kernel.Speed();
            told += $", {Measured(kernel.Name, its)}";
            if (its > speed)
                (best, speed) = (kernel, its);
        }

        return (best, $"{best?.Name ?? Platform}, as measured on one core: {told}");
    }

    private static string Measured(string name, double speed) =>
        string.Create(CultureInfo.InvariantCulture, $"{name} {speed / 1e9:0.00} GB/s");

    private static LaneKernel? Loaded(string name, int lanes) =>
        !RuntimeFeature.IsDynamicCodeSupported
        && NativeLibrary.TryLoad(Path.Join(AppContext.BaseDirectory, $"libmukta-{name}.so"), out var library)
        && NativeLibrary.TryGetExport(library, EntryPoint, out var entry)
            ? new LaneKernel(name, lanes, (delegate* unmanaged<uint*, byte**, nint, void>)entry)
            : null;

    private static double PlatformSpeed()
    {
        var bytes = new byte[128 * 1024];
        Span<byte> digest = stackalloc byte[32];
        var best = double.MaxValue;
        for (var i = 0; i < 3; i++)
        {
            var started = Stopwatch.GetTimestamp();
            SHA256.HashData(bytes, digest);
            best = Math.Min(best, Stopwatch.GetElapsedTime(started).TotalSeconds);
        }

        return bytes.Length / best;
    }

    private double Speed()
    {
        const int Blocks = 512;
        using var set = new LaneSet(this, Blocks * 64);
        var best = double.MaxValue;
        for (var i = 0; i < 4; i++)
        {
            var started = Stopwatch.GetTimestamp();
            set.Run(Blocks);
            best = Math.Min(best, Stopwatch.GetElapsedTime(started).TotalSeconds);
        }

        return Lanes * Blocks * 64 / best;
    }
}

/// <summary>What the kernel of the operating system says that this processor can do, and that it lets programs do.</summary>
internal static class Processor
{
    private static readonly Lazy<HashSet<string>> Flags = new(Read);

    /// <summary>True if it has all of these flags (proc_cpuinfo(5)).</summary>
    public static bool Has(params ReadOnlySpan<string> flags)
    {
        foreach (var flag in flags)
        {
            if (!Flags.Value.Contains(flag))
                return false;
        }

        return true;
    }

    private static HashSet<string> Read()
    {
        try
        {
            var line = File.ReadLines("/proc/cpuinfo").FirstOrDefault(l => l.StartsWith("flags", StringComparison.Ordinal)) ?? "";
            return [.. line.Split(' ', StringSplitOptions.RemoveEmptyEntries)];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }
}
