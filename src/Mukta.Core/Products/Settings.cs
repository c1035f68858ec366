using System.Text;
using Mukta.Disk;

namespace Mukta.Products;

/// <summary>What a user has settled once for all commands. Every key is described in docs/settings.md.</summary>
[OutsideReader]
public sealed record Settings
{
    /// <summary>What the key <c>format</c> has to say.</summary>
    public const string Format = "mukta.settings/1";

    /// <summary>What messages call the file.</summary>
    internal const string Name = "settings file";

    private const long LongestFile = 1 << 20;
    private const int LongestAge = 36_500;

    /// <summary>Folders of profiles, checked before the usual ones.</summary>
    public IReadOnlyList<string> Profiles { get; init; } = [];

    /// <summary>Mirrors by product, tried before those of profiles and manifests.</summary>
    public IReadOnlyDictionary<string, IReadOnlyList<Uri>> Mirrors { get; init; } = new Dictionary<string, IReadOnlyList<Uri>>();

    /// <summary>The highest speed of downloads, bytes per second; null for none.</summary>
    public long? MaxRate { get; init; }

    /// <summary>The proxy; null for none. It counts where no variable of the environment names one.</summary>
    public Uri? Proxy { get; init; }

    /// <summary>A PEM file of certificates that are trusted beside the system's; null for none.</summary>
    public string? Certificate { get; init; }

    /// <summary>Folders in which good pieces are looked for, where they are there.</summary>
    public IReadOnlyList<string> Also { get; init; } = [];

    /// <summary>After how many days what finished operations keep is deleted; null for never.</summary>
    public int? PurgeAfterDays { get; init; }

    /// <summary>The mirrors of a product.</summary>
    public IReadOnlyList<Uri> MirrorsOf(string? product) => product is null ? [] : Mirrors.GetValueOrDefault(product) ?? [];

    /// <summary>The file of a user (XDG Base Directory specification).</summary>
    public static string FileOf(Func<string, string?> environment) =>
        Path.Join(UserFolders.Of(environment).Config, "mukta", "settings.yaml");

    /// <summary>Reads the file.</summary>
    /// <param name="path">The file.</param>
    /// <param name="home">What <c>~</c> stands for.</param>
    /// <exception cref="ProfileFault">It is not one that can be used.</exception>
    /// <exception cref="MuktaException">It cannot be opened.</exception>
    public static Settings ReadFile(string path, string home)
    {
        try
        {
            using var stream = InputFile.Open(path, LongestFile);
            using var text = new StreamReader(stream, new UTF8Encoding(false, throwOnInvalidBytes: true));
            return Read(text, path, home);
        }
        catch (DecoderFallbackException e)
        {
            throw new ProfileFault("A settings file is written in UTF-8; this file is not.", path, 1, 1, e);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            throw new MuktaException(
                ExitCode.BadInput, "The settings file cannot be opened.", path, "Check that you may read the file.", e);
        }
    }

    /// <summary>Reads settings, strictly: what it does not know, it refuses.</summary>
    /// <exception cref="ProfileFault">They cannot be used.</exception>
    public static Settings Read(TextReader text, string source, string home)
    {
        var fields = new ProfileFields(ProfileNode.Read(text, source, Name), source, Name);
        fields.Choice("format", null, Format);
        return new Settings
        {
            Profiles = fields.PathsOfMachine("profiles", home),
            Mirrors = fields.UrlLists("mirrors"),
            MaxRate = fields.Size("max-rate", 1 << 10, 1 << 30),
            Proxy = fields.Url("proxy"),
            Certificate = fields.OnePathOfMachine("certificate", home),
            Also = fields.PathsOfMachine("also", home),
            PurgeAfterDays = fields.Has("purge-after-days") ? fields.Number("purge-after-days", 0, 1, LongestAge) : null,
        };
    }
}
