using Mukta.Bundles;
using Mukta.Cases;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host;
using Mukta.Host.Access;
using Mukta.Host.Interference;
using Mukta.Host.Outages;
using Mukta.Host.Runtime;
using Mukta.Host.Services;
using Mukta.Host.Shortcuts;
using Mukta.Manifests;
using Mukta.Manifests.Formats;
using Mukta.Manifests.Signatures;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Repair;
using Mukta.StandIns;
using Mukta.State;
using Mukta.Tests;
using Mukta.UserData;

namespace Mukta.Core.Tests.Hostile;

/// <summary>
/// Whatever is in a file or an answer from outside, its reader ends in one of its own failures, soon and in little memory.
/// </summary>
public sealed class OutsideReaderTests
{
    private const int Variants = 400;
    private const long MostMemory = 64 << 20;

    private static readonly Certificates Signing = new(isRsa: false);

    /// <summary>Every reader with a good sample, its own failures, and how it is given a file.</summary>
    private static readonly Dictionary<Type, Reader> Readers = new()
    {
        [typeof(ProfileReader)] = new(
            File.ReadAllBytes(Path.Join(SourcePath(), "../demo/profiles/gannet-post.yaml")), (_, file) => ProfileReader.ReadFile(file)),
        [typeof(Settings)] = new(
            "format: mukta.settings/1\nmirrors: {pier: [\"https://mirror.example/\"]}\nmax-rate: 2MiB\nalso: [~/a]\n"u8.ToArray(),
            (_, file) => Settings.ReadFile(file, "/home/anna")),
        [typeof(SmallText)] = new("#!/bin/sh\n# Usage: setup install|remove\n"u8.ToArray(), (_, file) => SmallText.Read(file) + SmallText.End(file, 10)),
        [typeof(ImplicitLayers)] = new(
            """{"layers":[{"name":"VK_LAYER_gull","disable_environment":{"NO_GULL":"1"}},{"name":"b","enable_environment":{"B":"1"}}]}"""u8
            .ToArray(), (_, file) => ImplicitLayers.Read(file)),
        [typeof(OutcomeLines)] = new(
            """{"format":"mukta.outcome/1","id":"0123456789abcdef0123456789abcdef","day":"2026-01-02","product":"p","code":"c","rung":"r","act":"repair","result":"fixed","minutes":2.5}"""u8
            .ToArray(), (_, file) => OutcomeLines.ReadFile(file)),
        [typeof(DesktopEntry)] = new(
            "[Desktop Entry]\nType=Application\nName=Pier\\s\n\nExec=env A=b \"/games/p\\\\$ier\" %U\nPath=/games\n[Other]\nx=y\n"u8.ToArray(),
            (_, file) => DesktopEntry.ReadFile(file, out var _)?.With("Exec", DesktopEntry.ReadFile(file, out var _)?.Exec?.ToString())
            .Get("Name")),
        [typeof(MetalinkReader)] = new(Manifest(), (_, file) => MetalinkReader.ReadFile(file)),
        [typeof(ManifestReader)] = new(ManyLines(), (_, file) => ManifestReader.ReadFile(file)),
        [typeof(ChecksumList)] = new(
            "SHA256 (a b) = e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855\n"u8.ToArray(), (scratch, file) =>
            {
                scratch.Write("lists/SHA256SUMS", ManyLines());
                scratch.Write("lists/x.sha256", File.ReadAllBytes(file));
                return ManifestReader.ReadFile(scratch.At("lists"));
            }),
        [typeof(Bag)] = new(ManyLines(), (scratch, file) =>
        {
            scratch.Write("bag/bagit.txt", "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n");
            scratch.Write("bag/fetch.txt", File.ReadAllText(file).Replace("e3b0", "http://127.0.0.1:1/e ", StringComparison.Ordinal));
            scratch.Write("bag/manifest-sha256.txt", File.ReadAllText(file).Replace("  ", "  data/", StringComparison.Ordinal));
            return ManifestReader.ReadFile(scratch.At("bag"));
        }),
        [typeof(Findings)] = new(
            """{"format":"mukta.verify/1","release":{"product":"pier","version":"1","sequence":7},"findings":[{"path":"a","state":"damaged","kind":"file","pieces":{"total":8,"length":4096,"bad":[{"first":1,"last":2}]}}]}"""u8
            .ToArray(), (_, file) => Findings.Read(file)),
        [typeof(Bundle)] = new(
            """{"format":"mukta.bundle/1","isComplete":true,"releases":[{"product":"pier","manifest":"manifests/pier.meta4","isSigned":true,"for":["a"],"files":1,"bytes":1}]}"""u8
            .ToArray(), (scratch, file) =>
            {
                scratch.Write("stick/data/bundle.json", File.ReadAllBytes(file));
                scratch.Write("stick/data/pieces.txt", File.ReadAllBytes(file).Length % 2 == 0 ? [] : File.ReadAllBytes(file));
                using var bundle = Bundle.Open(scratch.At("stick"));
                return bundle.Releases;
            }),
        [typeof(TrustAnchors)] = new(
            System.Text.Encoding.ASCII.GetBytes(Signing.Root.ExportCertificatePem()), (_, file) => TrustAnchors.Read([file])),
        [typeof(RevocationList)] = new(
            Certificates.Revoking(Signing.Publisher, Signing.Middle), (_, file) => RevocationList.ReadFile(file)),
        [typeof(ManifestSignature)] = new(
            ManifestSignature.Make(Manifest(), Signing.Publisher, [Signing.Middle], DateTimeOffset.UtcNow), (scratch, file) =>
            {
                scratch.Write("root.pem", Signing.Root.ExportCertificatePem());
                scratch.Write("signed.meta4", Manifest());
                scratch.Write("signed.meta4.p7s", File.ReadAllBytes(file));
                return ManifestSignature.ReadSigned(
                    scratch.At("signed.meta4"), TrustAnchors.Read([scratch.At("root.pem")]), DateTimeOffset.UtcNow);
            })
        { Variants = 200 },
        [typeof(ReleaseIndex)] = new(
            """{"format":"mukta.releases/1","product":"pier","expires":"2030-01-31T00:00:00Z","releases":[{"release":"1","sequence":7,"channel":"beta","manifest":"1/pier.meta4"}]}"""u8
            .ToArray(), (_, file) => ReleaseIndex.Parse(File.ReadAllBytes(file), "x")),
        [typeof(PublishedManifests)] = new(
            """{"url":"http://127.0.0.1:1/a.meta4","tag":"\"x\"","modified":null,"askedAt":"2026-01-01T00:00:00+00:00"}"""u8.ToArray(),
            (scratch, file) =>
            {
                var published = new PublishedManifests(scratch.Root, () => new HttpSettings("mukta/test"), TimeProvider.System)
                {
                    IsOffline = true,
                };
                var kept = published.Of(new Uri("http://127.0.0.1:1/a.meta4"), [], TimeSpan.Zero, null);
                scratch.Write(Path.GetRelativePath(scratch.Root, kept.Path), Manifest());
                scratch.Write(Path.Join(Path.GetDirectoryName(Path.GetRelativePath(scratch.Root, kept.Path)), "facts.json"), File.ReadAllBytes(file));
                return kept.Value;
            }),
        [typeof(ElfFile)] = new(
            new MadeElf { Needs = ["libwind.so", "libc.so.6"], RunPath = "$ORIGIN/../lib", SoName = "libpier.so" }.Head(),
            (_, file) => Opened(file, ElfFile.Read), typeof(FormatException), typeof(OverflowException)),
        [typeof(PeFile)] = new(
            Core.Tests.Host.Runtime.MadePe.Head(0x8664, "wind.dll", "tide.dll"), (_, file) => Opened(file, PeFile.Read),
            typeof(FormatException), typeof(OverflowException)),
        [typeof(LibraryCache)] = new(
            File.Exists("/etc/ld.so.cache") ? File.ReadAllBytes("/etc/ld.so.cache")[..4000] : new byte[400],
            (_, file) => Opened(file, LibraryCache.Read)),
        [typeof(OutagePage)] = new(
            """{"status":"warn","description":"\u00e9","checks":{"mail":[{"status":"pass","output":"late"},{"status":"fail"}]}}"""u8.ToArray(),
            (_, file) => OutagePage.Parse(File.ReadAllBytes(file))),
        [typeof(OperationRecord)] = new(
        Journal(), (_, file) => OperationRecord.Parse("kept/20260101T000000Z-abcdef", file, File.OpenRead(file))),
        [typeof(WaitingOperations)] = new(
            """{"operation":"20260101T000000Z-abcdef","commandLine":"mukta setup","boot":"x"}"""u8.ToArray(), (scratch, file) =>
            {
                scratch.Write("state/mukta/waiting/a.json", File.ReadAllBytes(file));
                return WaitingOperations.Ready(new OperationHome("/", scratch.At("state")), () => "y");
            }),
        [typeof(UnitLinks)] = new("[Unit]\nDescription=x\n[Install]\nWantedBy=a.target\n"u8.ToArray(), (scratch, file) =>
        {
            scratch.Write("etc/systemd/system/a.service", File.ReadAllBytes(file));
            return new UnitLinks(scratch.Root).StatesAsync(["a.service"], CancellationToken.None).GetAwaiter().GetResult();
        }),
        [typeof(Player)] = new("root:x:0:0:root:/root:/bin/sh\nalex:x:1000:1000::/home/alex:/bin/sh\n"u8.ToArray(), (scratch, file) =>
        {
            scratch.Write("etc/passwd", File.ReadAllBytes(file));
            scratch.Write("etc/group", File.ReadAllBytes(file));
            Directory.CreateDirectory(scratch.At("home/alex"));
            return Player.Of(new Machine(scratch.Root, UserFolders.Below(scratch.Root, "/home/alex")));
        }),
        [typeof(InstalledRelease)] = new(Manifest(), (scratch, file) =>
        {
            scratch.Write(".mukta/installed.meta4", File.ReadAllBytes(file));
            using var install = Folder.Open(scratch.Root);
            return InstalledRelease.Before(install, MetalinkReader.Read(new MemoryStream(Manifest()), "good"));
        }),
        [typeof(StateDatabase)] = new(Database(), (scratch, file) =>
        {
            scratch.Write("state/mukta/state.db", File.ReadAllBytes(file));
            var machine = new Machine("/", new UserFolders("/h", "/h", "/h", "/h", scratch.At("state")));
            _ = InstallRecords.PathsOf(machine, "pier");
            _ = OperationIndex.PlacesOf(machine);
            return ((Mukta.Verification.Quick.IVerifiedMemory)new VerifiedRecords(machine)).Find("/games/pier");
        })
        { Variants = 60 },
        [typeof(UserDataArchive)] = new(Archive(), (scratch, file) =>
        {
            using var root = Folder.Open("/");
            return new UserDataArchive(root).Check(file[1..], CancellationToken.None);
        }),
    };

