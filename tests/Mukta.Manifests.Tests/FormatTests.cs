using System.Text;
using CsCheck;
using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Manifests.Formats;
using Mukta.Tests;

namespace Mukta.Manifests.Tests;

/// <summary>Checksum lists, bags and Metalink 3.</summary>
public sealed class FormatTests : IDisposable
{
    private const string Nothing = "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";
    private const string Other = "9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08";
    private const string Declaration = "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n";

    private readonly Scratch scratch = new();

    [Fact]
    public void What_a_list_says_is_read_back_and_says_the_same() =>
        Gen.Select(Gen.String[Gen.Char["ab (=)*%#é "], 1, 20].Array[1, 8], Gen.Bool).Sample((names, isBsd) =>
        {
            var manifest = new Manifest
            {
                Files = [.. names.Distinct().Select((n, i) => new ManifestFile
                {
                    Path = n,
                    Size = 0,
                    HasSize = false,
                    Hashes = [new ContentHash(HashKind.Sha256, [.. Enumerable.Repeat((byte)i, 32)])],
                })],
            };
            using var stream = new MemoryStream();
            ManifestWriter.Write(manifest, stream, isBsd ? ManifestFormat.Bsd : ManifestFormat.Gnu);
            stream.Position = 0;
            var read = ManifestReader.Read(stream, "list");
            read.Format.ShouldBe(isBsd ? ManifestFormat.Bsd : ManifestFormat.Gnu);
            read.LacksSizes.ShouldBeTrue();
            read.Files.Select(f => (f.Path, f.Hashes[0].Hex)).ShouldBe(
                manifest.Files.OrderBy(f => f.Path, StringComparer.Ordinal).Select(f => (f.Path, f.Hashes[0].Hex)));
        });

    [Theory]
    [InlineData(Nothing + " *bin/game\r\n", "bin/game")]
    [InlineData("\uFEFF# the release\n\n" + Nothing + "  ./bin//../x", null)]
    [InlineData("./x", null)]
    [InlineData(Nothing + "  ./bin/game", "bin/game")]
    [InlineData("SHA256 (a) = b) = " + Nothing + "\n", "a) = b")]
    [InlineData("MD5 (a) = d41d8cd98f00b204e9800998ecf8427e", "a")]
    [InlineData("SHA512 (a) = " + Nothing, null)]
    [InlineData("\\" + Nothing + "  a\\nb", null)]
    [InlineData("\\" + Nothing + "  a\\xb", null)]
    public void A_line_of_a_list_is_read_or_refused(string text, string? name)
    {
        if (name is null)
            Refused(text);
        else
            Read(text).Files.ShouldHaveSingleItem().Path.ShouldBe(name);
    }

    [Theory]
    [InlineData("  ../out", "has a segment")]
    [InlineData("  /etc/passwd", "absolute")]
    [InlineData("  .mukta/kept/x", "own folder")]
    [InlineData("  a\\b", "backslash")]
    [InlineData("  a\u001b[2J", "control character")]
    [InlineData("  a\n" + Other + "  a", "stands here again with another hash")]
    [InlineData("  a\n" + Other + "  a/b", "needs it as a folder")]
    [InlineData("  a\nhello", "not a checksum with a name")]
    public void A_list_that_would_do_harm_is_refused_with_its_line(string rest, string why) => Refused(Nothing + rest).What.ShouldContain(why);

    [Fact]
    public void A_list_that_is_none_is_refused_soon()
    {
        Refused("").What.ShouldContain("XML");
        Refused("hello there\n").What.ShouldBe("This is not a manifest: it is neither Metalink nor a checksum list.");
        Refused(Nothing + "  " + new string('a', 40_000)).What.ShouldContain("longer than");
        Should.Throw<ManifestFault>(() => ManifestReader.Read(new MemoryStream([.. Encoding.ASCII.GetBytes(Nothing + "  "), 0xC3, 0x28]), "list"))
            .What.ShouldContain("not UTF-8");
        Refused("\n# nothing\n").What.ShouldContain("lists no file");
    }

    [Fact]
    public void Lists_in_one_folder_are_read_together_and_must_agree()
    {
        scratch.Write("lists/SHA256SUMS", $"{Nothing}  a\n");
        scratch.Write("lists/more.sha256", $"{Nothing}  b\n{Nothing}  a\n");
        scratch.Write("lists/SHA512SUMS", $"{new string('0', 128)}  a\n");
        var read = ManifestReader.ReadFile(scratch.At("lists"));
        read.Files.Select(f => (f.Path, f.Hashes.Count)).ShouldBe([("a", 2), ("b", 1)]);
        scratch.Write("lists/zz.sha256", $"{Other}  b\n");
        Should.Throw<ManifestFault>(() => ManifestReader.ReadFile(scratch.At("lists"))).Where.ShouldContain("zz.sha256");
    }

    [Fact]
    public void A_list_says_nothing_of_sizes_and_an_empty_file_is_still_compared()
    {
        var manifest = Read($"{Other}  a\n{Nothing}  b\n");
        scratch.Write("install/a", "");
        scratch.Write("install/b", "");
        using var install = Folder.Open(scratch.At("install"));
        manifest.WithSizesIn(install).Files.Select(f => f.PieceCount).ShouldBe([1, 1], "their hashes tell which one is damaged");
        Should.Throw<MuktaException>(() => manifest.RefuseWithoutSizes("x")).What.ShouldContain("does not say how long its files are");
    }

