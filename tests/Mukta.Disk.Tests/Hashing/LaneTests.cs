using System.Security.Cryptography;
using System.Text;
using CsCheck;
using Mukta.Hashing.Lanes;

namespace Mukta.Disk.Tests;

/// <summary>Each kernel that this processor has, against published values and against the platform's SHA-256.</summary>
public sealed class LaneTests
{
    private const int Capacity = 1024;

    /// <summary>FIPS 180-4's examples, NIST's additional test vectors, and short messages of its validation program (CAVP).</summary>
    private static readonly (byte[] Message, string Digest)[] Published =
    [
        ([], "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"),
        ("abc"u8.ToArray(), "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"),
        ("abcdbcdecdefdefgefghfghighijhijkijkljklmklmnlmnomnopnopq"u8.ToArray(),
        "248d6a61d20638b8e5c026930c3e6039a33ce45964ff2167f6ecedd419db06c1"),
        ("abcdefghbcdefghicdefghijdefghijkefghijklfghijklmghijklmnhijklmnoijklmnopjklmnopqklmnopqrlmnopqrsmnopqrstnopqrstu"u8.ToArray(),
        "cf5b16a778af8380036ce59e7b0492370b249b11e8f07a51afac45037afee9d1"),
        (Many('a', 1_000_000), "cdc76e5c9914fb9281a1c7e284d73e67f1809a48a497200e046d39ccc7112cd0"),
        ([0xbd], "68325720aabd7c82f30f554b313d0570c95accbb7dc4b5aae11204c08ffe732b"),
        ([0xc9, 0x8c, 0x8e, 0x55], "7abc22c0ae5af26ce93dbb94433a0e0b2e119d014f8e7f65bd56c61ccccd9504"),
        (Many('\0', 55), "02779466cdec163811d078815c633f21901413081449002f24aa3e80f0b88ef7"),
        (Many('\0', 56), "d4817aa5497628e7c77e6b606107042bbba3130888c5f47a375e6179be789fbb"),
        (Many('\0', 57), "65a16cb7861335d5ace3c60718b5052e44660726da4cd13bb745381b235a1785"),
        (Many('\0', 64), "f5a5fd42d16a20302798ef6ed309979b43003d2320d9f0e8ea9831a92759fb4b"),
        (Many('\0', 1000), "541b3e9daa09b20bf85fa273e5cbd3e80185aa4ec298e765db87742b70138a53"),
        (Many('A', 1000), "c2e686823489ced2017f6059b8b239318b6364f6dcd835d0a519105a1eadd6e4"),
        (Many('U', 1005), "f4d62ddec0f3dd90ea1380fa16a5ff8dc4c54b21740650f24afc4120903552b0"),
        (Many('\0', 1_000_000), "d29751f2649b32ff572b5e0a9f541ea660a50f94ff0beedfb0b692b924cc8025"),
        ([0xd3], "28969cdfa74a12c82f3bad960b0b000aca2ac329deea5c2328ebc6f2ba9802c1"),
        ([0x11, 0xaf], "5ca7133fa735326081558ac312c620eeca9970d1e70a4b95533d956f072d1f98"),
        ([0xb4, 0x19, 0x0e], "dff2e73091f6c05e528896c4c831b9448653dc2ff043528f6769437bc7b975c2"),
        ([0x74, 0xba, 0x25, 0x21], "b16aa56be3880d18cd41e68384cf1ec8c17680c45a02b1575dc1518923ae8b0e"),
    ];

    public static TheoryData<string> Kernels => [.. new[] { "avx512", "avx2" }.Where(k => LaneKernel.Named(k) is not null)];

    [Fact]
    public void Every_kernel_is_there_that_this_processor_can_run() => Kernels.Select(k => (string)k.Data).ShouldBe(
        new[] { ("avx512", "avx512bw"), ("avx2", "avx2") }.Where(k => Processor.Has(k.Item2)).Select(k => k.Item1));

    [Theory]
    [MemberData(nameof(Kernels))]
    public void Published_values_come_out(string kernel) =>
        Hash(kernel, [.. Published.Select(p => p.Message)]).ShouldBe(Published.Select(p => p.Digest));

    [Theory]
    [MemberData(nameof(Kernels))]
    public void Every_length_up_to_200_and_around_each_multiple_of_64_is_padded_right(string kernel)
    {
        var lengths = Enumerable.Range(0, 201)
            .Concat(Enumerable.Range(4, 60).SelectMany(m => new[] { (64 * m) - 9, (64 * m) - 8, (64 * m) - 1, 64 * m, (64 * m) + 1 }));
        var random = new Random(2026);
        ShouldAgree(kernel, [.. lengths.Select(n => Bytes(random, n))]);
    }

