using System.Globalization;
using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Products;

/// <summary>The keys that each map of a profile may have. The published schema is tested against them.</summary>
internal static class ProfileKeys
{
    public static IReadOnlyDictionary<string, IReadOnlyList<string>> Known { get; } = new Dictionary<string, IReadOnlyList<string>>
    {
        ["profile"] =
        [
            "format", "product", "title", "kind", "needs", "installs", "manifest", "components", "processes", "services", "caches",
            "temporary",
            "user-data", "shortcuts", "runtime", "conflicts", "settings", "leftovers", "setup", "outage", "logs", "probe",
            "codes", "ladder",
        ],
        ["installs"] = ["places", "marker", "layout"],
        ["manifest"] = ["file", "url", "index", "channel", "trust", "mirrors", "fresh-for"],
        ["service"] = ["unit", "startup", "state", "after"],
        ["cache"] = ["name", "places", "holds", "clear"],
        ["shortcut"] = ["entry", "program", "arguments", "environment", "folder"],
        ["runtime"] = ["programs", "kernel", "libc", "drivers", "memory", "open-files", "layer", "packages"],
        ["conflict"] = ["name", "processes", "units", "why"],
        ["setup"] = ["program", "install", "repair", "remove", "then"],
        ["setup action"] = ["arguments", "minutes", "done", "restart"],
        ["setup result"] = ["active", "files"],
        ["outage"] = ["url"],
        ["probe"] = ["program", "arguments", "seconds"],
        ["code"] = ["code", "means", "symptoms", "logs", "rungs"],
        ["rung"] =
        [
            "rung", "remedy", "operator", "product", "cache", "component", "action", "package", "minutes", "loses", "after", "gone",
            "restart",
        ],
    };

    /// <summary>The keys of the settings file.</summary>
    public static IReadOnlyList<string> OfSettings { get; } =
        ["format", "profiles", "mirrors", "max-rate", "proxy", "certificate", "also", "purge-after-days"];
}

/// <summary>One map of a profile: hands out its values by key, checked, and refuses keys that it does not know.</summary>
internal sealed class ProfileFields
{
    private readonly ProfileNode node;
    private readonly string source, name;
    private readonly Dictionary<string, ProfileNode> values;

    public ProfileFields(ProfileNode node, string source, string name)
    {
        (this.node, this.source, this.name) = (node, source, name);
        var map = node.Map ?? throw Fault(node, $"The {name} must be a map of keys and values; this is {node.Kind}.");
        var known = name == Settings.Name ? ProfileKeys.OfSettings : ProfileKeys.Known[name];
        foreach (var (key, _) in map.Where(m => !known.Contains(m.Key.Text!)))
        {
            throw Fault(key, $"Unknown key \"{PathBytes.Shown(key.Text!)}\" in the {name}{Nearest.HintOrEnd(key.Text!, known)}");
        }

        values = map.ToDictionary(m => m.Key.Text!, m => m.Value, StringComparer.Ordinal);
    }

    public bool Has(string key) => values.ContainsKey(key);

    public ProfileFault Missing(string what) => Fault(node, $"Missing {what} in the {name}.");

    public ProfileFault Fault(string what) => Fault(node, what);

    public ProfileFault Fault(string key, string what) => Fault(values[key], what);

    public string? Text(string key) => values.GetValueOrDefault(key) is { } value ? TextOf(value, key) : null;

    public string RequiredText(string key) => Text(key) ?? throw Missing($"key \"{key}\"");

    public string Choice(string key, string? usual, params string[] choices)
    {
        var text = Text(key) ?? usual ?? throw Missing($"key \"{key}\"");
        return choices.Contains(text) ? text
            : throw Fault(
            key, $"The {key} \"{PathBytes.Shown(text)}\" is not one of {string.Join(", ", choices)}{Nearest.Hint(text, choices)}");
    }

    public IReadOnlyList<string> Texts(string key) => [.. Items(key).Select(v => TextOf(v, key))];

    /// <summary>Words such as ids, process names and unit names: no path, no space, no wildcard.</summary>
    public IReadOnlyList<string> Names(string key, string what) => [.. Items(key).Select(v => Word(v, key, what))];

    public string RequiredWord(string key, string what) =>
        Word(values.GetValueOrDefault(key) ?? throw Missing($"key \"{key}\""), key, what);

    /// <summary>Places that may be changed or set aside, so that they have to be the product's own.</summary>
    public IReadOnlyList<PathPattern> Places(string key) => [.. Items(key).Select(v => PlaceOf(v, key, ProductPlaces.FaultOf))];

    /// <summary>Where a shortcut is.</summary>
    public PathPattern RequiredShortcut(string key) =>
        PlaceOf(values.GetValueOrDefault(key) ?? throw Missing($"key \"{key}\""), key, ProductPlaces.FaultOfShortcut);

