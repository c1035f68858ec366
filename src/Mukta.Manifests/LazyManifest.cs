using Mukta.Disk;

namespace Mukta.Manifests;

/// <summary>A manifest in a file, which is opened once, when it is first asked for.</summary>
/// <param name="path">The file.</param>
public sealed class LazyManifest(string path)
{
    private Manifest? manifest;
    private MuktaException? fault;

    /// <summary>The file.</summary>
    public string Path => path;

    /// <summary>How the file stood before it was read; null if it was not there, or was not read.</summary>
    public string? Identity { get; private set; }

    /// <summary>The manifest.</summary>
    /// <exception cref="MuktaException">It cannot be read.</exception>
    public Manifest Value
    {
        get
        {
            if (fault is not null)
                throw fault;
            if (manifest is not null)
                return manifest;
            Identity = IdentityNow;
            try
            {
                return manifest = MetalinkReader.ReadFile(path);
            }
            catch (MuktaException e)
            {
                fault = e;
                throw;
            }
        }
    }

    /// <summary>How the file stands, in a few words; null if it is not there. It is not opened for that.</summary>
    public string? IdentityNow =>
        Node.At(path) is { } node ? $"{node.Device}:{node.Inode}:{node.Size}:{node.ModifiedNs}:{node.ChangedNs}" : null;
}
