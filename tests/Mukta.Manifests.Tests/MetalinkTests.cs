using System.Text;
using CsCheck;
using Mukta.Hashing;

namespace Mukta.Manifests.Tests;

public class MetalinkTests
{
    private static readonly Gen<string> Segment = Gen.String[Gen.Char["abcXYZ019 .-_äß日'&<>\"%#?"], 1, 12]
        .Where(s => s.Trim() is not ("." or ".." or "") && s == s.Trim());

    private static readonly Gen<string> FilePath = Segment.Array[1, 4].Select(s => string.Join('/', s))
        .Where(p => ManifestPath.Fault(p) is null);

    private static readonly Gen<ManifestFile> AnyFile =
        from path in FilePath
        from size in Gen.Long[1, 1L << 40]
        from hash in Gen.Byte.Array[32]
        from pieces in Gen.Int[1, 9]
        from cut in Gen.Bool
        from mode in Gen.Int[-1, 0x1FF]
        from component in Gen.OneOf(Gen.Const((string?)null), Gen.Const<string?>("anti-cheat"))
        let pieceLength = (size + pieces - 1) / pieces
        select new ManifestFile
        {
            Path = path,
            Size = size,
            Hashes = [new ContentHash(HashKind.Sha256, hash)],
            Mode = mode < 0 ? null : mode,
            Component = component,
            Pieces = cut ? new PieceList(HashKind.Sha256, pieceLength, new byte[PieceList.CountFor(size, pieceLength) * 32]) : null,
            Extras = cut
            ? new FileExtras
            {
                Languages = ["en", "nn"],
                OperatingSystems = ["Linux"],
                Version = "1.0",
                Urls = [new MirrorUrl(new Uri("https://other.example/x"), 7, "no")]
            } : null,
        };

    private static readonly Gen<Manifest> AnyManifest =
        from files in AnyFile.Array[1, 12]
        from sequence in Gen.Long[0, long.MaxValue]
        from bases in Gen.Int[0, 2]
        let unique = files.GroupBy(f => f.Path).Select(g => g.First()).ToList()
        let folders = unique.SelectMany(f => ManifestPath.Folders(f.Path)).ToHashSet()
        let sound = unique.Where(f => !folders.Contains(f.Path)).OrderBy(f => f.Path, StringComparer.Ordinal).ToList()
        where sound.Count > 0
        select new Manifest
        {
            Product = "gannet-post",
            Release = "1.4.2",
            Sequence = sequence,
            Expires = new DateTimeOffset(2027, 1, 31, 12, 0, 0, TimeSpan.Zero),
            Bases = [.. Enumerable.Range(1, bases).Select(i => new MirrorUrl(new Uri($"http://m{i}.example/gannet%20post"), i, "dk"))],
            Files = sound,
        };

    [Theory]
    [InlineData("maps/harbour.pak", "http://m.example/g%20p/maps/harbour.pak")]
    [InlineData("100%2Foff/a b?#.pak", "http://m.example/g%20p/100%252Foff/a%20b%3F%23.pak")]
    [InlineData("Größe.pak", "http://m.example/g%20p/Gr%C3%B6%C3%9Fe.pak")]
    public void A_file_below_a_base_has_a_URL_in_which_its_name_is_no_more_than_a_name(string path, string url) =>
        MirrorUrl.Below(new Uri("http://m.example/g%20p/"), path).AbsoluteUri.ShouldBe(url);

    [Fact]
    public void What_is_written_is_read_back_and_written_again_the_same() => AnyManifest.Sample(manifest =>
    {
        var text = Written(manifest);
        var read = Read(text);
        Written(read).ShouldBe(text);
        read.Files.Select(f => (f.Path, f.Size, f.Mode, f.Component, f.Version, f.Pieces?.PieceLength, f.PieceCount))
            .ShouldBe(manifest.Files.Select(f => (f.Path, f.Size, f.Mode, f.Component, f.Version, f.Pieces?.PieceLength, f.PieceCount)));
        read.Files.Select(f => f.Hashes[0].Hex).ShouldBe(manifest.Files.Select(f => f.Hashes[0].Hex));
        read.Files.SelectMany(f => f.Urls).ShouldBe(manifest.Files.SelectMany(f => f.Urls));
        (read.Product, read.Release, read.Sequence, read.Expires)
            .ShouldBe((manifest.Product, manifest.Release, manifest.Sequence, manifest.Expires));
        read.Bases.ShouldBe(manifest.Bases);
    });

