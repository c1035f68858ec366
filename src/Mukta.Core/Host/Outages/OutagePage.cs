using System.Text.Json;
using Mukta.Disk;

namespace Mukta.Host.Outages;

/// <summary>The state of a vendor's service.</summary>
public enum ServiceHealth
{
    /// <summary>It works.</summary>
    Pass,

    /// <summary>It works, with concerns.</summary>
    Warn,

    /// <summary>It does not work.</summary>
    Fail,
}

/// <summary>One thing that a vendor reports on.</summary>
/// <param name="Name">What.</param>
/// <param name="Health">Its state.</param>
/// <param name="Output">What the vendor says of it; null for nothing.</param>
public sealed record OutageCheck(string Name, ServiceHealth Health, string? Output);

/// <summary>
/// What a vendor's outage page says, in the shape of the draft "Health Check Response Format for HTTP APIs"
/// (draft-inadarei-api-health-check, application/health+json).
/// </summary>
/// <param name="Health">The whole.</param>
/// <param name="Note">What the vendor says of it; null for nothing.</param>
/// <param name="Checks">The parts.</param>
[OutsideReader]
public sealed record OutagePage(ServiceHealth Health, string? Note, IReadOnlyList<OutageCheck> Checks)
{
    private const int MostChecks = 1000, LongestText = 300;

    /// <summary>Reads a page.</summary>
    /// <returns>Null for one that is none.</returns>
    public static OutagePage? Parse(ReadOnlyMemory<byte> json)
    {
        try
        {
            using var document = JsonDocument.Parse(json, new JsonDocumentOptions { MaxDepth = 16 });
            var root = document.RootElement;
            if (root.ValueKind != JsonValueKind.Object || HealthOf(root) is not { } health)
                return null;
            var checks = new List<OutageCheck>();
            if (root.TryGetProperty("checks", out var all) && all.ValueKind == JsonValueKind.Object)
            {
                foreach (var check in all.EnumerateObject().Take(MostChecks))
                {
                    var parts = check.Value.ValueKind == JsonValueKind.Array ? check.Value.EnumerateArray().Take(MostChecks).ToList()
                        : [check.Value];
                    checks.AddRange(parts.Where(
                        p => p.ValueKind == JsonValueKind.Object && HealthOf(p) is not null)
                        .Select(p => new OutageCheck(Short(check.Name)!, HealthOf(p)!.Value, Text(p, "output"))));
                }
            }

            return new OutagePage(health, Text(root, "output") ?? Text(root, "description"), checks);
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException) // The latter for text that is no UTF-8.
        {
            return null;
        }
    }

    /// <summary>pass, warn or fail, and the words that the draft lets stand for pass and fail (section 3.1).</summary>
    private static ServiceHealth? HealthOf(JsonElement element) => Text(element, "status")?.ToLowerInvariant() switch
    {
        "pass" or "ok" or "up" => ServiceHealth.Pass,
        "warn" => ServiceHealth.Warn,
        "fail" or "error" or "down" => ServiceHealth.Fail,
        _ => null,
    };

    private static string? Text(JsonElement element, string key) =>
        element.TryGetProperty(key, out var value) && value.ValueKind == JsonValueKind.String ? Short(value.GetString()) : null;

    private static string? Short(string? text) =>
        string.IsNullOrWhiteSpace(text) ? null : text.Length <= LongestText ? text : text[..LongestText] + "...";
}