    public static TheoryData<string> Names => [.. Marked().Select(t => t.FullName!)];

    [Theory]
    [MemberData(nameof(Names))]
    public void Every_reader_of_outside_bytes_stands_whatever_it_is_given(string name)
    {
        var type = Marked().Single(t => t.FullName == name);
        Readers.ShouldContainKey(type, $"{name} is marked as a reader of outside bytes and has no sample here");
        var reader = Readers[type];
        using var scratch = new Scratch(inMemory: true);
        var seed = Sample.Printed();
        for (var i = 0; i < reader.Variants; i++)
        {
            var random = new Random(seed + i);
            var file = scratch.Write("given", Mutated(reader.Sample, random));
            var before = GC.GetAllocatedBytesForCurrentThread();
            try
            {
                _ = reader.Read(scratch, file);
            }
            catch (Exception e) when (e is MuktaException || reader.Failures.Contains(e.GetType()))
            {
                // One of its own.
            }
            catch (Exception e) when (e is not ShouldAssertException)
            {
                Assert.Fail($"MUKTA_SEED={seed + i}: {e}");
            }

            (GC.GetAllocatedBytesForCurrentThread() - before).ShouldBeLessThan(MostMemory, $"MUKTA_SEED={seed + i}");
        }
    }

    /// <summary>No memory is asked for because of a length that an archive only says.</summary>
    [Fact]
    public void A_description_in_an_archive_that_says_it_is_longer_than_any_real_one_is_refused_at_once()
    {
        var archive = Archive();
        archive[156].ShouldBe((byte)'x', "the archive begins with the description of its first entry");
        "01000000000\0"u8.CopyTo(archive.AsSpan(124));
        "        "u8.CopyTo(archive.AsSpan(148));
        System.Text.Encoding.ASCII.GetBytes($"{Convert.ToString(archive.Take(512).Sum(b => b), 8).PadLeft(6, '0')}\0 ").CopyTo(archive, 148);
        using var scratch = new Scratch(inMemory: true);
        var file = scratch.Write("given", archive);
        var before = GC.GetAllocatedBytesForCurrentThread();
        Should.Throw<MuktaException>(() => Readers[typeof(UserDataArchive)].Read(scratch, file));
        (GC.GetAllocatedBytesForCurrentThread() - before).ShouldBeLessThan(MostMemory);
    }

