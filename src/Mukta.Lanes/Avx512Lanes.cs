using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;
using System.Runtime.Intrinsics.X86;

namespace Mukta.Hashing.Lanes;

/// <summary>
/// SHA-256 (FIPS 180-4) of sixteen messages at once, one in each lane of the 512-bit registers.
/// </summary>
/// <remarks>
/// Unsafe, and sound under what is demanded of the caller: the state is 16 x 8 words on a boundary of
/// 64 bytes, each of the 16 pointers leads to at least <c>blocks</c> x 64 readable bytes, and nothing else is touched.
/// The rounds are written out sixteen at a time so that the names of the variables turn instead of their values, and all
/// of them stay in registers.
/// </remarks>
internal static unsafe class Avx512Lanes
{
    /// <summary>How many messages are hashed at once.</summary>
    public const int Lanes = 16;

    /// <summary>True if this processor can do it.</summary>
    public static bool IsSupported => Avx512F.IsSupported && Avx512BW.IsSupported;

    /// <summary>Takes blocks of 64 bytes of each message into its state.</summary>
    /// <param name="state">The first word of each lane's state, then the second of each, and so on.</param>
    /// <param name="messages">Where each lane's bytes begin.</param>
    /// <param name="blocks">How many blocks to take.</param>
    [MethodImpl(MethodImplOptions.AggressiveOptimization)]
    public static void Compress(uint* state, byte** messages, nint blocks)
    {
        var k = RoundConstants.For(Lanes);
        var swap = Vector512.Create(
            0x04050607_00010203, 0x0C0D0E0F_08090A0B, 0x04050607_00010203, 0x0C0D0E0F_08090A0B, 0x04050607_00010203, 0x0C0D0E0F_08090A0B,
            0x04050607_00010203, 0x0C0D0E0F_08090A0BUL).AsByte();
        Vector512<uint> a = At(state, 0), b = At(state, 1), c = At(state, 2), d = At(state, 3), e = At(state, 4), f = At(state, 5),
            g = At(state, 6), h = At(state, 7), t;
        for (nint at = 0; at < blocks * 64; at += 64)
        {
            // Sixteen rows of sixteen words; turned by four and four so that each vector holds one word of every lane.
            var w0 = Avx512BW.Shuffle(Vector512.Load(messages[0] + at), swap).AsUInt32();
            var w1 = Avx512BW.Shuffle(Vector512.Load(messages[1] + at), swap).AsUInt32();
            var w2 = Avx512BW.Shuffle(Vector512.Load(messages[2] + at), swap).AsUInt32();
            var w3 = Avx512BW.Shuffle(Vector512.Load(messages[3] + at), swap).AsUInt32();
            var w4 = Avx512BW.Shuffle(Vector512.Load(messages[4] + at), swap).AsUInt32();
            var w5 = Avx512BW.Shuffle(Vector512.Load(messages[5] + at), swap).AsUInt32();
            var w6 = Avx512BW.Shuffle(Vector512.Load(messages[6] + at), swap).AsUInt32();
            var w7 = Avx512BW.Shuffle(Vector512.Load(messages[7] + at), swap).AsUInt32();
            var w8 = Avx512BW.Shuffle(Vector512.Load(messages[8] + at), swap).AsUInt32();
            var w9 = Avx512BW.Shuffle(Vector512.Load(messages[9] + at), swap).AsUInt32();
            var w10 = Avx512BW.Shuffle(Vector512.Load(messages[10] + at), swap).AsUInt32();
            var w11 = Avx512BW.Shuffle(Vector512.Load(messages[11] + at), swap).AsUInt32();
            var w12 = Avx512BW.Shuffle(Vector512.Load(messages[12] + at), swap).AsUInt32();
            var w13 = Avx512BW.Shuffle(Vector512.Load(messages[13] + at), swap).AsUInt32();
            var w14 = Avx512BW.Shuffle(Vector512.Load(messages[14] + at), swap).AsUInt32();
            var w15 = Avx512BW.Shuffle(Vector512.Load(messages[15] + at), swap).AsUInt32();
            Turn(ref w0, ref w1, ref w2, ref w3);
            Turn(ref w4, ref w5, ref w6, ref w7);
            Turn(ref w8, ref w9, ref w10, ref w11);
            Turn(ref w12, ref w13, ref w14, ref w15);
            Gather(ref w0, ref w4, ref w8, ref w12);
            Gather(ref w1, ref w5, ref w9, ref w13);
            Gather(ref w2, ref w6, ref w10, ref w14);
            Gather(ref w3, ref w7, ref w11, ref w15);

            t = First(e, f, g, h, w0 + At(k, 0));
            d += t;
            h = t + Second(a, b, c);
            t = First(d, e, f, g, w1 + At(k, 1));
            c += t;
            g = t + Second(h, a, b);
            t = First(c, d, e, f, w2 + At(k, 2));
            b += t;
            f = t + Second(g, h, a);
            t = First(b, c, d, e, w3 + At(k, 3));
            a += t;
            e = t + Second(f, g, h);
            t = First(a, b, c, d, w4 + At(k, 4));
            h += t;
            d = t + Second(e, f, g);
            t = First(h, a, b, c, w5 + At(k, 5));
            g += t;
            c = t + Second(d, e, f);
            t = First(g, h, a, b, w6 + At(k, 6));
            f += t;
            b = t + Second(c, d, e);
            t = First(f, g, h, a, w7 + At(k, 7));
            e += t;
            a = t + Second(b, c, d);
            t = First(e, f, g, h, w8 + At(k, 8));
            d += t;
            h = t + Second(a, b, c);
            t = First(d, e, f, g, w9 + At(k, 9));
            c += t;
            g = t + Second(h, a, b);
            t = First(c, d, e, f, w10 + At(k, 10));
            b += t;
            f = t + Second(g, h, a);
            t = First(b, c, d, e, w11 + At(k, 11));
            a += t;
            e = t + Second(f, g, h);
            t = First(a, b, c, d, w12 + At(k, 12));
            h += t;
            d = t + Second(e, f, g);
            t = First(h, a, b, c, w13 + At(k, 13));
            g += t;
            c = t + Second(d, e, f);
            t = First(g, h, a, b, w14 + At(k, 14));
            f += t;
            b = t + Second(c, d, e);
            t = First(f, g, h, a, w15 + At(k, 15));
            e += t;
            a = t + Second(b, c, d);

            for (var r = 16; r < 64; r += 16)
            {
                w0 = Next(w0, w1, w9, w14);
                t = First(e, f, g, h, w0 + At(k, r + 0));
                d += t;
                h = t + Second(a, b, c);
                w1 = Next(w1, w2, w10, w15);
                t = First(d, e, f, g, w1 + At(k, r + 1));
                c += t;
                g = t + Second(h, a, b);
                w2 = Next(w2, w3, w11, w0);
                t = First(c, d, e, f, w2 + At(k, r + 2));
                b += t;
                f = t + Second(g, h, a);
                w3 = Next(w3, w4, w12, w1);
                t = First(b, c, d, e, w3 + At(k, r + 3));
                a += t;
                e = t + Second(f, g, h);
                w4 = Next(w4, w5, w13, w2);
                t = First(a, b, c, d, w4 + At(k, r + 4));
                h += t;
                d = t + Second(e, f, g);
                w5 = Next(w5, w6, w14, w3);
                t = First(h, a, b, c, w5 + At(k, r + 5));
                g += t;
                c = t + Second(d, e, f);
                w6 = Next(w6, w7, w15, w4);
                t = First(g, h, a, b, w6 + At(k, r + 6));
                f += t;
                b = t + Second(c, d, e);
                w7 = Next(w7, w8, w0, w5);
                t = First(f, g, h, a, w7 + At(k, r + 7));
                e += t;
                a = t + Second(b, c, d);
                w8 = Next(w8, w9, w1, w6);
                t = First(e, f, g, h, w8 + At(k, r + 8));
                d += t;
                h = t + Second(a, b, c);
                w9 = Next(w9, w10, w2, w7);
                t = First(d, e, f, g, w9 + At(k, r + 9));
                c += t;
                g = t + Second(h, a, b);
                w10 = Next(w10, w11, w3, w8);
                t = First(c, d, e, f, w10 + At(k, r + 10));
                b += t;
                f = t + Second(g, h, a);
                w11 = Next(w11, w12, w4, w9);
                t = First(b, c, d, e, w11 + At(k, r + 11));
                a += t;
                e = t + Second(f, g, h);
                w12 = Next(w12, w13, w5, w10);
                t = First(a, b, c, d, w12 + At(k, r + 12));
                h += t;
                d = t + Second(e, f, g);
                w13 = Next(w13, w14, w6, w11);
                t = First(h, a, b, c, w13 + At(k, r + 13));
                g += t;
                c = t + Second(d, e, f);
                w14 = Next(w14, w15, w7, w12);
                t = First(g, h, a, b, w14 + At(k, r + 14));
                f += t;
                b = t + Second(c, d, e);
                w15 = Next(w15, w0, w8, w13);
                t = First(f, g, h, a, w15 + At(k, r + 15));
                e += t;
                a = t + Second(b, c, d);
            }

            a += At(state, 0);
            b += At(state, 1);
            c += At(state, 2);
            d += At(state, 3);
            e += At(state, 4);
            f += At(state, 5);
            g += At(state, 6);
            h += At(state, 7);
            a.StoreAligned(state + (0 * Lanes));
            b.StoreAligned(state + (1 * Lanes));
            c.StoreAligned(state + (2 * Lanes));
            d.StoreAligned(state + (3 * Lanes));
            e.StoreAligned(state + (4 * Lanes));
            f.StoreAligned(state + (5 * Lanes));
            g.StoreAligned(state + (6 * Lanes));
            h.StoreAligned(state + (7 * Lanes));
        }
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector512<uint> At(uint* words, int row) => Vector512.LoadAligned(words + (row * Lanes));

    /// <summary>Turns four rows in each quarter of the vectors.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static void Turn(ref Vector512<uint> p, ref Vector512<uint> q, ref Vector512<uint> r, ref Vector512<uint> s)
    {
        var (pq, rs) = (Avx512F.UnpackLow(p, q).AsUInt64(), Avx512F.UnpackLow(r, s).AsUInt64());
        var (pqHigh, rsHigh) = (Avx512F.UnpackHigh(p, q).AsUInt64(), Avx512F.UnpackHigh(r, s).AsUInt64());
        p = Avx512F.UnpackLow(pq, rs).AsUInt32();
        q = Avx512F.UnpackHigh(pq, rs).AsUInt32();
        r = Avx512F.UnpackLow(pqHigh, rsHigh).AsUInt32();
        s = Avx512F.UnpackHigh(pqHigh, rsHigh).AsUInt32();
    }

    /// <summary>Brings the quarters of four vectors together: all first ones, all second ones, and so on.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static void Gather(ref Vector512<uint> p, ref Vector512<uint> q, ref Vector512<uint> r, ref Vector512<uint> s)
    {
        var (even, odd) = (Avx512F.Shuffle4x128(p, q, 0x88), Avx512F.Shuffle4x128(p, q, 0xDD));
        var (evenToo, oddToo) = (Avx512F.Shuffle4x128(r, s, 0x88), Avx512F.Shuffle4x128(r, s, 0xDD));
        p = Avx512F.Shuffle4x128(even, evenToo, 0x88);
        q = Avx512F.Shuffle4x128(odd, oddToo, 0x88);
        r = Avx512F.Shuffle4x128(even, evenToo, 0xDD);
        s = Avx512F.Shuffle4x128(odd, oddToo, 0xDD);
    }

    /// <summary>T1 of FIPS 180-4, 6.2.2: the choice of f or g by e is the ternary function 0xCA, the sum of three rotations 0x96.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector512<uint> First(Vector512<uint> e, Vector512<uint> f, Vector512<uint> g, Vector512<uint> h, Vector512<uint> wk) =>
        h + wk + Avx512F.TernaryLogic(e, f, g, 0xCA)
        + Avx512F.TernaryLogic(Avx512F.RotateRight(e, 6), Avx512F.RotateRight(e, 11), Avx512F.RotateRight(e, 25), 0x96);

    /// <summary>T2: the majority of a, b and c is the ternary function 0xE8.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector512<uint> Second(Vector512<uint> a, Vector512<uint> b, Vector512<uint> c) =>
        Avx512F.TernaryLogic(a, b, c, 0xE8)
        + Avx512F.TernaryLogic(Avx512F.RotateRight(a, 2), Avx512F.RotateRight(a, 13), Avx512F.RotateRight(a, 22), 0x96);

    /// <summary>The next word of the message schedule, from those 16, 15, 7 and 2 before it.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector512<uint> Next(Vector512<uint> w16, Vector512<uint> w15, Vector512<uint> w7, Vector512<uint> w2) =>
        w16 + w7
        + Avx512F.TernaryLogic(Avx512F.RotateRight(w15, 7), Avx512F.RotateRight(w15, 18), w15 >>> 3, 0x96)
        + Avx512F.TernaryLogic(Avx512F.RotateRight(w2, 17), Avx512F.RotateRight(w2, 19), w2 >>> 10, 0x96);
}
