using System.CommandLine;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Manifests.Signatures;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta manifest sign</c></summary>
internal static class ManifestSignCommand
{
    private const string Examples = """
          mukta manifest sign gannet-post.meta4 --key key.pem --cert cert.pem
          mukta manifest sign gannet-post.meta4 --detached token.p7s \
            --cert cert.pem --yes
        """;

    public static Command Build()
    {
        var manifest = new Argument<string>("FILE") { Description = "The manifest." };
        var key = new Option<string?>("--key")
        {
            Description = "The private key, in PEM and not encrypted, or on a token (a pkcs11: URI).",
            HelpName = "FILE|URI",
        };
        var detached = new Option<string?>("--detached")
        {
            Description = "A signature that was made elsewhere, such as with a token: it is checked and put beside the manifest.",
            HelpName = "FILE",
        };
        var certificate = new Option<string>("--cert")
        {
            Description = "The signer's certificate in PEM, then those that lead from it to what others trust.",
            HelpName = "FILE",
            Required = true,
        };
        var yes = CommonOptions.Yes();
        var command = new ExampleCommand(
            "sign", "Sign a manifest. The signature (CMS, in DER) is written beside it, to FILE.p7s.", Examples)
        {
            manifest, key, detached, certificate, yes,
        };
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var (file, of) = (parsed.GetRequiredValue(manifest), parsed.GetRequiredValue(certificate));
            var (made, now) = (file + ManifestSignature.Extension, TimeProvider.System.GetUtcNow());
            var content = ManifestSignature.Bytes(file, ManifestSignature.LongestSigned, "The manifest cannot be opened.");
            var signature = (parsed.GetValue(key), parsed.GetValue(detached)) switch
            {
                ({ } own, null) => Make(content, own, of, now),
                (null, { } elsewhere) => ManifestSignature.Bytes(
                    elsewhere, ManifestSignature.LongestSigned, "The signature cannot be opened."),
                _ => throw new MuktaException(
                    ExitCode.BadInput, "Name the key, or a signature that was made with it.", Shell.Typed(parsed),
                    "Add either --key or --detached."),
            };
            var signer = ManifestSignature.Check(content, signature, TrustAnchors.Read([of]), parsed.GetValue(detached) ?? made, now);
            if (File.Exists(made) && !parsed.GetValue(yes) && !await Question.IsAnsweredYesAsync(
                session, $"Replace {PathBytes.Shown(made)}?", cancel).ConfigureAwait(false))
                return (int)ExitCode.Problems;
            Write(made, signature);
            return Tell(session, file, of, signer);
        });
        return command;
    }

    private static byte[] Make(byte[] content, string key, string of, DateTimeOffset now)
    {
        var certificates = TrustAnchors.CertificatesIn(of);
        if (ManifestSignature.UnfitFor(certificates[0]) is { } unfit)
        {
            throw new MuktaException(
                ExitCode.BadInput, $"The certificate cannot sign a manifest: it {unfit}.", of,
                "Use a certificate for code signing or document signing.");
        }

        using var signer = key.StartsWith(TokenKey.Scheme, StringComparison.Ordinal) ? TokenKey.With(certificates[0], key)
            : WithKey(certificates[0], key);
        try
        {
            return ManifestSignature.Make(content, signer, [.. certificates.Skip(1)], now);
        }
        catch (CryptographicException e)
        {
            throw new MuktaException(
                ExitCode.BadInput, $"The manifest cannot be signed: {e.Message.TrimEnd('.')}.", key,
                "Use a key for ECDSA P-256 or RSA.", e);
        }
    }

    private static X509Certificate2 WithKey(X509Certificate2 certificate, string key)
    {
        const long Longest = 1 << 20;
        var text = System.Text.Encoding.Latin1.GetString(ManifestSignature.Bytes(key, Longest, "The key cannot be opened."));
        if (text.Contains("ENCRYPTED", StringComparison.Ordinal))
        {
            throw new MuktaException(
                ExitCode.BadInput, "The key is encrypted.", key,
                $"Sign with: openssl cms -sign -binary -outform DER -in FILE -signer CERT -inkey {Shell.Quoted(key)} -out FILE.p7s");
        }

        try
        {
            return X509Certificate2.CreateFromPem(certificate.ExportCertificatePem(), text);
        }
        catch (Exception e) when (e is CryptographicException or ArgumentException)
        {
            throw new MuktaException(
                ExitCode.BadInput, "This is not the certificate's private key.", key,
                "Name the key in PEM that the certificate was made for.", e);
        }
    }

    private static void Write(string path, byte[] signature)
    {
        var beside = $"{path}.{Environment.ProcessId}.part";
        try
        {
            using (var stream = new FileStream(beside, FileMode.CreateNew, FileAccess.Write))
            {
                stream.Write(signature);
                stream.Flush(flushToDisk: true);
            }

            File.Move(beside, path, overwrite: true);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            if (File.Exists(beside))
                File.Delete(beside);
            throw new MuktaException(
                ExitCode.Blocked, $"The signature cannot be written: {e.Message}", path,
                "Check the free space on the disk and that you may write to the folder.", e);
        }
    }

    private static int Tell(Session session, string file, string of, Signer signer)
    {
        var made = PathBytes.Shown(file + ManifestSignature.Extension);
        if (session.IsJson)
        {
            Session.Write(
                new ManifestSignDocument("mukta.manifest.sign/1", PathBytes.Shown(file), made, SignerPart.Of(signer)),
                Documents.Readable.ManifestSignDocument);
        }
        else
        {
            session.Output.WriteLine($"{made}: signed by {PathBytes.Shown(signer.Name)}");
            if (!session.IsQuiet)
                session.Next($"mukta manifest show {Shell.Quoted(file)} --trust {Shell.Quoted(of)}");
        }

        return (int)ExitCode.Done;
    }
}
