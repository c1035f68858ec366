namespace Mukta.Cli.Json;

/// <summary>Names as they are in JSON documents: lower case, with hyphens.</summary>
internal static class JsonNames
{
    /// <summary>not known: not-known.</summary>
    public static string OfJson(string words) => words.Replace(' ', '-');

    /// <summary>ServiceDown: service-down.</summary>
    public static string OfName(string name) => System.Text.Json.JsonNamingPolicy.KebabCaseLower.ConvertName(name);
}
