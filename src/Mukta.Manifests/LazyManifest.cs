using Mukta.Disk;
using Mukta.Manifests.Signatures;

namespace Mukta.Manifests;

/// <summary>A manifest in a file, which is opened once, when it is first asked for.</summary>
/// <param name="path">The file.</param>
/// <param name="trust">
/// Files with the certificates that its signature has to lead to; it is not read before that is proven. None for a manifest that need not
/// be signed.
/// </param>
public sealed class LazyManifest(string path, IReadOnlyList<string>? trust = null)
{
    private Manifest? manifest;
    private MuktaException? fault;

    /// <summary>The file.</summary>
    public string Path => path;

    /// <summary>Who has signed it; null before it was read, and for one that need not be signed.</summary>
    public Signer? Signer { get; private set; }

    /// <summary>How the file stood before it was read; null if it was not there, or was not read.</summary>
    public string? Identity { get; private set; }

    /// <summary>The manifest.</summary>
    /// <exception cref="MuktaException">It cannot be read, or is not signed by anybody who is trusted.</exception>
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
                return manifest = Read();
            }
            catch (MuktaException e)
            {
                fault = e;
                throw;
            }
        }
    }

    /// <summary>
    /// How the file stands, in a few words, with its signature and the certificates; null if it is not there. It is not opened for that.
    /// </summary>
    public string? IdentityNow => Of(path) is not { } own ? null
        : trust is not { Count: > 0 } ? own
        : string.Join(' ', [own, .. TrustAnchors.Used(trust).Prepend(path + ManifestSignature.Extension).Select(f => Of(f) ?? "-")]);

    private Manifest Read()
    {
        if (trust is not { Count: > 0 })
            return MetalinkReader.ReadFile(path);
        (var read, Signer) = ManifestSignature.ReadSigned(path, TrustAnchors.Read(trust), TimeProvider.System.GetUtcNow());
        return read;
    }

    private static string? Of(string file) =>
        Node.At(file) is { } node ? $"{node.Device}:{node.Inode}:{node.Size}:{node.ModifiedNs}:{node.ChangedNs}" : null;
}
