using System.CommandLine;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace Mukta.StandIns;

/// <summary><c>mukta-standins press</c>: the key and the certificate with which the made-up vendor signs.</summary>
internal static class PressCommand
{
    private const string CodeSigning = "1.3.6.1.5.5.7.3.3";

    public static Command Build()
    {
        var folder = new Argument<DirectoryInfo>("DIR") { Description = "A folder that 'scenario' has filled." };
        var command = new Command("press", "Make press/key.pem and press/cert.pem, with which the vendor signs its manifests.") { folder };
        command.SetAction(parsed => Make(Path.Join(parsed.GetRequiredValue(folder).FullName, "press")));
        return command;
    }

    private static void Make(string folder)
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest("CN=Saltlight Commons", key, HashAlgorithmName.SHA256);
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(false, false, 0, critical: true));
        request.CertificateExtensions.Add(new X509KeyUsageExtension(X509KeyUsageFlags.DigitalSignature, critical: true));
        request.CertificateExtensions.Add(new X509EnhancedKeyUsageExtension([new Oid(CodeSigning)], critical: false));
        using var certificate = request.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddYears(1));
        Directory.CreateDirectory(folder);
        File.WriteAllText(Path.Join(folder, "key.pem"), key.ExportPkcs8PrivateKeyPem());
        File.WriteAllText(Path.Join(folder, "cert.pem"), certificate.ExportCertificatePem());
    }
}
