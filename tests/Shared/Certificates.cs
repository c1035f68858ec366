using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace Mukta.Tests;

/// <summary>A made-up authority, one that it has appointed, and a publisher.</summary>
internal sealed class Certificates
{
    public const string CodeSigning = "1.3.6.1.5.5.7.3.3", WebServer = "1.3.6.1.5.5.7.3.1";

    private static readonly DateTimeOffset Today = new(DateTime.UtcNow.Date, TimeSpan.Zero);

    public Certificates(bool isRsa, string? purpose = CodeSigning, int fromDay = -10, int toDay = 10)
    {
        Root = Make(isRsa, "Saltlight Root", null, isAuthority: true, null, -100, 100);
        Middle = Make(isRsa, "Saltlight Publishing", Root, isAuthority: true, null, -100, 100);
        Publisher = Make(isRsa, "Gannet Post", Middle, isAuthority: false, purpose, fromDay, toDay);
    }

    public X509Certificate2 Root { get; }

    public X509Certificate2 Middle { get; }

    public X509Certificate2 Publisher { get; }

    /// <summary>A certificate with its key.</summary>
    public static X509Certificate2 Make(
        bool isRsa, string name, X509Certificate2? issuer, bool isAuthority, string? purpose, int fromDay, int toDay)
    {
        using var rsa = isRsa ? RSA.Create(2048) : null;
        using var ec = isRsa ? null : ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var called = new X500DistinguishedNameBuilder();
        called.AddCommonName(name);
        var subject = called.Build();
        var request = rsa is not null ? new CertificateRequest(subject, rsa, HashAlgorithmName.SHA256, RSASignaturePadding.Pkcs1)
            : new CertificateRequest(subject, ec!, HashAlgorithmName.SHA256);
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(isAuthority, false, 0, critical: true));
        request.CertificateExtensions.Add(new X509KeyUsageExtension(
            isAuthority ? X509KeyUsageFlags.KeyCertSign | X509KeyUsageFlags.CrlSign : X509KeyUsageFlags.DigitalSignature, critical: true));
        if (purpose is not null)
            request.CertificateExtensions.Add(new X509EnhancedKeyUsageExtension([new Oid(purpose)], critical: false));
        var (from, to) = (Today.AddDays(fromDay), Today.AddDays(toDay));
        if (issuer is null)
            return request.CreateSelfSigned(from, to);
        var made = request.Create(issuer, from, to, RandomNumberGenerator.GetBytes(8));
        return rsa is not null ? made.CopyWithPrivateKey(rsa) : made.CopyWithPrivateKey(ec!);
    }

    /// <summary>A list of an authority's that revokes a certificate, in DER.</summary>
    public static byte[] Revoking(X509Certificate2 certificate, X509Certificate2 issuer)
    {
        var list = new CertificateRevocationListBuilder();
        list.AddEntry(certificate);
        return list.Build(issuer, 1, Today.AddDays(30), HashAlgorithmName.SHA256, RSASignaturePadding.Pkcs1, Today);
    }

    /// <summary>A certificate's private key in PEM.</summary>
    public static string KeyOf(X509Certificate2 certificate) => (certificate.GetECDsaPrivateKey() as AsymmetricAlgorithm
        ?? certificate.GetRSAPrivateKey()!).ExportPkcs8PrivateKeyPem();
}
