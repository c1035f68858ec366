using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Mukta.Cli.Json;

/// <summary>The documents that <c>--json</c> prints; described in docs/json.md.</summary>
[JsonSourceGenerationOptions(GenerationMode = JsonSourceGenerationMode.Metadata)]
[JsonSerializable(typeof(ErrorDocument))]
[JsonSerializable(typeof(BundleMakeDocument))]
[JsonSerializable(typeof(BundleShowDocument))]
[JsonSerializable(typeof(VerifyDocument))]
[JsonSerializable(typeof(RemedyDocument))]
[JsonSerializable(typeof(RepairDocument))]
[JsonSerializable(typeof(ManifestMakeDocument))]
[JsonSerializable(typeof(ManifestShowDocument))]
[JsonSerializable(typeof(ManifestConvertDocument))]
[JsonSerializable(typeof(ManifestSignDocument))]
[JsonSerializable(typeof(ReleasesDocument))]
[JsonSerializable(typeof(InstallsDocument))]
[JsonSerializable(typeof(ProfilesDocument))]
[JsonSerializable(typeof(DraftDocument))]
[JsonSerializable(typeof(StopDocument))]
[JsonSerializable(typeof(CaseDocument))]
[JsonSerializable(typeof(CaseListDocument))]
[JsonSerializable(typeof(OutcomesDocument))]
[JsonSerializable(typeof(ReportDocument))]
[JsonSerializable(typeof(VendorDocument))]
[JsonSerializable(typeof(TryDocument))]
[JsonSerializable(typeof(ConflictDocument))]
[JsonSerializable(typeof(ServicesDocument))]
[JsonSerializable(typeof(ServicesRunDocument))]
[JsonSerializable(typeof(CachesDocument))]
[JsonSerializable(typeof(CachesClearDocument))]
[JsonSerializable(typeof(ShortcutsDocument))]
[JsonSerializable(typeof(ShortcutsRestoreDocument))]
[JsonSerializable(typeof(CheckDocument))]
[JsonSerializable(typeof(CompareDocument))]
[JsonSerializable(typeof(OperationsDocument))]
[JsonSerializable(typeof(UndoDocument))]
[JsonSerializable(typeof(InstallsAddDocument))]
[JsonSerializable(typeof(ReinstallPart))]
[JsonSerializable(typeof(SetupDocument))]
[JsonSerializable(typeof(MoveDocument))]
[JsonSerializable(typeof(StaleDocument))]
[JsonSerializable(typeof(ForgetDocument))]
internal sealed partial class Documents : JsonSerializerContext
{
    /// <summary>Writes only what JSON itself wants escaped: no page of a browser is going to hold these documents.</summary>
    public static Documents Readable { get; } = new(new JsonSerializerOptions
    {
        PropertyNamingPolicy = JsonNamingPolicy.CamelCase,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        WriteIndented = true,
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    });
}

/// <summary>What went wrong.</summary>
internal sealed record ErrorDocument(string Format, int ExitCode, string What, string Where, string Next)
{
    public ErrorDocument(MuktaException failure)
        : this("mukta.error/1", (int)failure.Code, failure.What, failure.Where, failure.Next)
    {
    }
}
