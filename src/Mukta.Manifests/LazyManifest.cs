using Mukta.Disk;
using Mukta.Manifests.Formats;
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
    private bool isBrought;

    /// <summary>The file.</summary>
    public string Path { get; private set; } = path;

    /// <summary>What to call it in messages, where it is not the file's name that tells: the address it came from.</summary>
    public string? Source { get; init; }

    /// <summary>The product that it has to be of, where it says which one it is of; null for any.</summary>
    public string? Product { get; init; }

    /// <summary>Refuses what may not be used though it can be read; null for whatever can.</summary>
    public Action<Manifest>? Accept { get; init; }

    /// <summary>Gets the file before it is first used, and answers where it is; null for one that is there.</summary>
    public Func<string>? Bring { get; init; }

    /// <summary>Who has signed it; null before it was read, and for one that need not be signed.</summary>
    public Signer? Signer { get; private set; }

    /// <summary>The manifest where it was read already; null if it was not.</summary>
    public Manifest? ValueIfRead => manifest;

    /// <summary>The state of the file as it was before it was read; null if it was not there, or was not read.</summary>
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
            try
            {
                Identity = IdentityNow;
                var read = Read();
                RefuseOther(read, Product, Path);
                Accept?.Invoke(read);
                return manifest = read;
            }
            catch (MuktaException e)
            {
                fault = Source is null ? e
                    : new MuktaException(e.Code, e.What, e.Where.Replace(Path, Source, StringComparison.Ordinal), e.Next, e);
                throw fault;
            }
        }
    }

    /// <summary>
    /// The state of the file, in a few words, with its signature and the certificates; null if it is not there. It is not opened for that.
    /// </summary>
    /// <exception cref="MuktaException">It has to be brought first, and cannot be.</exception>
    public string? IdentityNow
    {
        get
        {
            if (!isBrought && Bring is not null)
                Path = Bring();
            isBrought = true;
            if (Of(Path) is not { } own || trust is not { Count: > 0 })
                return Of(Path);
            var others = TrustAnchors.Used(trust).Prepend(Path + ManifestSignature.Extension);
            return string.Join(' ', others.Select(f => Of(f) ?? "-").Prepend(own));
        }
    }

    /// <summary>Refuses the manifest of another product.</summary>
    /// <exception cref="MuktaException">It is another one's.</exception>
    public static void RefuseOther(Manifest read, string? product, string source)
    {
        if (product is not null && read.Product is { } other && other != product)
        {
            throw new MuktaException(
                ExitCode.NotTrusted, $"This is the manifest of {PathBytes.Shown(other)}, not of {product}.", source,
                "Nothing was touched. Name the manifest of the product that is meant.");
        }
    }

    private Manifest Read()
    {
        if (trust is not { Count: > 0 })
            return ManifestReader.ReadFile(Path);
        (var read, Signer) = ManifestSignature.ReadSigned(Path, TrustAnchors.Read(trust), TimeProvider.System.GetUtcNow());
        return read;
    }

    private static string? Of(string path)
    {
        if (Node.At(path) is not { } node)
            return null;
        return node.Kind == NodeKind.File ? Words(node)
            : string.Join(
                ' ', ManifestReader.FilesOf(path).Select(f => Node.At(f) is { } inside ? Words(inside) : "-").Prepend(Words(node)));
    }

    private static string Words(Node node) => $"{node.Device}:{node.Inode}:{node.Size}:{node.ModifiedNs}:{node.ChangedNs}";
}
