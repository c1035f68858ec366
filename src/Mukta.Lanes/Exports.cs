#if LIBRARY
using System.Runtime.InteropServices;

namespace Mukta.Hashing.Lanes;

/// <summary>What a library of a kernel offers.</summary>
internal static unsafe class Exports
{
    /// <summary>As the kernel's Compress.</summary>
    [UnmanagedCallersOnly(EntryPoint = "mukta_sha256_lanes")]
    public static void Compress(uint* state, byte** messages, nint blocks)
    {
        if (Avx512Lanes.IsSupported)
            Avx512Lanes.Compress(state, messages, blocks);
        else
            Avx2Lanes.Compress(state, messages, blocks);
    }
}
#endif
