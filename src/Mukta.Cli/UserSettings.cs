using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Mukta.Fetching;
using Mukta.Products;

namespace Mukta.Cli;

/// <summary>The settings of the user who runs this, read once.</summary>
internal static class UserSettings
{
    private static readonly Lazy<Settings> Read = new(
        () => File is null ? new Settings() : Settings.ReadFile(File, UserFolders.Of(UserEnvironment.Get).Home));

    private static readonly Lazy<HttpSettings> Network = new(() => new HttpSettings(Session.UserAgent)
    {
        Proxy = Now.Proxy,
        Certificates = Now.Certificate is { } file ? CertificatesOf(file) : null,
    });

    /// <summary>The settings; the usual ones where there is no file.</summary>
    /// <exception cref="MuktaException">The file cannot be used.</exception>
    public static Settings Now => Read.Value;

    /// <summary>How Mukta goes to the network.</summary>
    /// <exception cref="MuktaException">The file, or the file of certificates that it names, cannot be used.</exception>
    public static HttpSettings Http => Network.Value;

    /// <summary>The file; null if there is none.</summary>
    public static string? File { get; } = Settings.FileOf(UserEnvironment.Get) is var path && Path.Exists(path) ? path : null;

    private static X509Certificate2Collection CertificatesOf(string file)
    {
        try
        {
            var certificates = new X509Certificate2Collection();
            certificates.ImportFromPemFile(file);
            if (certificates.Count > 0)
                return certificates;
        }
        catch (Exception e) when (e is CryptographicException or IOException or UnauthorizedAccessException)
        {
            throw Unusable(file, e);
        }

        throw Unusable(file, null);
    }

    private static MuktaException Unusable(string file, Exception? inner) => new(
        ExitCode.BadInput, "The certificates that the settings name cannot be read.", file,
        $"Name a PEM file after \"certificate\" in {File}, or remove that line.", inner);
}