    [Fact]
    public void A_path_that_is_accepted_stays_below_the_install() =>
        Gen.String[Gen.Char["ab./\\\n"], 0, 8].Sample(path =>
            ManifestPath.Fault(path) is not null || Path.GetFullPath(Path.Join("/install", path)) == "/install/" + path);

    [Fact]
    public void A_link_target_that_is_accepted_stays_below_the_install() =>
        Gen.Select(Gen.OneOf(Gen.Const("l"), Gen.Const("a/l"), Gen.Const("a/b/l")), Gen.String[Gen.Char["a./"], 1, 10])
        .Sample((link, target) =>
            ManifestPath.TargetFault(link, target) is not null
            || (Path.GetFullPath(Path.Join("/install", Path.GetDirectoryName(link), target)) + "/")
            .StartsWith("/install/", StringComparison.Ordinal));

    [Fact]
    public void A_plain_Metalink_from_anyone_else_works()
    {
        var manifest = Read("""
            <?xml version="1.0" encoding="UTF-8"?>
            <metalink xmlns="urn:ietf:params:xml:ns:metalink">
              <published>2009-05-15T12:23:23Z</published>
              <file name="example.ext">
                <size>14471447</size>
                <identity>Example</identity>
                <version>1.0</version>
                <language>en</language>
                <description>A description of the example file for download.</description>
                <hash type="md5">4f5d0d8f7d8e8a8c1f0f4a8e8d0c9b7a</hash>
                <hash type="sha-1">da39a3ee5e6b4b0d3255bfef95601890afd80709</hash>
                <hash type="sha-256">3d6fece8033d146d8611eab4f032df738c8c1283620fd02a1f2bfec6e27d590d</hash>
                <url location="de" priority="2">ftp://ftp.example.com/example.ext</url>
                <url location="fr" priority="1">http://example.com/example.ext</url>
                <metaurl mediatype="torrent" priority="3">http://example.com/example.ext.torrent</metaurl>
              </file>
            </metalink>
            """);
        var file = manifest.Files.ShouldHaveSingleItem();
        (file.Path, file.Size, file.Version, file.IsWeak).ShouldBe(("example.ext", 14471447L, "1.0", false));
        file.Hashes.Select(h => h.Kind).ShouldBe([HashKind.Sha256, HashKind.Sha1, HashKind.Md5]);
        file.Urls.ShouldHaveSingleItem().ShouldBe(new MirrorUrl(new Uri("http://example.com/example.ext"), 1, "fr"));
    }

    [Theory]
    [InlineData("md5", "d41d8cd98f00b204e9800998ecf8427e", 1)]
    [InlineData("sha-1", "da39a3ee5e6b4b0d3255bfef95601890afd80709", 1)]
    [InlineData(
        "sha-512",
        "cf83e1357eefb8bdf1542850d66d8007d620e4050b5715dc83f4a921d36ce9ce47d0d13c5d85f2b0ff8318d2877eec2f63b931bd47417a81a538327af927da3e",
        0)]
    public void Hashes_that_can_be_forged_are_counted_as_weak(string type, string hash, int weak) =>
        Read($"<metalink xmlns=\"urn:ietf:params:xml:ns:metalink\"><file name=\"a\"><size>0</size><hash "
        + $"type=\"{type}\">{hash}</hash></file></metalink>").WeakFiles.ShouldBe(weak);

    private static string Written(Manifest manifest)
    {
        using var stream = new MemoryStream();
        MetalinkWriter.Write(manifest, stream);
        return Encoding.UTF8.GetString(stream.ToArray());
    }

    private static Manifest Read(string text) => MetalinkReader.Read(new MemoryStream(Encoding.UTF8.GetBytes(text)), "test.meta4");
}