    /// <summary>A file that opens what somebody named, or what lies in a folder of others, has a reader in it that is marked.</summary>
    [Fact]
    public void Whoever_opens_a_file_from_outside_is_marked_as_a_reader()
    {
        string[] ways = ["InputFile.Open(", ".OpenStream(", ".ReadAll("];
        string[] raw =
            ["File.Open(", "File.OpenRead(", "File.OpenText(", "File.OpenHandle(", "File.ReadAll", "File.ReadLines(", "new FileStream("];
        foreach (var file in Directory.EnumerateFiles(SourcePath(), "*.cs", SearchOption.AllDirectories)
            .Where(f => !f.Contains("/Mukta.StandIns/", StringComparison.Ordinal) && !f.Contains("/Mukta.Disk/", StringComparison.Ordinal)))
        {
            var lines = File.ReadAllLines(file);
            if (lines.Any(l => ways.Any(w => l.Contains(w, StringComparison.Ordinal))) && !Exempt.Contains(Path.GetFileName(file)))
                lines.ShouldContain("[OutsideReader]", $"{file} opens a file from outside");
            lines.Where(l => raw.Any(r => l.Contains(r, StringComparison.Ordinal))
                && !Trusted.Any(s => l.Contains(s, StringComparison.Ordinal)))
                .ShouldBeEmpty($"{file} opens a file in another way than by InputFile or Folder");
        }
    }

