using System.Collections.Concurrent;
using System.Security.Cryptography;
using CsCheck;
using Microsoft.Win32.SafeHandles;
using Mukta.Hashing;
using Mukta.Hashing.Lanes;
using Mukta.Tests;

namespace Mukta.Disk.Tests;

public sealed class RangeHasherTests
{
    public static TheoryData<string> Methods => [LaneKernel.Platform, .. LaneTests.Kernels];

    [Theory]
    [MemberData(nameof(Methods))]
    public void Ranges_of_any_files_are_hashed_each_once(string method) =>
        Gen.Select(Gen.Int[0, 200_000].Array[1, 30], Gen.Int[1, 70_000], Gen.Int[1, 3]).Sample((sizes, length, threads) =>
        {
            using var scratch = new Scratch(inMemory: true);
            var files = sizes.Select((size, i) => new Probe(scratch.Fill($"f{i}", size, i), size, length)).ToList();
            Run(method, files, threads);
            foreach (var file in files)
                file.ShouldBeRight();
        }, iter: 40);

    [Theory]
    [MemberData(nameof(Methods))]
    public void A_file_that_ends_early_or_cannot_be_opened_harms_no_other(string method)
    {
        using var scratch = new Scratch(inMemory: true);
        var files = Enumerable.Range(0, 40).Select(i => new Probe(scratch.Fill($"f{i}", 100_000, i), 100_000, 30_000)).ToList();
        scratch.Truncate("f7", 45_000);
        File.Delete(scratch.At("f8"));
        Run(method, files, threads: 2);
        files[7].Digests.OrderBy(d => d.Key).Select(d => d.Value.Length)
            .ShouldBe([64, 0, 0, 0], "the second range ends early, the last two are not there");
        files[8].Failures.ShouldBe(4);
        foreach (var file in files.Where((_, i) => i is not (7 or 8)))
            file.ShouldBeRight();
        files.ShouldAllBe(f => f.IsClosed);
    }

    [Theory]
    [MemberData(nameof(Methods))]
    public void Zeros_at_the_end_of_a_stretch_are_counted(string method)
    {
        using var scratch = new Scratch(inMemory: true);
        var files = Enumerable.Range(0, 20).Select(i => new Probe(scratch.Fill($"f{i}", 100_000, i), 100_000, 100_000)).ToList();
        scratch.Zero("f3", 30_000, 70_000);
        scratch.Zero("f4", 0, 100_000);
        Run(method, files, threads: 1);
        files.Select(f => f.Zeros).ShouldBe(Enumerable.Range(0, 20).Select(i => i switch { 3 => 70_000L, 4 => 100_000, _ => 0 }));
    }

    [Theory]
    [MemberData(nameof(Methods))]
    public void It_ends_soon_when_it_is_interrupted_and_closes_its_files(string method)
    {
        using var scratch = new Scratch(inMemory: true);
        using var stop = new CancellationTokenSource();
        var files = Enumerable.Range(0, 50)
            .Select(i => new Probe(scratch.Fill($"f{i}", 400_000, i), 400_000, 400_000) { OnDone = stop.Cancel }).ToList();
        Should.Throw<OperationCanceledException>(() => Run(method, files, threads: 2, stop));
        files.Sum(f => f.Digests.Count).ShouldBeLessThan(50);
        files.ShouldAllBe(f => f.IsClosed);
    }

    [Fact]
    public void Memory_does_not_grow_with_a_file()
    {
        using var scratch = new Scratch();
        using (var file = File.Create(scratch.At("sparse")))
            file.SetLength(64L << 20);
        var files = new[] { new Probe(scratch.At("sparse"), 64L << 20, 1 << 20) };
        Run(LaneKernel.Best?.Name ?? LaneKernel.Platform, files, threads: 1);
        var before = GC.GetAllocatedBytesForCurrentThread(); // With one thread it hashes in the caller's; other tests run beside it.
        Run(LaneKernel.Best?.Name ?? LaneKernel.Platform, [new Probe(scratch.At("sparse"), 64L << 20, 1 << 20)], threads: 1);
        (GC.GetAllocatedBytesForCurrentThread() - before).ShouldBeLessThan(4 << 20);
    }

    private static void Run(string method, IReadOnlyList<HashedFile> files, int threads, CancellationTokenSource? stop = null) =>
        new RangeHasher(LaneKernel.Named(method), null, stop?.Token ?? TestContext.Current.CancellationToken)
        .Run(new RangeQueue(files), files, threads);

    private sealed class Probe(string path, long size, long length) : HashedFile
    {
        private SafeFileHandle? opened;
        private long zeros;

        public Action? OnDone { get; init; }

        public ConcurrentDictionary<int, string> Digests { get; } = [];

        private int failures;

        public int Failures => failures;

        public long Zeros => zeros;

        public bool IsClosed => opened is null or { IsClosed: true };

        public override int Count => (int)((size + length - 1) / length);

        public override HashRange this[int index] => new(index * length, Math.Min(length, size - (index * length)), HashKind.Sha256);

        public void ShouldBeRight()
        {
            var bytes = File.ReadAllBytes(path);
            Digests.OrderBy(d => d.Key).Select(d => d.Value)
                .ShouldBe(Enumerable.Range(
                0, Count).Select(i => Convert.ToHexStringLower(SHA256.HashData(bytes.AsSpan((int)this[i].Offset, (int)this[i].Length)))));
            IsClosed.ShouldBeTrue();
        }

        protected override SafeFileHandle Open() => opened = File.OpenHandle(path);

        protected override void Done(int index, in Hashed hashed)
        {
            Digests.TryAdd(index, Convert.ToHexStringLower(hashed.Digest)).ShouldBeTrue();
            zeros = hashed.ZerosAtEnd;
            OnDone?.Invoke();
        }

        protected override void Failed(int index, Exception reason)
        {
            reason.ShouldBeAssignableTo<IOException>();
            Interlocked.Increment(ref failures);
        }
    }
}
