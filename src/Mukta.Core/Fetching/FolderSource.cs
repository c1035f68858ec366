using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Fetching;

/// <summary>A folder on this machine that holds the release's tree: a copy, a stick, a share.</summary>
public sealed class FolderSource(Folder folder) : ISource, IDisposable
{
    /// <inheritdoc/>
    public string Name => folder.Path;

    /// <inheritdoc/>
    public bool IsRemote => false;

    /// <inheritdoc/>
    public int Rank { get; init; }

    /// <inheritdoc/>
    public Task ProbeAsync(ManifestFile file, CancellationToken cancel)
    {
        Look(file);
        return Task.CompletedTask;
    }

    /// <inheritdoc/>
    public Task<SourceAnswer> OpenAsync(ManifestFile file, ByteRange wanted, CancellationToken cancel)
    {
        Look(file);
        try
        {
            var body = new FileStream(folder.OpenRead(file.Path), FileAccess.Read, bufferSize: 0);
            body.Position = wanted.Offset;
            return Task.FromResult(new SourceAnswer(wanted, body));
        }
        catch (Exception e) when (e is DiskException or IOException or UnauthorizedAccessException)
        {
            throw new SourceException(Name, "cannot be read", isDead: false, e);
        }
    }

    /// <inheritdoc/>
    public void Dispose() => folder.Dispose();

    private void Look(ManifestFile file)
    {
        try
        {
            if (folder.Look(file.Path) is not { Kind: NodeKind.File } found)
                throw new SourceException(Name, "has no such file", isDead: false);
            if (found.Size != file.Size)
                throw new SourceException(Name, $"has another file there, of {found.Size} bytes instead of {file.Size}", isDead: false);
        }
        catch (DiskException e)
        {
            throw new SourceException(Name, e.Reason, isDead: false, e);
        }
    }
}
