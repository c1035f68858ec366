using System.Formats.Asn1;
using System.Security.Cryptography;
using System.Security.Cryptography.Pkcs;
using System.Security.Cryptography.X509Certificates;
using Mukta.Disk;
using Mukta.Manifests.Formats;

namespace Mukta.Manifests.Signatures;

/// <summary>Who has signed a manifest.</summary>
/// <param name="Name">The name in the certificate.</param>
/// <param name="At">When, as the signer says; null if it does not.</param>
public sealed record Signer(string Name, DateTimeOffset? At);

/// <summary>
/// Detached signatures of manifests: CMS (RFC 5652) in DER, in a file beside the manifest that ends in <c>.p7s</c>. What
/// <c>openssl cms -sign -binary -outform DER</c> writes is read, and the other way round.
/// </summary>
[OutsideReader]
public static class ManifestSignature
{
    /// <summary>What a signature's file is called beyond the manifest's name.</summary>
    public const string Extension = ".p7s";

    /// <summary>The longest manifest that can be signed: 256 MiB. It stays in memory, so that what is read is what was proven.</summary>
    public const long LongestSigned = 256L << 20;

    private const long LongestSignature = 1 << 20;
    private const string CodeSigning = "1.3.6.1.5.5.7.3.3", DocumentSigning = "1.3.6.1.5.5.7.3.36", AnyPurpose = "2.5.29.37.0";

    /// <summary>Reads a manifest that is signed, and no byte of it before its signature has been checked.</summary>
    /// <param name="path">The manifest; its signature lies beside it.</param>
    /// <param name="trust">Where the signature has to lead.</param>
    /// <param name="now">The time.</param>
    /// <exception cref="MuktaException">It is not signed by anybody who is trusted, or cannot be read.</exception>
    public static (Manifest Manifest, Signer Signer) ReadSigned(string path, TrustAnchors trust, DateTimeOffset now)
    {
        var (bytes, signer) = SignedBytes(path, trust, now);
        using var stream = new MemoryStream(bytes, writable: false);
        return (ManifestReader.Read(stream, path), signer);
    }

    /// <summary>The bytes of a file that is signed, once its signature has been checked.</summary>
    /// <inheritdoc cref="ReadSigned"/>
    public static (byte[] Bytes, Signer Signer) SignedBytes(string path, TrustAnchors trust, DateTimeOffset now)
    {
        var bytes = Bytes(path, LongestSigned, "The manifest cannot be opened.");
        var beside = path + Extension;
        if (!File.Exists(beside))
        {
            throw new MuktaException(
                ExitCode.NotTrusted, "The manifest is not signed.", beside,
                "Nothing was touched. Get the manifest again from its publisher, with its signature beside it.");
        }

        return (bytes, Check(bytes, Bytes(beside, LongestSignature, "The signature cannot be opened."), trust, beside, now));
    }

    /// <summary>Checks a signature.</summary>
    /// <param name="content">What is signed.</param>
    /// <param name="signature">The signature.</param>
    /// <param name="trust">Where it has to lead.</param>
    /// <param name="source">What to call it in messages.</param>
    /// <param name="now">The time.</param>
    /// <returns>The first signer who is trusted; one is enough.</returns>
    /// <exception cref="MuktaException">There is none.</exception>
    public static Signer Check(byte[] content, byte[] signature, TrustAnchors trust, string source, DateTimeOffset now)
    {
        var cms = new SignedCms(new ContentInfo(content), detached: true);
        X509Certificate2Collection sent;
        try
        {
            var signers = SignedDataShape.Signers(signature);
            cms.Decode(signature);
            if (!cms.Detached || cms.SignerInfos.Count != signers)
                throw new CryptographicException("it holds content of its own");
            sent = cms.Certificates;
        }
        catch (Exception e) when (e is CryptographicException or AsnContentException)
        {
            var why = e is CryptographicException ? ": " + e.Message.TrimEnd('.') : "";
            throw Refused($"This is not a signature that can be checked{why}.", source, e);
        }

        var (good, faults, known) = ((Signer?)null, new List<string>(), new List<X509Certificate2>());
        foreach (var info in cms.SignerInfos)
        {
            var (signer, fault) = One(info, sent, trust, now, known);
            good ??= signer;
            if (fault is not null)
                faults.Add(fault);
        }

        if (good is null)
            throw Refused(string.Join(" ", faults.Distinct()), source);
        if (sent.Any(c => !known.Any(k => k.RawDataMemory.Span.SequenceEqual(c.RawDataMemory.Span))))
            throw Refused("The signature carries a certificate that has nothing to do with its signers.", source);
        return good;
    }

    /// <summary>Signs a manifest.</summary>
    /// <param name="content">The manifest.</param>
    /// <param name="certificate">The signer's certificate, with its private key.</param>
    /// <param name="chain">Certificates that lead from it to what others trust.</param>
    /// <param name="now">The time.</param>
    /// <returns>The signature.</returns>
    public static byte[] Make(byte[] content, X509Certificate2 certificate, X509Certificate2Collection chain, DateTimeOffset now)
    {
        var cms = new SignedCms(new ContentInfo(content), detached: true);
        var signer = new CmsSigner(SubjectIdentifierType.IssuerAndSerialNumber, certificate)
        {
            DigestAlgorithm = new Oid("2.16.840.1.101.3.4.2.1"), // SHA-256
            IncludeOption = X509IncludeOption.EndCertOnly,
        };
        signer.SignedAttributes.Add(new Pkcs9SigningTime(now.UtcDateTime));
        signer.Certificates.AddRange(chain);
        cms.ComputeSignature(signer);
        return cms.Encode();
    }

