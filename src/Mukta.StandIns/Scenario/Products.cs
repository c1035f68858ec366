using System.Text;

namespace Mukta.StandIns;

/// <summary>A made-up file: its name, its size in bytes, whether it is a program, and what it says to the loader.</summary>
internal sealed record MadeFile(string Path, int Size, bool IsProgram = false, MadeElf? Elf = null);

/// <summary>A made-up product of the Saltlight Commons scenario.</summary>
internal sealed record MadeProduct(string Id, string Release, int Sequence, string Install, IReadOnlyList<MadeFile> Files);

/// <summary>What the scenario's invented vendor publishes.</summary>
internal static class Products
{
    private const int KiB = 1024;
    private static readonly string[] Islands =
        ["aldersay", "brackenholm", "curlew-ness", "dunrock", "eiderwick", "fiddler-skerry", "greylag", "hollow-bay"];
    private static readonly string[] Glazes = ["amber", "bladderwrack", "celadon", "driftwood", "eelgrass", "foam"];

    private static MadeElf Linked(params string[] libraries) => new() { Needs = [.. libraries, "libc.so.6"], RunPath = "$ORIGIN/../lib" };

    public static IReadOnlyList<MadeProduct> All { get; } =
    [
        new("gannet-post", "1.4.2", 41, "games/gannet-post",
        [
            new("bin/gannet-post", 1800 * KiB, IsProgram: true, Linked("libwind.so")),
            new("bin/mail-sorter", 96 * KiB, IsProgram: true, Linked()),
            new(SelfTest.Program, 0, IsProgram: true),
            new("lib/libwind.so", 410 * KiB, Elf: Linked() with { SoName = "libwind.so" }),
            new("data/routes.db", 640 * KiB),
            new("data/stamps.db", 52 * KiB),
            new("maps/harbour.pak", 6 * 1024 * KiB),
            new("maps/pier.pak", 1300 * KiB),
            .. Islands.Select((name, i) => new MadeFile($"maps/isles/{name}.pak", (300 + 70 * i) * KiB)),
            new("sound/gulls.bank", 2048 * KiB),
            new("sound/propeller.bank", 900 * KiB),
            .. Enumerable.Range(1, 24).Select(i => new MadeFile($"letters/letter-{i:00}.txt", 700 + 37 * i)),
            .. Islands.Select((name, i) => new MadeFile($"textures/{name}.tex", (120 + 25 * i) * KiB)),
        ]),
        new("kelp-and-kiln", "0.9.0", 12, "games/kelp-and-kiln",
        [
            new("bin/kelp-and-kiln", 900 * KiB, IsProgram: true, Linked()),
            new(SelfTest.Program, 0, IsProgram: true),
            .. Glazes.Select((name, i) => new MadeFile($"glazes/{name}.tex", (200 + 40 * i) * KiB)),
            new("sound/surf.bank", 700 * KiB),
        ]),
        new("pierhead", "3.2.0", 118, "launcher/pierhead",
        [
            new("bin/pierhead", 1200 * KiB, IsProgram: true, Linked()),
            new("bin/pierhead-tray", 300 * KiB, IsProgram: true, Linked()),
            new(SelfTest.Program, 0, IsProgram: true),
            new("share/news.html", 9 * KiB),
        ]),
        new("tidewarden", "2.0.5", 57, "anti-cheat/tidewarden",
        [
            new("bin/tidewardend", 700 * KiB, IsProgram: true, Linked("libtidewarden.so")),
            new("lib/libtidewarden.so", 350 * KiB, Elf: Linked() with { SoName = "libtidewarden.so" }),
            new(VendorSetupCommand.Program, 0, IsProgram: true),
        ]),
    ];

    /// <summary>The bytes of a file, the same for the same seed and name.</summary>
    public static byte[] Content(MadeProduct product, MadeFile file, int seed)
    {
        var name = $"{product.Id}/{product.Release}/{file.Path}";
        var random = new Random(Encoding.UTF8.GetBytes(name).Aggregate(seed, (sum, b) => unchecked(sum * 31 + b)));
        var bytes = new byte[file.Size];
        random.NextBytes(bytes);
        for (var i = 0; i < bytes.Length; i++)
            bytes[i] |= (byte)(bytes[i] == 0 ? 1 : 0); // No zeros, so that a hole stands out.
        file.Elf?.Head().CopyTo(bytes, 0);
        return bytes;
    }
}
