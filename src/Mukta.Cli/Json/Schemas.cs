using System.Text.Json.Nodes;
using System.Text.Json.Schema;
using System.Text.Json.Serialization.Metadata;

namespace Mukta.Cli.Json;

/// <summary>The JSON Schemas (2020-12) of the documents that <c>--json</c> prints, made from the documents themselves.</summary>
internal static class Schemas
{
    private static Documents Of => Documents.Readable;

    private static IReadOnlyList<(string Format, JsonTypeInfo Type)> All { get; } =
    [
        ("mukta.bundle.make/1", Of.BundleMakeDocument), ("mukta.bundle.show/1", Of.BundleShowDocument),
        ("mukta.caches/1", Of.CachesDocument), ("mukta.caches.clear/1", Of.CachesClearDocument), ("mukta.case/1", Of.CaseDocument),
        ("mukta.case.list/1", Of.CaseListDocument), ("mukta.check/1", Of.CheckDocument),
        ("mukta.error/1", Of.ErrorDocument), ("mukta.installs/1", Of.InstallsDocument), ("mukta.installs.add/1", Of.InstallsAddDocument),
        ("mukta.installs.forget/1", Of.ForgetDocument), ("mukta.installs.sweep/1", Of.StaleDocument),
        ("mukta.manifest.compare/1", Of.CompareDocument), ("mukta.manifest.make/1", Of.ManifestMakeDocument),
        ("mukta.manifest.releases/1", Of.ReleasesDocument),
        ("mukta.manifest.show/1", Of.ManifestShowDocument), ("mukta.manifest.sign/1", Of.ManifestSignDocument),
        ("mukta.manifest.convert/1", Of.ManifestConvertDocument),
        ("mukta.move/1", Of.MoveDocument),
        ("mukta.operations/1", Of.OperationsDocument), ("mukta.operations.purge/1", Of.OperationsDocument),
        ("mukta.outcomes/1", Of.OutcomesDocument), ("mukta.report/1", Of.ReportDocument), ("mukta.report.vendor/1", Of.VendorDocument),
        ("mukta.profile.check/1", Of.ProfilesDocument), ("mukta.profile.draft/1", Of.DraftDocument),
        ("mukta.profile.show/1", Of.ProfilesDocument), ("mukta.reinstall/1", Of.ReinstallPart), ("mukta.remove/1", Of.RemedyDocument),
        ("mukta.repair/1", Of.RepairDocument), ("mukta.reset/1", Of.RemedyDocument), ("mukta.services/1", Of.ServicesDocument),
        ("mukta.services.restart/1", Of.ServicesRunDocument), ("mukta.services.restore/1", Of.ServicesRunDocument),
        ("mukta.services.stop/1", Of.ServicesRunDocument), ("mukta.setup/1", Of.SetupDocument), ("mukta.shortcuts/1", Of.ShortcutsDocument),
        ("mukta.shortcuts.restore/1", Of.ShortcutsRestoreDocument), ("mukta.stop/1", Of.StopDocument),
        ("mukta.stop.conflicts/1", Of.ConflictDocument), ("mukta.try/1", Of.TryDocument), ("mukta.undo/1", Of.UndoDocument),
        ("mukta.verify/1", Of.VerifyDocument),
    ];

    /// <summary>Writes one file for each document, such as <c>mukta.verify-1.json</c>.</summary>
    /// <param name="folder">Where to; it is made.</param>
    public static void Write(string folder)
    {
        Directory.CreateDirectory(folder);
        foreach (var (format, type) in All)
        {
            File.WriteAllText(
                Path.Join(folder, $"{format.Replace('/', '-')}.json"),
                Schema(format, type).ToJsonString(Documents.Readable.Options) + "\n");
        }
    }

    private static JsonObject Schema(string format, JsonTypeInfo type)
    {
        var schema = new JsonObject
        {
            ["$schema"] = "https://json-schema.org/draft/2020-12/schema",
            ["$id"] = $"urn:{format.Replace('.', ':').Replace('/', ':')}",
            ["title"] = format,
        };
        var exported = type.GetJsonSchemaAsNode(new JsonSchemaExporterOptions { TreatNullObliviousAsNonNullable = true }).AsObject();
        MakeStrict(exported, exported);
        foreach (var (name, value) in exported.ToList())
        {
            exported.Remove(name);
            schema[name] = value;
        }

        schema["properties"]!["format"] = new JsonObject { ["const"] = format };
        return schema;
    }

    /// <summary>What is not null is always written, what is null never, and nothing else is.</summary>
    private static void MakeStrict(JsonObject root, JsonNode? node)
    {
        if (node is JsonArray list)
        {
            foreach (var item in list)
                MakeStrict(root, item);
        }

        if (node is not JsonObject map)
            return;
        foreach (var (_, value) in map.ToList())
            MakeStrict(root, value);
        if (map["properties"] is not JsonObject properties)
            return;
        map["required"] = new JsonArray([.. properties.Where(p => !MayBeNull(root, p.Value)).Select(p => (JsonNode)p.Key)]);
        map["additionalProperties"] = false;
    }

    /// <summary>True for a property whose type is null among others, also where it refers to another property's (RFC 6901).</summary>
    private static bool MayBeNull(JsonObject root, JsonNode? property)
    {
        if (property is JsonValue)
            return true; // Anything at all.
        if (property?["$ref"] is { } reference)
        {
            property = reference.GetValue<string>().Split('/').Skip(1).Aggregate((JsonNode?)root, (at, name) => at?[name]);
            return MayBeNull(root, property);
        }

        return property?["type"] is JsonArray types && types.Any(t => t!.GetValue<string>() == "null");
    }
}
