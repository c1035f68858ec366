using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text;
using Mukta.Disk;

namespace Mukta.Manifests.Signatures;

/// <summary>The certificates that a signature has to lead to: the publisher's own, or of the authority that has issued it.</summary>
[OutsideReader]
public sealed class TrustAnchors
{
    private const long Longest = 1 << 20;

    private readonly IReadOnlyList<RevocationList> revoked;

    private TrustAnchors(X509Certificate2Collection certificates, IReadOnlyList<RevocationList> revoked) =>
        (Certificates, this.revoked) = (certificates, revoked);

    internal X509Certificate2Collection Certificates { get; }

    /// <summary>What tells these certificates from others, in whatever order they are named: a SHA-256 in hexadecimal digits.</summary>
    public string Fingerprint => Convert.ToHexStringLower(
        SHA256.HashData(Encoding.ASCII.GetBytes(string.Join(
        '\n', Certificates.Select(c => c.GetCertHashString(HashAlgorithmName.SHA256)).Distinct().Order(StringComparer.Ordinal)))));

    /// <summary>Reads certificates in PEM, and the revocation lists beside them: <c>ca.crl</c> beside <c>ca.pem</c>.</summary>
    /// <param name="files">The files with certificates; at least one.</param>
    /// <exception cref="MuktaException">One holds no certificate, or cannot be read.</exception>
    public static TrustAnchors Read(IReadOnlyList<string> files)
    {
        var certificates = new X509Certificate2Collection();
        foreach (var file in files)
            certificates.AddRange(CertificatesIn(file));
        var lists = files.Select(ListBeside).Distinct(StringComparer.Ordinal).Where(File.Exists);
        return new TrustAnchors(certificates, [.. lists.SelectMany(RevocationList.ReadFile)]);
    }

    /// <summary>The certificates in a file, in PEM.</summary>
    /// <exception cref="MuktaException">It holds none, or cannot be read.</exception>
    public static X509Certificate2Collection CertificatesIn(string file)
    {
        var found = new X509Certificate2Collection();
        try
        {
            using var stream = InputFile.Open(file, Longest);
            using var reader = new StreamReader(stream, Encoding.Latin1);
            found.ImportFromPem(reader.ReadToEnd());
        }
        catch (Exception e) when (e is DiskException or IOException or CryptographicException)
        {
            throw new MuktaException(
                ExitCode.BadInput,
                e is CryptographicException ? "A certificate in this file is damaged." : "The certificates cannot be read.", file,
                "Name a file with certificates in PEM.", e);
        }

        return found.Count > 0 ? found
            : throw new MuktaException(
            ExitCode.BadInput, "There is no certificate in this file.", file,
            "Name a file with certificates in PEM, which begin with -----BEGIN CERTIFICATE-----.");
    }

    /// <summary>The files whose change may change what is trusted.</summary>
    public static IEnumerable<string> Used(IReadOnlyList<string> files) => files.Concat(files.Select(ListBeside));

    internal bool Has(X509Certificate2 certificate) =>
        Certificates.Any(a => a.RawDataMemory.Span.SequenceEqual(certificate.RawDataMemory.Span));

    internal bool Revokes(X509Certificate2 certificate) => revoked.Any(r => r.Revokes(certificate));

    private static string ListBeside(string file) => Path.ChangeExtension(file, ".crl");
}
