using System.Formats.Asn1;
using System.Security.Cryptography;
using Mukta.Bundles;
using Mukta.Cases;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Host.Outages;
using Mukta.Host.Runtime;
using Mukta.Host.Shortcuts;
using Mukta.Manifests;
using Mukta.Manifests.Formats;
using Mukta.Manifests.Signatures;
using Mukta.Operations;
using Mukta.Products;

namespace Mukta.Fuzz;

/// <summary>A reader of bytes from outside.</summary>
/// <param name="Read">Gives it an input.</param>
/// <param name="Files">Files and folders that are made for it.</param>
/// <param name="Failures">Its own failures beside Mukta's.</param>
internal sealed record Reader(Action<InputFolder, byte[]> Read, int Files, params Type[] Failures);

/// <summary>All readers by name.</summary>
internal static class Readers
{
    /// <summary>Made with the first input: instrumented code cannot run before.</summary>
    private static readonly Lazy<Redaction> Redacting = new(() => new Redaction(["/home/anna"], ["anna"], ["gull.harbour.example"]));

    public static IReadOnlyDictionary<string, Reader> All { get; } = new Dictionary<string, Reader>
    {
        ["metalink"] = new((_, input) => MetalinkReader.Read(new MemoryStream(input), "x"), 0),
        ["checksum-list"] = new((_, input) => ChecksumList.Read(new MemoryStream(input), "x"), 0),
        ["index"] = new((_, input) => ReleaseIndex.Parse(input, "x"), 0),
        ["bag"] = new(ReadBag, 5),
        ["profile"] = new((_, input) => ProfileReader.Read(new StreamReader(new MemoryStream(input)), "x"), 0),
        ["settings"] = new((_, input) => Settings.Read(new StreamReader(new MemoryStream(input)), "x", "/home/anna"), 0),
        ["elf"] = new((folder, input) => Opened(folder, input, ElfFile.Read), 1, typeof(FormatException), typeof(OverflowException)),
        ["pe"] = new((folder, input) => Opened(folder, input, PeFile.Read), 1, typeof(FormatException), typeof(OverflowException)),
        ["desktop-entry"] = new(ReadShortcut, 1),
        ["status-page"] = new((_, input) => OutagePage.Parse(input), 0),
        ["journal"] = new((_, input) => OperationRecord.Parse("kept/20260101T000000Z-abcdef", "x", new MemoryStream(input)), 0),
        ["http"] = new((_, input) => HttpAnswers.Read(input), 0, typeof(SourceException), typeof(IOException), typeof(HttpRequestException)),
        ["signature"] = new(
            (_, input) => SignedDataShape.Signers(input), 0, typeof(AsnContentException), typeof(CryptographicException)),
        ["findings"] = new((folder, input) => Findings.Read(folder.Write("x", input)), 1),
        ["bundle"] = new(ReadBundle, 6),
        ["outcomes"] = new((folder, input) => OutcomeLines.ReadFile(folder.Write("x", input)), 1),
        ["redaction"] = new((_, input) => Redacting.Value.Of(System.Text.Encoding.UTF8.GetString(input)), 0),
    };

    /// <summary>An input in parts, each after a line of three dashes: the bag's list, its list of own files, what it fetches.</summary>
    private static void ReadBag(InputFolder folder, byte[] input)
    {
        var parts = Parts(input, 3);
        folder.Write("bag/bagit.txt", "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"u8);
        folder.Write("bag/manifest-sha256.txt", parts[0]);
        folder.Write("bag/tagmanifest-sha256.txt", parts[1]);
        folder.Write("bag/fetch.txt", parts[2]);
        ManifestReader.ReadFile(folder.At("bag"));
    }

    private static void ReadBundle(InputFolder folder, byte[] input)
    {
        var parts = Parts(input, 3);
        folder.Write("stick/bagit.txt", ""u8);
        folder.Write("stick/data/bundle.json", parts[0]);
        folder.Write("stick/data/pieces.txt", parts[1]);
        folder.Write("stick/data/pieces-0001", parts[2]);
        using var bundle = Bundle.Open(folder.At("stick"));
        var file = new ManifestFile { Path = "a", Size = 3, Hashes = [new ContentHash(HashKind.Sha256, new byte[32])] };
        if (bundle.Has(file, 0))
            bundle.Read(file, 0, 1).CopyTo(Stream.Null);
    }

    private static void ReadShortcut(InputFolder folder, byte[] input)
    {
        var path = folder.Write("x", input);
        if (DesktopEntry.ReadFile(path, out _) is { } entry)
            _ = entry.With("Exec", entry.Exec?.ToString()).Get("Name");
    }

    private static void Opened<T>(InputFolder folder, byte[] input, Func<Microsoft.Win32.SafeHandles.SafeFileHandle, T> read)
    {
        using var file = InputFile.Open(folder.Write("x", input), InputFile.AnyLength);
        read(file.SafeFileHandle);
    }

    private static byte[][] Parts(ReadOnlySpan<byte> input, int count)
    {
        var parts = new byte[count][];
        for (var i = 0; i < count; i++)
        {
            var end = i < count - 1 ? input.IndexOf("---\n"u8) : -1;
            parts[i] = (end < 0 ? input : input[..end]).ToArray();
            input = end < 0 ? [] : input[(end + 4)..];
        }

        return parts;
    }
}
