using System.Security.Cryptography;

namespace Mukta.Tests;

/// <summary>A temporary folder with helpers to fill it, break what is in it and tell what it holds.</summary>
/// <param name="inMemory">True to have it in memory, for tests that flush very often.</param>
public sealed class Scratch(bool inMemory = false) : IDisposable
{
    private const string Memory = "/dev/shm";

    public string Root { get; } = inMemory && Directory.Exists(Memory)
        ? Directory.CreateDirectory(Path.Join(Memory, $"mukta-test-{Guid.NewGuid():N}")).FullName
        : Directory.CreateTempSubdirectory("mukta-test-").FullName;

    public string At(params string[] parts) => Path.Join([Root, .. parts]);

    /// <summary>Writes a file of random bytes that are the same for the same seed; no byte is zero.</summary>
    public string Fill(string path, int size, int seed, UnixFileMode mode = Usual)
    {
        var bytes = new byte[size];
        new Random(seed).NextBytes(bytes);
        for (var i = 0; i < size; i++)
            bytes[i] = bytes[i] == 0 ? (byte)1 : bytes[i];
        return Write(path, bytes, mode);
    }

    public string Write(string path, byte[] bytes, UnixFileMode mode = Usual)
    {
        var full = At(path);
        Directory.CreateDirectory(Path.GetDirectoryName(full)!);
        File.WriteAllBytes(full, bytes);
        File.SetUnixFileMode(full, mode);
        return full;
    }

    public string Write(string path, string text) => Write(path, System.Text.Encoding.UTF8.GetBytes(text));

    /// <summary>Flips one byte.</summary>
    public void Flip(string path, long offset)
    {
        using var file = File.Open(At(path), FileMode.Open);
        file.Position = offset;
        var was = file.ReadByte();
        file.Position = offset;
        file.WriteByte((byte)(was ^ 0x40));
    }

    /// <summary>Writes zeros.</summary>
    public void Zero(string path, long offset, int count)
    {
        using var file = File.OpenWrite(At(path));
        file.Position = offset;
        file.Write(new byte[count]);
    }

    public void Truncate(string path, long size)
    {
        using var file = File.OpenWrite(At(path));
        file.SetLength(size);
    }

    public void CopyTree(string from, string to)
    {
        foreach (var folder in Directory.EnumerateDirectories(At(from), "*", SearchOption.AllDirectories).Prepend(At(from)))
            Directory.CreateDirectory(At(to, Path.GetRelativePath(At(from), folder)));
        foreach (var file in Directory.EnumerateFiles(At(from), "*", SearchOption.AllDirectories))
            File.Copy(file, At(to, Path.GetRelativePath(At(from), file)));
    }

    /// <summary>What a tree holds: each path with its kind, mode and hash. Mukta's own folder is left out unless asked for.</summary>
    public SortedDictionary<string, string> Snapshot(string path, bool withOwnFolder = false, string? except = null)
    {
        var tree = new SortedDictionary<string, string>(StringComparer.Ordinal);
        foreach (var info in new DirectoryInfo(At(path))
            .EnumerateFileSystemInfos(
            "*", new EnumerationOptions { RecurseSubdirectories = true, AttributesToSkip = 0, MatchCasing = MatchCasing.CaseSensitive }))
        {
            var name = Path.GetRelativePath(At(path), info.FullName);
            if (!withOwnFolder && (name == ".mukta" || name.StartsWith(".mukta/", StringComparison.Ordinal)))
                continue;
            if (except is not null && name.StartsWith(except, StringComparison.Ordinal))
                continue;
            tree[name] = info switch
            {
                { LinkTarget: { } target } => $"link {target}",
                DirectoryInfo => "folder",
                _ => $"{Convert.ToString((int)info.UnixFileMode, 8)} {Convert.ToHexStringLower(HashOf(info.FullName))}",
            };
        }

        return tree;
    }

    /// <summary>The hash of a file. Its lock does not count: whoever starts a program shares its open files with it for a moment.</summary>
    private static byte[] HashOf(string path)
    {
        using var file = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
        return SHA256.HashData(file);
    }

    public void Dispose()
    {
        try
        {
            if (Directory.Exists(Root))
                Directory.Delete(Root, recursive: true);
        }
        catch (IOException)
        {
            // Names that are no UTF-8 are beyond Directory.Delete.
            using var remover = System.Diagnostics.Process.Start("rm", ["-rf", Root]);
            remover.WaitForExit();
        }
    }

    public const UnixFileMode Usual = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.GroupRead | UnixFileMode.OtherRead;

    public const UnixFileMode Program = Usual | UnixFileMode.UserExecute | UnixFileMode.GroupExecute | UnixFileMode.OtherExecute;
}
