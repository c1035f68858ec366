using System.Text.Json;
using Mukta.Disk;
using Mukta.Host.Packages;

namespace Mukta.Host.Interference;

/// <summary>
/// Reads the manifests of implicit layers from the folders in which the Vulkan loader looks for them ("Linux Layer Discovery" in its
/// documentation of layers).
/// </summary>
[OutsideReader]
internal static class ImplicitLayers
{
    private const int MostFiles = 200, MostLayers = 50, LongestName = 200;

    /// <summary>All layers that are there, with the packages that brought them.</summary>
    /// <param name="machine">The machine.</param>
    /// <param name="environment">The environment variables; of this machine only.</param>
    /// <param name="packages">Its package manager; null if it has none that is known.</param>
    /// <param name="cancel">Ends it.</param>
    public static async Task<IReadOnlyList<GraphicsLayer>> OfAsync(
        Machine machine, Func<string, string?> environment, IPackageManager? packages, CancellationToken cancel)
    {
        var folders = new[] { machine.Folders.Config }.Concat(System("XDG_CONFIG_DIRS", "/etc/xdg")).Append(machine.At("/etc"))
            .Append(machine.Folders.Data).Concat(System("XDG_DATA_DIRS", "/usr/local/share:/usr/share"))
            .Select(f => Path.Join(f, "vulkan/implicit_layer.d")).Distinct().Where(Directory.Exists);
        var found = folders.SelectMany(f => Directory.EnumerateFiles(f, "*.json").Take(MostFiles).Order(StringComparer.Ordinal))
            .SelectMany(file => Read(file).Select(layer => layer with { File = machine.NameOf(file) })).ToList();
        var owners = packages is null || found.Count == 0 ? new Dictionary<string, string>()
            : await packages.OwnersAsync([.. found.Select(l => l.File).Distinct()], cancel).ConfigureAwait(false);
        return [.. found.Select(l => l with { Package = owners.GetValueOrDefault(l.File) })];

        IEnumerable<string> System(string variable, string usual) =>
            ((machine.IsLive ? environment(variable) : null) is { Length: > 0 } set ? set : usual)
            .Split(':', StringSplitOptions.RemoveEmptyEntries).Where(Path.IsPathRooted).Select(machine.At);
    }

    /// <summary>The layers of a manifest; none if it is not one.</summary>
    internal static IReadOnlyList<GraphicsLayer> Read(string file)
    {
        try
        {
            using var document = JsonDocument.Parse(SmallText.Read(file), new JsonDocumentOptions { MaxDepth = 16 });
            var root = document.RootElement;
            if (root.ValueKind != JsonValueKind.Object)
                return [];
            IEnumerable<JsonElement> layers = root.TryGetProperty("layer", out var one) ? [one]
                : root.TryGetProperty("layers", out var all) && all.ValueKind == JsonValueKind.Array ? all.EnumerateArray() : [];
            return [.. layers.Where(l => l.ValueKind == JsonValueKind.Object).Take(MostLayers).Select(l => new GraphicsLayer(
                file, Short(l.TryGetProperty("name", out var name) && name.ValueKind == JsonValueKind.String ? name.GetString() : null)
                ?? Path.GetFileName(file), Variable(l, "disable_environment"), Variable(l, "enable_environment"), Package: null))];
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException) // The latter for text that is not UTF-8.
        {
            return [];
        }
    }

    /// <summary>A variable with its value, such as <c>NO_LAYER=1</c>.</summary>
    private static string? Variable(JsonElement layer, string key) =>
        layer.TryGetProperty(key, out var variables) && variables.ValueKind == JsonValueKind.Object
        && variables.EnumerateObject().FirstOrDefault() is { Value.ValueKind: JsonValueKind.String } first
            ? Short($"{first.Name}={first.Value.GetString()}") : null;

    private static string? Short(string? text) =>
        string.IsNullOrWhiteSpace(text) ? null : text.Length <= LongestName ? text : text[..LongestName] + "...";
}