    /// <summary>What hands bytes on without looking at them, or opens for a reader that is marked.</summary>
    private static readonly string[] Exempt = ["StatePlace.cs", "LibrarySearch.cs", "RuntimeFacts.cs"];

    /// <summary>The kernel's own, which nobody else writes, the account list of this machine, and files that a Folder has opened.</summary>
    private static readonly string[] Trusted =
        ["\"/proc/", "\"/sys/", "/etc/passwd", "/dev/null", "Path.Join(folder, \"", "Path.Join(folder, file)", "Path.Join(proc, \"", "File.ReadAllLines(file) : []",
        ".OpenRead(", "InputFile.Open(", "StagedFile.Open(", "FileMode.CreateNew"];

    private static IEnumerable<Type> Marked() =>
        new[] { typeof(ProfileReader), typeof(OperationRecord), typeof(MetalinkReader), typeof(Folder) }.SelectMany(
        t => t.Assembly.GetTypes()).Distinct()
        .Where(t => t.IsDefined(typeof(OutsideReaderAttribute), inherit: false));

    /// <summary>A few bytes changed, a piece cut out, doubled or moved, the end gone.</summary>
    private static byte[] Mutated(byte[] sample, Random random)
    {
        var bytes = sample.ToList();
        for (var i = random.Next(1, 5); i > 0 && bytes.Count > 1; i--)
        {
            var (at, length) = (random.Next(bytes.Count), random.Next(1, 40));
            var piece = bytes.Skip(at).Take(length).ToList();
            switch (random.Next(6))
            {
                case 0:
                    bytes[at] = (byte)random.Next(256);
                    break;
                case 1:
                    bytes[at] = new byte[] { 0, 0xff, 0x7f, 0x80, (byte)'\n', (byte)'"', (byte)'[', (byte)'\\', 0xC0 }[random.Next(9)];
                    break;
                case 2:
                    bytes.RemoveRange(at, piece.Count);
                    break;
                case 3:
                    bytes.InsertRange(random.Next(bytes.Count), piece);
                    break;
                case 4:
                    for (var j = 0; j < Math.Min(8, bytes.Count - at); j++)
                        bytes[at + j] = 0xff;
                    break;
                default:
                    bytes.RemoveRange(at, bytes.Count - at);
                    break;
            }
        }

        return [.. bytes];
    }