    public PathPattern? Path(string key) => values.GetValueOrDefault(key) is { } value ? PathOf(value, key) : null;

    /// <summary>A path inside the install.</summary>
    public string? Inside(string key) => values.GetValueOrDefault(key) is { } value ? InsideOf(value, key) : null;

    public string RequiredInside(string key) => Inside(key) ?? throw Missing($"key \"{key}\"");

    public IReadOnlyList<string> Insides(string key) => [.. Items(key).Select(v => InsideOf(v, key))];

    /// <summary>Absolute folders or files; <c>~/</c> stands for the home.</summary>
    public IReadOnlyList<string> PathsOfMachine(string key, string home) => [.. Items(key).Select(v => PathOfMachine(v, key, home))];

    /// <summary>An absolute folder or file; <c>~/</c> stands for the home.</summary>
    public string? OnePathOfMachine(string key, string home) =>
        values.GetValueOrDefault(key) is { } value ? PathOfMachine(value, key, home) : null;

    private string PathOfMachine(ProfileNode value, string key, string home)
    {
        var text = TextOf(value, key);
        return text.StartsWith("~/", StringComparison.Ordinal) ? System.IO.Path.Join(home, text[2..])
            : System.IO.Path.IsPathRooted(text) ? text
            : throw Fault(value, $"The path \"{PathBytes.Shown(text)}\" is neither absolute nor begins with ~/.");
    }

    /// <summary>Lists of URLs by product.</summary>
    public IReadOnlyDictionary<string, IReadOnlyList<Uri>> UrlLists(string key) => Pairs(key).ToDictionary(
        p => Profile.IsId(p.Key) ? p.Key : throw Fault(p.Value, $"\"{PathBytes.Shown(p.Key)}\" is not a product's id."),
        p => (IReadOnlyList<Uri>)[.. (p.Value.List ?? [p.Value]).Select(v => UrlOf(v, key))], StringComparer.Ordinal);

    /// <summary>A size such as 500KiB or 2MiB.</summary>
    public long? Size(string key, long least, long most) => values.GetValueOrDefault(key) is not { } value ? null
        : Units.ParseBytes(TextOf(value, key)) is { } size && size >= least && size <= most ? size
        : throw Fault(
            value, $"The value of \"{key}\" is {Units.Bytes(least)} to {Units.Bytes(most)}, such as 500KiB or 2MiB; this is "
            + $"\"{PathBytes.Shown(value.Text!)}\".");

    /// <summary>A length of time: a number of minutes, hours or days.</summary>
    public TimeSpan Duration(string key)
    {
        var value = values[key];
        var text = TextOf(value, key);
        var unit = text.TrimStart("0123456789".ToCharArray());
        var number = int.TryParse(text[..^unit.Length], NumberStyles.None, CultureInfo.InvariantCulture, out var given) ? given : 0;
        return (unit.Trim(), number) switch
        {
            ("min", > 0 and < 1000) => TimeSpan.FromMinutes(number),
            ("h", > 0 and < 1000) => TimeSpan.FromHours(number),
            ("d", > 0 and < 1000) => TimeSpan.FromDays(number),
            _ => throw Fault(
                value, $"The value of \"{key}\" is a length of time such as 30min, 1h or 2d; this is \"{PathBytes.Shown(text)}\"."),
        };
    }

    public Uri? Url(string key) => values.GetValueOrDefault(key) is { } value ? UrlOf(value, key) : null;

    public IReadOnlyList<Uri> Urls(string key) => [.. Items(key).Select(v => UrlOf(v, key))];

    public int Number(string key, int usual, int least, int most) =>
        values.GetValueOrDefault(key) is { } value ? NumberOf(value, key, least, most) : usual;

    public IReadOnlyList<int> Numbers(string key, IReadOnlyList<int> usual, int least, int most) =>
        Has(key) ? [.. Items(key).Select(v => NumberOf(v, key, least, most))] : usual;

    /// <summary>Names with chances of 1 to 99 percent, as 0.01 to 0.99; a list has the usual chance for each.</summary>
    public IReadOnlyDictionary<string, double> Percents(string key, int usual) =>
        values.GetValueOrDefault(key)?.List is not null
        ? Names(key, "a rung").Distinct().ToDictionary(n => n, _ => usual / 100.0, StringComparer.Ordinal)
        : Pairs(key).ToDictionary(p => p.Key, p => NumberOf(p.Value, key, 1, 99) / 100.0, StringComparer.Ordinal);

    public Version? Version(string key) => values.GetValueOrDefault(key) is { } value ? VersionOf(value, key) : null;

    public IReadOnlyDictionary<string, Version> Versions(string key) =>
        Pairs(key).ToDictionary(p => p.Key, p => VersionOf(p.Value, key), StringComparer.Ordinal);

