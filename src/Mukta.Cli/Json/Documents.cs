using System.Text.Json.Serialization;

namespace Mukta.Cli.Json;

/// <summary>The documents that <c>--json</c> prints; described in docs/json.md.</summary>
[JsonSourceGenerationOptions(
    PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull, WriteIndented = true)]
[JsonSerializable(typeof(ErrorDocument))]
[JsonSerializable(typeof(VerifyDocument))]
[JsonSerializable(typeof(RepairDocument))]
[JsonSerializable(typeof(ManifestMakeDocument))]
[JsonSerializable(typeof(ManifestShowDocument))]
internal sealed partial class Documents : JsonSerializerContext;

/// <summary>What went wrong.</summary>
internal sealed record ErrorDocument(string Format, int ExitCode, string What, string Where, string Next)
{
    public ErrorDocument(MuktaException failure)
        : this("mukta.error/1", (int)failure.Code, failure.What, failure.Where, failure.Next)
    {
    }
}
