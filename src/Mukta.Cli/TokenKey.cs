using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace Mukta.Cli;

/// <summary>
/// A private key that stays on a token: OpenSSL reaches it through its PKCS #11 provider or engine (RFC 7512 says how it is named).
/// </summary>
internal static class TokenKey
{
    /// <summary>How the name of such a key begins.</summary>
    public const string Scheme = "pkcs11:";

    private const string Way = "pkcs11";

    /// <summary>A certificate with its key on a token.</summary>
    /// <exception cref="MuktaException">The token's key cannot be used.</exception>
    public static X509Certificate2 With(X509Certificate2 certificate, string uri)
    {
        if (!OperatingSystem.IsLinux())
            throw new PlatformNotSupportedException();
        try
        {
            using var handle = Open(uri);
            using var curve = certificate.GetECDsaPublicKey();
            if (curve is not null)
            {
                using var key = new ECDsaOpenSsl(handle);
                return certificate.CopyWithPrivateKey(key);
            }

            using var rsa = new RSAOpenSsl(handle);
            return certificate.CopyWithPrivateKey(rsa);
        }
        catch (Exception e) when (e is CryptographicException or ArgumentException or PlatformNotSupportedException)
        {
            throw new MuktaException(
                ExitCode.BadInput, $"The key on the token cannot be used: {e.Message.TrimEnd('.')}.", Named(uri),
                "Check that OpenSSL has its pkcs11 provider or engine, that PKCS11_MODULE_PATH names the token's library, and the PIN "
                + "(pin-value in the URI). Or sign elsewhere, and name the signature with --detached.", e);
        }
    }

    private static SafeEvpPKeyHandle Open(string uri)
    {
        if (!OperatingSystem.IsLinux())
            throw new PlatformNotSupportedException();
        try
        {
            return SafeEvpPKeyHandle.OpenKeyFromProvider(Way, uri);
        }
        catch (Exception e) when (e is CryptographicException or PlatformNotSupportedException)
        {
            return SafeEvpPKeyHandle.OpenPrivateKeyFromEngine(Way, uri);
        }
    }

    /// <summary>The key's name without the PIN that may be in it.</summary>
    private static string Named(string uri)
    {
        var pin = uri.IndexOf("pin-value=", StringComparison.Ordinal);
        return pin < 0 ? uri : uri[..(pin + 10)] + "...";
    }
}
