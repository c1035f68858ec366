namespace Mukta.Fuzz;

/// <summary>A folder in memory for readers that want files.</summary>
internal sealed class InputFolder : IDisposable
{
    public string Root { get; } = Directory.CreateDirectory(
        Path.Join(Directory.Exists("/dev/shm") ? "/dev/shm" : Path.GetTempPath(), $"fuzz-{Guid.NewGuid():N}")).FullName;

    public string At(string path) => Path.Join(Root, path);

    public string Write(string path, ReadOnlySpan<byte> bytes)
    {
        var file = At(path);
        Directory.CreateDirectory(Path.GetDirectoryName(file)!);
        File.WriteAllBytes(file, bytes);
        return file;
    }

    public void Dispose() => Directory.Delete(Root, recursive: true);
}
