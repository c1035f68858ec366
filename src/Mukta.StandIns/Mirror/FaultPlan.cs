using System.IO.Enumeration;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Mukta.StandIns;

/// <summary>
/// One way in which the mirror misbehaves. Described in docs/stand-ins.md. Its members can be set, not only at the start,
/// since the source-generated reader forgets the defaults of those that cannot.
/// </summary>
internal sealed record Fault
{
    /// <summary>Which paths, with * and ?; all by default.</summary>
    public string Path { get; set; } = "*";

    /// <summary>The first request for such a path that is hit, from 1.</summary>
    public int From { get; set; } = 1;

    /// <summary>The last one.</summary>
    public int To { get; set; } = int.MaxValue;

    /// <summary>status, cut, flip, delay, slow, stall, ignore-range, other-range or html.</summary>
    public string Kind { get; set; } = "";

    /// <summary>For status: the code.</summary>
    public int Status { get; set; } = 503;

    /// <summary>For status: seconds in Retry-After.</summary>
    public int? RetryAfter { get; set; }

    /// <summary>
    /// For cut: how many bytes of the body are sent. For flip: which byte of it. For other-range: how many bytes more. For slow: how many a
    /// second.
    /// </summary>
    public long Bytes { get; set; }

    /// <summary>For delay: how long, before the answer.</summary>
    public int Milliseconds { get; set; }
}

/// <summary>All faults of a mirror, and how often each has had its chance.</summary>
internal sealed class FaultPlan(IReadOnlyList<Fault> faults)
{
    private static readonly string[] Kinds = ["status", "cut", "flip", "delay", "slow", "stall", "ignore-range", "other-range", "html"];

    private readonly int[] seen = new int[faults.Count];

    public static FaultPlan Read(string? file)
    {
        if (file is null)
            return new FaultPlan([]);
        using var stream = File.OpenRead(file);
        var faults = JsonSerializer.Deserialize(stream, StandInsJson.Default.FaultArray) ?? [];
        return faults.FirstOrDefault(f => !Kinds.Contains(f.Kind)) is { } unknown
            ? throw new InvalidDataException($"{file}: there is no fault \"{unknown.Kind}\"; known are {string.Join(", ", Kinds)}")
            : new FaultPlan(faults);
    }

    /// <summary>The faults that hit a request.</summary>
    public IReadOnlyList<Fault> For(string path)
    {
        var hits = new List<Fault>();
        for (var i = 0; i < faults.Count; i++)
        {
            if (!FileSystemName.MatchesSimpleExpression(faults[i].Path, path, ignoreCase: false))
                continue;
            var count = Interlocked.Increment(ref seen[i]);
            if (count >= faults[i].From && count <= faults[i].To)
                hits.Add(faults[i]);
        }

        return hits;
    }
}

/// <summary>One line of the mirror's log.</summary>
internal sealed record LogLine(string Method, string Path, string? Range, int Status, long BodyBytes, string? Faults);

[JsonSourceGenerationOptions(
    PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow)]
[JsonSerializable(typeof(Fault[]))]
[JsonSerializable(typeof(LogLine))]
[JsonSerializable(typeof(Dictionary<string, MadeService>))]
[JsonSerializable(typeof(Dictionary<string, string>))]
internal sealed partial class StandInsJson : JsonSerializerContext;
