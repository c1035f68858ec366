using System.Security.Cryptography;
using CsCheck;
using Mukta.Hashing;
using Mukta.Hashing.Lanes;

namespace Mukta.Disk.Tests;

/// <summary>Messages in memory, together, against the platform's SHA-256.</summary>
public sealed class MessageHasherTests
{
    public static TheoryData<string> Kernels => LaneTests.Kernels;

    [Theory]
    [MemberData(nameof(Kernels))]
    public void However_many_there_are_and_however_long_each_has_its_own_digest(string kernel) =>
        Gen.Select(Gen.Int[0, 1 << 20], Gen.OneOf(Gen.Int[0, 300], Gen.Int[32_700, 32_800], Gen.Int[0, 140_000]).Array[0, 40]).Sample(
        (seed, lengths) =>
        {
            var random = new Random(seed);
            var messages = lengths.Select(n => { var bytes = new byte[n]; random.NextBytes(bytes); return bytes; }).ToList();
            var digests = new string?[messages.Count];
            using var hasher = MessageHasher.With(LaneKernel.Named(kernel)!);
            for (var twice = 0; twice < 2; twice++)
            {
                hasher.Hash([.. messages.Select(m => new ReadOnlyMemory<byte>(m))], (i, digest) => digests[i] = Convert.ToHexString(digest));
                digests.ShouldBe(messages.Select(m => Convert.ToHexString(SHA256.HashData(m))));
                Array.Clear(digests);
            }
        },
        iter: 40);
}