    /// <summary>Texts in which variables stand for folders.</summary>
    public IReadOnlyList<string> VariableTexts(string key) => [.. Items(key).Select(v => VariableTextOf(v, key))];

    /// <summary>Names with texts in which variables stand for folders.</summary>
    public IReadOnlyDictionary<string, string> VariablePairs(string key) =>
        Pairs(key).ToDictionary(p => p.Key, p => VariableTextOf(p.Value, key), StringComparer.Ordinal);

    private string VariableTextOf(ProfileNode value, string key)
    {
        var text = TextOf(value, key);
        return VariableText.FaultOf(text) is { } fault ? throw Fault(value, $"\"{PathBytes.Shown(text)}\" {fault}.") : text;
    }

    public IReadOnlyDictionary<string, string> TextPairs(string key) =>
        Pairs(key).ToDictionary(p => p.Key, p => TextOf(p.Value, key), StringComparer.Ordinal);

    public IReadOnlyDictionary<string, IReadOnlyList<string>> GlobLists(string key) => Pairs(key).ToDictionary(
        p => p.Key, p => (IReadOnlyList<string>)[.. (p.Value.List ?? [p.Value]).Select(v => InsideOf(v, key))], StringComparer.Ordinal);

    public ProfileFields? Fields(string key, string called) =>
        values.GetValueOrDefault(key) is { } value ? new ProfileFields(value, source, called) : null;

    public IEnumerable<ProfileFields> EachFields(string key, string called) => Items(key).Select(v => new ProfileFields(v, source, called));

    private IReadOnlyList<ProfileNode> Items(string key) => values.GetValueOrDefault(key) switch
    {
        null => [],
        { List: { } list } => list,
        var other => throw Fault(other, $"The value of \"{key}\" must be a list; this is {other.Kind}."),
    };

    private IEnumerable<(string Key, ProfileNode Value)> Pairs(string key) => values.GetValueOrDefault(key) switch
    {
        null => [],
        { Map: { } map } => map.Select(m => (m.Key.Text!, m.Value)),
        var other => throw Fault(other, $"The value of \"{key}\" must be a map; this is {other.Kind}."),
    };

    private string TextOf(ProfileNode value, string key)
    {
        var text = value.Text ?? throw Fault(value, $"The value of \"{key}\" must be a string; this is {value.Kind}.");
        return text.Length > 0 && !text.Any(char.IsControl) ? text
            : throw Fault(value, $"The value of \"{key}\" is empty or contains a control character.");
    }

    private string Word(ProfileNode value, string key, string what)
    {
        var text = TextOf(value, key);
        return text.Length <= 128 && char.IsLetterOrDigit(text[0])
            && text.All(c => char.IsLetterOrDigit(c) || "-_.@:+".Contains(c, StringComparison.Ordinal))
            ? text
            : throw Fault(value, $"\"{PathBytes.Shown(text)}\" cannot be the name of {what}.");
    }

    private PathPattern PlaceOf(ProfileNode value, string key, Func<PathPattern, string?> faultOf) =>
        PathOf(value, key) is var path && faultOf(path) is { } fault
            ? throw Fault(value, $"The path \"{PathBytes.Shown(path.Text)}\" {fault}.") : path;

    private PathPattern PathOf(ProfileNode value, string key)
    {
        var text = TextOf(value, key);
        return PathPattern.Parse(text, out var fault)
            ?? throw Fault(value, $"The path \"{PathBytes.Shown(text)}\" {fault}{(fault!.EndsWith('?') ? "" : ".")}");
    }

    private string InsideOf(ProfileNode value, string key)
    {
        var text = TextOf(value, key);
        return ManifestPath.Fault(text) is { } fault
            ? throw Fault(value, $"The path \"{text}\" {fault}; it has to lie in the install.") : text;
    }

    private Uri UrlOf(ProfileNode value, string key)
    {
        var text = TextOf(value, key);
        return Uri.TryCreate(text, UriKind.Absolute, out var uri) && (uri.Scheme == Uri.UriSchemeHttp || uri.Scheme == Uri.UriSchemeHttps)
            ? uri
            : throw Fault(value, $"\"{PathBytes.Shown(text)}\" is not an http or https URL.");
    }

    private int NumberOf(ProfileNode value, string key, int least, int most) =>
        int.TryParse(TextOf(value, key), NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number >= least
        && number <= most
            ? number
            : throw Fault(
            value, $"The value of \"{key}\" is a whole number from {least} to {most}; this is \"{PathBytes.Shown(value.Text!)}\".");

    private Version VersionOf(ProfileNode value, string key) =>
        System.Version.TryParse(TextOf(value, key), out var version) ? version
        : throw Fault(value, $"\"{PathBytes.Shown(value.Text!)}\" is not a version such as \"5.10\".");

    private ProfileFault Fault(ProfileNode at, string what) => new(what, source, Math.Max(1, at.Line), Math.Max(1, at.Column));
}
