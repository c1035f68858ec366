using System.Collections.Concurrent;
using System.Text.Json;
using Json.Schema;

namespace Mukta.Cli.Tests;

/// <summary>The published JSON Schemas. Every document that a test looks at is checked against its own.</summary>
internal static class Schemas
{
    private static readonly ConcurrentDictionary<string, JsonSchema> Read = new();

    public static string Folder { get; } = Path.Join(AppContext.BaseDirectory, "schemas");

    /// <summary>The same document, if it keeps to its schema.</summary>
    public static JsonElement Checked(JsonElement document)
    {
        var format = document.GetProperty("format").GetString()!;
        var schema = Read.GetOrAdd(format, f => JsonSchema.FromFile(Path.Join(Folder, $"{f.Replace('/', '-')}.json")));
        var result = schema.Evaluate(document, new EvaluationOptions { OutputFormat = OutputFormat.List });
        result.IsValid.ShouldBeTrue(string.Join("\n", result.Details.Where(d => d.HasErrors)
            .Select(d => $"{d.InstanceLocation}: {string.Join(", ", d.Errors!.Select(e => e.Value))}")));
        return document;
    }
}
