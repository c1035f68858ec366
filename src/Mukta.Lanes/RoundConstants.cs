using System.Runtime.InteropServices;

namespace Mukta.Hashing.Lanes;

/// <summary>The constants of SHA-256 (FIPS 180-4, 4.2.2 and 5.3.3).</summary>
internal static unsafe class RoundConstants
{
    /// <summary>The state that every message begins with.</summary>
    public static ReadOnlySpan<uint> Initial =>
        [0x6a09e667, 0xbb67ae85, 0x3c6ef372, 0xa54ff53a, 0x510e527f, 0x9b05688c, 0x1f83d9ab, 0x5be0cd19];

    private static ReadOnlySpan<uint> Round =>
    [
        0x428a2f98, 0x71374491, 0xb5c0fbcf, 0xe9b5dba5, 0x3956c25b, 0x59f111f1, 0x923f82a4, 0xab1c5ed5,
        0xd807aa98, 0x12835b01, 0x243185be, 0x550c7dc3, 0x72be5d74, 0x80deb1fe, 0x9bdc06a7, 0xc19bf174,
        0xe49b69c1, 0xefbe4786, 0x0fc19dc6, 0x240ca1cc, 0x2de92c6f, 0x4a7484aa, 0x5cb0a9dc, 0x76f988da,
        0x983e5152, 0xa831c66d, 0xb00327c8, 0xbf597fc7, 0xc6e00bf3, 0xd5a79147, 0x06ca6351, 0x14292967,
        0x27b70a85, 0x2e1b2138, 0x4d2c6dfc, 0x53380d13, 0x650a7354, 0x766a0abb, 0x81c2c92e, 0x92722c85,
        0xa2bfe8a1, 0xa81a664b, 0xc24b8b70, 0xc76c51a3, 0xd192e819, 0xd6990624, 0xf40e3585, 0x106aa070,
        0x19a4c116, 0x1e376c08, 0x2748774c, 0x34b0bcb5, 0x391c0cb3, 0x4ed8aa4a, 0x5b9cca4f, 0x682e6ff3,
        0x748f82ee, 0x78a5636f, 0x84c87814, 0x8cc70208, 0x90befffa, 0xa4506ceb, 0xbef9a3f7, 0xc67178f2,
    ];

    private static readonly uint* For16 = Spread(16), For8 = Spread(8);

    /// <summary>Each round's constant once for every lane, on a boundary of 64 bytes. Kept for as long as the program runs.</summary>
    public static uint* For(int lanes) => lanes == 16 ? For16 : For8;

    private static uint* Spread(int lanes)
    {
        var words = (uint*)NativeMemory.AlignedAlloc((nuint)(64 * lanes * sizeof(uint)), 64);
        for (var i = 0; i < 64; i++)
            new Span<uint>(words + (i * lanes), lanes).Fill(Round[i]);
        return words;
    }
}