    [Theory]
    [MemberData(nameof(Kernels))]
    public void Messages_of_any_lengths_share_the_lanes(string kernel) =>
        Gen.Select(Gen.Int[0, 6 * Capacity].Array[1, 80], Gen.Int).Sample((lengths, seed) =>
        {
            var random = new Random(seed);
            ShouldAgree(kernel, [.. lengths.Select(n => Bytes(random, n))]);
        }, iter: 200);

    [Fact]
    public void What_is_forced_is_taken_or_refused()
    {
        LaneKernel.Choose("platform").Kernel.ShouldBeNull();
        Should.Throw<MuktaException>(() => LaneKernel.Choose("abacus")).Code.ShouldBe(ExitCode.BadInput);
        foreach (var kernel in Kernels)
            LaneKernel.Choose(kernel.Data).Kernel!.Name.ShouldBe(kernel.Data);
        LaneKernel.Choose(null).Decision.ShouldContain("GB/s");
    }

    [Fact]
    public void A_lane_takes_no_more_than_its_buffer_holds_and_no_piece_that_is_no_block()
    {
        Assert.SkipWhen(Kernels.Count == 0, "This processor has no kernel.");
        using var set = new LaneSet(LaneKernel.Named(Kernels.First().Data)!, Capacity);
        set.Begin(0);
        Should.Throw<ArgumentOutOfRangeException>(() => set.Filled(0, Capacity + 64, isTheLast: false));
        Should.Throw<ArgumentOutOfRangeException>(() => set.Filled(0, -64, isTheLast: true));
        Should.Throw<InvalidOperationException>(() => set.Filled(0, 63, isTheLast: false));
        Should.Throw<InvalidOperationException>(() => set.Filled(1, 64, isTheLast: false));
        Should.Throw<InvalidOperationException>(() => set.Begin(0));
        Should.Throw<InvalidOperationException>(() => set.Take(0, new byte[32]));
        Should.Throw<InvalidOperationException>(set.Run);
        Should.Throw<ArgumentOutOfRangeException>(() => set.Buffer(set.Count).Length);
        Should.Throw<ArgumentOutOfRangeException>(() => new LaneSet(LaneKernel.Named(Kernels.First().Data)!, 100));
    }

    private static void ShouldAgree(string kernel, byte[][] messages) =>
        Hash(kernel, messages).ShouldBe(messages.Select(m => Convert.ToHexStringLower(SHA256.HashData(m))));

    /// <summary>Hashes messages: whenever one is over, the next takes its lane.</summary>
    private static string[] Hash(string kernel, byte[][] messages)
    {
        using var set = new LaneSet(LaneKernel.Named(kernel)!, Capacity);
        var digests = new string[messages.Length];
        var (inLane, done) = (new int[set.Count], new int[set.Count]);
        Array.Fill(inLane, -1);
        var next = 0;
        var digest = new byte[32];
        while (true)
        {
            for (var lane = 0; lane < set.Count; lane++)
            {
                if (inLane[lane] < 0 && next < messages.Length)
                {
                    (inLane[lane], done[lane]) = (next++, 0);
                    set.Begin(lane);
                }

                if (inLane[lane] < 0 || !set.WantsMore(lane))
                    continue;
                var rest = messages[inLane[lane]].AsSpan(done[lane]);
                var part = rest[..Math.Min(rest.Length, Capacity)];
                part.CopyTo(set.Buffer(lane));
                done[lane] += part.Length;
                set.Filled(lane, part.Length, part.Length == rest.Length);
            }

            if (Array.TrueForAll(inLane, l => l < 0))
                return digests;
            set.Run();
            for (var lane = 0; lane < set.Count; lane++)
            {
                if (inLane[lane] < 0 || !set.IsOver(lane))
                    continue;
                set.Take(lane, digest);
                digests[inLane[lane]] = Convert.ToHexStringLower(digest);
                inLane[lane] = -1;
            }
        }
    }

    private static byte[] Many(char c, int count) => Encoding.Latin1.GetBytes(new string(c, count));

    private static byte[] Bytes(Random random, int count)
    {
        var bytes = new byte[count];
        random.NextBytes(bytes);
        return bytes;
    }
}