    [Fact]
    public void A_bag_is_read_with_the_sizes_of_its_files_and_where_the_others_are()
    {
        scratch.Write("bag/data/maps/50% off", "x");
        Write(("a b", null), ("maps/50% off", 1));
        var read = ManifestReader.ReadFile(scratch.At("bag"));
        read.Format.ShouldBe(ManifestFormat.Bagit);
        read.Files.Select(f => (f.Path, f.Size, f.HasSize, f.Urls.Count)).ShouldBe([("a b", 7, true, 1), ("maps/50% off", 1, true, 0)]);
        File.ReadAllText(scratch.At("bag/manifest-sha256.txt")).ShouldContain("  data/maps/50%25 off\n");

        void Write(params (string Path, long? Size)[] files) => Bag.Write(
            scratch.At("bag"), new Manifest
            {
                Files = [.. files.Select(f => new ManifestFile { Path = f.Path, Size = f.Size ?? 7, Hashes = [new ContentHash(HashKind.Sha256, Convert.FromHexString(Nothing))] })],
            },
            [.. files.Where(f => f.Size is null).Select(f => new BagFetch(new Uri("https://mirror.example/a%20b"), 7, f.Path))]);
    }

    [Theory]
    [InlineData("bagit.txt", "BagIt-Version: 2.0\nTag-File-Character-Encoding: UTF-8\n", "version that Mukta does not know")]
    [InlineData("bagit.txt", "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-16\n", "another encoding")]
    [InlineData("tagmanifest-sha256.txt", Other + "  bagit.txt\n", "is not the one that was put there")]
    [InlineData("tagmanifest-sha256.txt", Other + "  ../../etc/passwd\n", "has a segment")]
    [InlineData("tagmanifest-sha256.txt", Other + "  gone.txt\n", "cannot be read")]
    [InlineData("tagmanifest-sha256.txt", Other + "  data/a\n", "one of its payload")]
    [InlineData("manifest-sha256.txt", Nothing + "  a\n", "does not lie in the bag's folder data")]
    [InlineData("manifest-sha256.txt", Nothing + "  data/../../x\n", "has a segment")]
    [InlineData("manifest-sha256.txt", "d41d8cd98f00b204e9800998ecf8427e  data/a\n", "not a hash with a name")]
    [InlineData("manifest-sha256.txt", "", "lists no file")]
    [InlineData("manifest-sha512.txt", "", "Not every list of the bag lists the same files")]
    [InlineData("fetch.txt", "http://a.example/ 7 /etc/passwd\n", "not an address, a length and a name")]
    [InlineData("fetch.txt", "http://a.example/ -7 data/a\n", "not an address, a length and a name")]
    public void A_bag_that_is_not_as_it_was_packed_is_refused(string file, string text, string why)
    {
        scratch.Write("bag/bagit.txt", Declaration);
        scratch.Write("bag/manifest-sha256.txt", $"{Nothing}  data/a\n");
        ManifestReader.ReadFile(scratch.At("bag")).Files.ShouldHaveSingleItem();
        scratch.Write($"bag/{file}", text);
        Should.Throw<ManifestFault>(() => ManifestReader.ReadFile(scratch.At("bag"))).What.ShouldContain(why);
    }

    [Fact]
    public void Metalink_3_is_read_as_far_as_its_hashes_go()
    {
        const string Text = """
            <metalink version="3.0" xmlns="http://www.metalinker.org/" type="static">
             <publisher><name>Harbour</name></publisher>
             <files>
              <file name="bin/game"><identity>Game</identity><size>3</size>
               <verification><signature type="pgp">x</signature><hash type="md5">d41d8cd98f00b204e9800998ecf8427e</hash><hash type="sha256">HASH</hash>
                <pieces type="sha1" length="2"><hash piece="0">da39a3ee5e6b4b0d3255bfef95601890afd80709</hash><hash piece="1">da39a3ee5e6b4b0d3255bfef95601890afd80709</hash></pieces>
               </verification>
               <resources maxconnections="1"><url type="ftp" preference="90">ftp://a.example/game</url><url type="http" location="de" preference="80">http://b.example/game</url></resources>
              </file>
             </files>
            </metalink>
            """;
        var read = Read(Text.Replace("HASH", Nothing, StringComparison.Ordinal));
        read.Format.ShouldBe(ManifestFormat.Metalink3);
        var file = read.Files.ShouldHaveSingleItem();
        (file.Path, file.Size, file.PieceCount, file.IsWeak).ShouldBe(("bin/game", 3, 2, false));
        file.Urls.ShouldHaveSingleItem().Url.ShouldBe(new Uri("http://b.example/game"));
        Refused(Text.Replace("HASH", "00", StringComparison.Ordinal)).What.ShouldContain("64 hexadecimal digits");
        Refused(Text.Replace("HASH", Nothing, StringComparison.Ordinal).Replace("<size>3<", "<size>5<", StringComparison.Ordinal))
            .What.ShouldContain("do not fit its size");
        Refused(Text.Replace("HASH", Nothing, StringComparison.Ordinal).Replace("bin/game", "../game", StringComparison.Ordinal))
            .What.ShouldContain("has a segment");
    }

    public void Dispose() => scratch.Dispose();

    private static Manifest Read(string text) => ManifestReader.Read(new MemoryStream(Encoding.UTF8.GetBytes(text)), "list");

    private static ManifestFault Refused(string text) => Should.Throw<ManifestFault>(() => Read(text), text);
}
