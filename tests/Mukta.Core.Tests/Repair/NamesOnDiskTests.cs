using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Repair;
using Mukta.Tests;

namespace Mukta.Core.Tests.Repair;

/// <summary>Names that a file system of another system cannot hold, or cannot tell apart.</summary>
public sealed class NamesOnDiskTests : IDisposable
{
    private readonly Scratch scratch = new();

    [Theory]
    [InlineData("vfat", "maps/a:b", "cannot hold the name maps/a:b")]
    [InlineData("vfat", "maps/what?.pak", "cannot hold the name")]
    [InlineData("exfat", "maps./a", "cannot hold the name maps./a")]
    [InlineData("vfat", "maps/a ", "cannot hold the name")]
    [InlineData("vfat", "maps/a.pak", null)]
    [InlineData("ext4", "maps/a:b", null)]
    public void A_name_that_the_disk_cannot_hold_is_refused(string kind, string name, string? why) =>
        Refused(FileSystemCapabilities.OfType(kind), (_, _) => false, why, name);

    [Fact]
    public void Names_that_the_disk_takes_for_one_are_refused_and_elsewhere_they_are_two()
    {
        static bool Folding(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
        Taken(Folding, "The names maps/A.pak and maps/a.pak differ only by letter case", "maps/A.pak", "maps/a.pak");
        Taken(Folding, "differ only by letter case", "Maps/a.pak", "maps/a.pak");
        Taken(Folding, "differ only by letter case", "maps/\u00c9", "maps/\u00e9");
        Taken(Folding, null, "maps/a.pak", "maps/b.pak");
        Taken(Folding, null, "maps/\u00e9", "maps/\u00e8");
        static bool Composing(string a, string b) => a.Replace("e\u0301", "\u00e9") == b.Replace("e\u0301", "\u00e9");
        Taken(Composing, "differ only by how their characters are composed", "maps/\u00e9t\u00e9", "maps/e\u0301te\u0301");
        Taken(Composing, null, "maps/A.pak", "maps/a.pak");
        Taken(Composing, null, "maps/o\u0301", "maps/\u00e9");
    }

    [Fact]
    public void On_a_disk_of_Linux_they_are_two_and_trying_leaves_nothing_behind()
    {
        scratch.Write("install/x", "x");
        using var folder = Folder.Open(scratch.At("install"));
        folder.EnsureFolder(".mukta");
        NamesOnDisk.AreOne(folder, ".mukta", "A", "a").ShouldBeFalse();
        NamesOnDisk.AreOne(folder, ".mukta", "\u00e9", "e\u0301").ShouldBeFalse();
        NamesOnDisk.AreOne(folder, ".mukta", "a", "a").ShouldBeTrue("so it would be told");
        Directory.GetFileSystemEntries(scratch.At("install/.mukta")).ShouldBeEmpty();
    }

    public void Dispose() => scratch.Dispose();

    private static void Taken(Func<string, string, bool> areOne, string? why, params string[] names) =>
        Refused(FileSystemCapabilities.OfType("ext4"), areOne, why, names);

    private static void Refused(FileSystemCapabilities disk, Func<string, string, bool> areOne, string? why, params string[] names)
    {
        var manifest = new Manifest
        {
            Files = [.. names.Select(n => new ManifestFile { Path = n, Size = 0, Hashes = [new ContentHash(Hashing.HashKind.Sha256, new byte[32])] })],
        };
        void Act() => NamesOnDisk.Refuse(manifest, [names[^1]], disk, areOne, "/media/stick/game");
        if (why is null)
            Act();
        else
            Should.Throw<MuktaException>(Act).ShouldSatisfyAllConditions(f => f.Code.ShouldBe(ExitCode.Blocked), f => f.What.ShouldContain(why));
    }
}