    /// <summary>Why a certificate cannot sign manifests, as the end of the sentence "it ..."; null if it can.</summary>
    public static string? UnfitFor(X509Certificate2 certificate)
    {
        try
        {
            return Unfit(certificate);
        }
        catch (CryptographicException)
        {
            return "says what it is for in a way that cannot be read";
        }
    }

    private static string? Unfit(X509Certificate2 certificate)
    {
        var uses = certificate.Extensions.OfType<X509KeyUsageExtension>().FirstOrDefault();
        var purposes = certificate.Extensions.OfType<X509EnhancedKeyUsageExtension>().FirstOrDefault();
        return uses is not null && (uses.KeyUsages & (X509KeyUsageFlags.DigitalSignature | X509KeyUsageFlags.NonRepudiation)) == 0
            ? "is not for signatures"
            : purposes?.EnhancedKeyUsages.Cast<Oid>().Any(o => o.Value is CodeSigning or DocumentSigning or AnyPurpose) == false
            ? "is for signing neither code nor documents" : null;
    }

    /// <summary>A certificate's name for people.</summary>
    public static string NameOf(X509Certificate2 certificate) => certificate.GetNameInfo(X509NameType.SimpleName, forIssuer: false) is
    { Length: > 0 } name ? name : certificate.Subject;

    /// <summary>Reads a whole file that may be signed.</summary>
    /// <exception cref="MuktaException">It cannot be read, or is too long.</exception>
    public static byte[] Bytes(string path, long most, string failing)
    {
        try
        {
            using var stream = InputFile.Open(path, most);
            var bytes = new byte[stream.Length];
            stream.ReadExactly(bytes);
            return bytes;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentException or DiskException)
        {
            throw new MuktaException(
                ExitCode.BadInput, failing, path,
                e is DiskException { Errno: DiskException.FileTooBig } ? $"At most {Units.Bytes(most)} are read."
                : "Check the path and that you may read the file.", e);
        }
    }

    private static (Signer? Good, string? Fault) One(
        SignerInfo info, X509Certificate2Collection sent, TrustAnchors trust, DateTimeOffset now, List<X509Certificate2> known)
    {
        try
        {
            info.CheckSignature(trust.Certificates, verifySignatureOnly: true);
        }
        catch (CryptographicException)
        {
            return (null, "The manifest is not what was signed: it was changed, or the signature is of another file.");
        }

        try
        {
            return info.Certificate is { } certificate ? Led(info, certificate, sent, trust, now, known)
                : (null, "The signer's certificate is missing.");
        }
        catch (CryptographicException)
        {
            return (null, "The signer's certificate, or one that vouches for it, cannot be read.");
        }
    }

    /// <summary>Whether a signer's certificate leads to a trusted one, and was good for that when it was used.</summary>
    private static (Signer? Good, string? Fault) Led(
        SignerInfo info, X509Certificate2 certificate, X509Certificate2Collection sent, TrustAnchors trust, DateTimeOffset now,
        List<X509Certificate2> known)
    {
        var at = info.SignedAttributes.Cast<CryptographicAttributeObject>().SelectMany(a => a.Values.Cast<AsnEncodedData>())
            .OfType<Pkcs9SigningTime>().Select(t => (DateTimeOffset?)new DateTimeOffset(t.SigningTime.ToUniversalTime())).FirstOrDefault();
        using var chain = new X509Chain();
        chain.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
        chain.ChainPolicy.CustomTrustStore.AddRange(trust.Certificates);
        chain.ChainPolicy.ExtraStore.AddRange(sent);
        chain.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck; // Lists lie beside the certificates that are trusted.
        chain.ChainPolicy.DisableCertificateDownloads = true;
        chain.ChainPolicy.VerificationTimeIgnored = false;
        chain.ChainPolicy.VerificationTime = (at ?? now).LocalDateTime;
        chain.ChainPolicy.VerificationFlags = X509VerificationFlags.AllowUnknownCertificateAuthority;
        chain.Build(certificate);
        var elements = chain.ChainElements.ToList();
        known.AddRange(elements.Select(e => new X509Certificate2(e.Certificate)));
        var name = $"The signer's certificate ({PathBytes.Shown(NameOf(certificate))})";
        var last = elements.FindIndex(e => trust.Has(e.Certificate));
        if (last < 0)
            return (null, $"{name} does not lead to a certificate that is trusted.");
        if (at > now.AddDays(1))
            return (null, $"The signature says that it was made on {at:yyyy-MM-dd}, which is yet to come: is this machine's clock right?");
        if (UnfitFor(certificate) is { } unfit)
            return (null, $"{name} {unfit}.");
        var faults = elements.Take(last + 1).SelectMany(e => e.ChainElementStatus).Select(s => s.Status)
            .Where(s => s is not (X509ChainStatusFlags.UntrustedRoot or X509ChainStatusFlags.PartialChain or X509ChainStatusFlags.NoError))
            .ToList();
        if (faults.Contains(X509ChainStatusFlags.NotTimeValid))
            return (null, $"{name}, or one that vouches for it, was not valid on {at ?? now:yyyy-MM-dd}.");
        if (faults.Count > 0)
            return (null, $"{name} is not properly issued ({faults[0]}).");
        return elements.Take(last + 1).Any(e => trust.Revokes(e.Certificate)) ? (null, $"{name} was revoked.")
            : (new Signer(NameOf(certificate), at), null);
    }

    private static MuktaException Refused(string why, string source, Exception? inner = null) => new(
        ExitCode.NotTrusted, why, source,
        "Nothing was touched. Get the manifest and its signature again from their publisher; if they stay like this, tell them.", inner);
}
