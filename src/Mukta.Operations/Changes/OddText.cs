using System.Text.Json;
using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// Writes a text with paths in it as a JSON string; one with bytes that are not UTF-8 as <c>{"bytes":"HEX"}</c>, since JSON has no string
/// for it and a
/// name that comes back changed is a file that is lost.
/// </summary>
internal class OddText : JsonConverter<string>
{
    private const string Member = "bytes";

    /// <inheritdoc/>
    public override string? Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options)
    {
        if (reader.TokenType == JsonTokenType.String)
            return Checked(reader.GetString()!);
        if (reader.TokenType != JsonTokenType.StartObject || !reader.Read() || reader.GetString() != Member || !reader.Read())
            throw new JsonException("Not a path.");
        try
        {
            var path = PathBytes.Decode(Convert.FromHexString(reader.GetString() ?? ""));
            return reader.Read() && reader.TokenType == JsonTokenType.EndObject ? Checked(path) : throw new JsonException("Not a path.");
        }
        catch (FormatException e)
        {
            throw new JsonException("Not a path.", e);
        }
    }

    /// <inheritdoc/>
    public override void Write(Utf8JsonWriter writer, string value, JsonSerializerOptions options)
    {
        if (!value.Any(char.IsSurrogate) || !value.Any(c => c is >= '\uDC80' and <= '\uDCFF'))
        {
            writer.WriteStringValue(value);
            return;
        }

        writer.WriteStartObject();
        writer.WriteString(Member, Convert.ToHexStringLower(PathBytes.Encode(value).AsSpan()[..^1]));
        writer.WriteEndObject();
    }

    /// <summary>The text, if it may be there.</summary>
    protected virtual string Checked(string path) =>
        path.Contains('\0', StringComparison.Ordinal) ? throw new JsonException("A path with NUL.") : path;
}

/// <summary>
/// The same for a path that a change is made to: relative, and not one that leads out. A journal with any other is not trusted at all.
/// </summary>
internal class PathText : OddText
{
    /// <inheritdoc/>
    protected override string Checked(string path)
    {
        path = base.Checked(path);
        return IsInside(path) ? path : throw new LeadsOut(path);
    }

    /// <summary>True for a path that may be there.</summary>
    protected virtual bool IsInside(string path) => !path.Split('/').Any(s => s is "" or "." or "..");
}

/// <summary>The same for a folder, which may be the one that all paths are relative to.</summary>
internal sealed class FolderText : PathText
{
    /// <inheritdoc/>
    protected override bool IsInside(string path) => path.Length == 0 || base.IsInside(path);
}

/// <summary>A journal names a path outside of the folder that it is in.</summary>
/// <param name="path">The path.</param>
internal sealed class LeadsOut(string path) : Exception(path);
