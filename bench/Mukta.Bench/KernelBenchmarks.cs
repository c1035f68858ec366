using System.Security.Cryptography;
using BenchmarkDotNet.Attributes;
using Mukta.Hashing.Lanes;

namespace Mukta.Bench;

/// <summary>
/// Hashes 8 MiB as pieces of 32 KiB that are in the second-level cache, as they are when a file has just been read, on one core.
/// </summary>
public class KernelBenchmarks
{
    public const int Bytes = 8 << 20;

    private const int Piece = 32 << 10;

    private readonly byte[] data = new byte[Piece];
    private readonly byte[] digest = new byte[32];
    private LaneSet? lanes;

    [ParamsSource(nameof(Methods))]
    public string Method { get; set; } = "";

    /// <summary>The platform's implementation, and what this processor can do beside it.</summary>
    public static IEnumerable<string> Methods => Known.Where(m => m == LaneKernel.Platform || LaneKernel.Named(m) is not null);

    private static readonly string[] Known = [LaneKernel.Platform, "avx2", "avx512"];

    [GlobalSetup]
    public void SetUp()
    {
        new Random(2026).NextBytes(data);
        lanes = LaneKernel.Named(Method) is { } kernel ? new LaneSet(kernel, Piece) : null;
        for (var lane = 0; lane < lanes?.Count; lane++)
            data.CopyTo(lanes.Buffer(lane));
    }

    [GlobalCleanup]
    public void CleanUp() => lanes?.Dispose();

    [Benchmark]
    public void Hash()
    {
        if (lanes is null)
        {
            for (var at = 0; at < Bytes; at += Piece)
                SHA256.HashData(data, digest);
            return;
        }

        for (var at = 0; at < Bytes;)
        {
            for (var lane = 0; lane < lanes.Count; lane++, at += Piece)
            {
                lanes.Begin(lane);
                lanes.Filled(lane, Piece, isTheLast: true);
            }

            lanes.Run();
            for (var lane = 0; lane < lanes.Count; lane++)
                lanes.Take(lane, digest);
        }
    }
}