    private static object Opened(string path, Func<Microsoft.Win32.SafeHandles.SafeFileHandle, object> read)
    {
        using var file = InputFile.Open(path, InputFile.AnyLength);
        return read(file.SafeFileHandle);
    }

    private static byte[] ManyLines() => System.Text.Encoding.UTF8.GetBytes(string.Concat(Enumerable.Range(0, 20).Select(
        i => $"e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b8{i:x2}  maps/tile-{i} %25\n")));

    private static byte[] Manifest()
    {
        using var scratch = new Scratch(inMemory: true);
        scratch.Fill("release/bin/game", 3000, 1, Scratch.Program);
        scratch.Fill("release/maps/a b", 200_000, 2);
        using var folder = Folder.Open(scratch.At("release"));
        using var written = new MemoryStream();
        MetalinkWriter.Write(ManifestMaker.Make(
            folder, new ManifestRequest { PieceLength = 65536, Product = "pier", Release = "1" }, null, default).Manifest, written);
        return written.ToArray();
    }

    private static byte[] Journal()
    {
        var header = new OperationHeader(
            OperationHeader.CurrentFormat, "20260101T000000Z-abcdef", "repair", "pier", null, DateTimeOffset.UnixEpoch)
        { Sequence = 1 };
        var (first, sum) = OperationRecord.Summed(OperationRecord.Line(header), 0);
        var (second, _) = OperationRecord.Summed(
            OperationRecord.Line([new SetAside("a"), new ModeSet("b", "0644", "0755"), new Ended()]), sum);
        return [.. first, .. second];
    }

    private static byte[] Database()
    {
        using var scratch = new Scratch(inMemory: true);
        using (var database = StateDatabase.Open(scratch.Root))
            new InstallRecords(database).Put(new InstallRecord("pier", "/games/pier", "1.0", DateTimeOffset.UnixEpoch));
        return File.ReadAllBytes(scratch.At("mukta/state.db"));
    }

    private static byte[] Archive()
    {
        using var scratch = new Scratch(inMemory: true);
        scratch.Fill("saves/one", 700, 1);
        scratch.Fill("saves/deep/two", 10, 2);
        using var root = Folder.Open(scratch.Root);
        new UserDataArchive(root).Write("archive.tar", ["saves"], null, CancellationToken.None);
        return File.ReadAllBytes(scratch.At("archive.tar"));
    }

    private static string SourcePath() => Path.GetFullPath(Path.Join(AppContext.BaseDirectory, "../../../../src"));

    private sealed record Reader(byte[] Sample, Func<Scratch, string, object?> Read, params Type[] Failures)
    {
        public int Variants { get; init; } = OutsideReaderTests.Variants;
    }
}
