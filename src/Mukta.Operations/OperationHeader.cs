using System.Globalization;
using System.Security.Cryptography;

namespace Mukta.Operations;

/// <summary>The first line of an operation's journal (docs/formats.md).</summary>
/// <param name="Format">mukta.operation/2.</param>
/// <param name="Operation">The operation's id: date and time (UTC) and six random digits. For people; it says nothing of the order.</param>
/// <param name="Command">The command that did it.</param>
/// <param name="Product">The product; null if none was named.</param>
/// <param name="Release">The release; null if it was not named, or does not matter.</param>
/// <param name="Started">When, UTC. For people; it says nothing of the order.</param>
public sealed record OperationHeader(
    string Format, string Operation, string Command, string? Product, string? Release, DateTimeOffset Started)
{
    /// <summary>The format that this version writes and reads.</summary>
    public const string CurrentFormat = "mukta.operation/2";

    /// <summary>Which operation came before which: 1 and up, greater than that of every operation that was known when it began.</summary>
    public long Sequence { get; init; }

    /// <summary>The operation that this one undoes; null for none.</summary>
    public string? Undoes { get; init; }

    /// <summary>The start of a new operation, with a new id.</summary>
    public static OperationHeader New(string command, string? product, string? release, TimeProvider time)
    {
        var now = time.GetUtcNow();
        var id = string.Create(
            CultureInfo.InvariantCulture, $"{now:yyyyMMdd'T'HHmmss'Z'}-{RandomNumberGenerator.GetHexString(6, lowercase: true)}");
        return new OperationHeader(CurrentFormat, id, command, product, release, now);
    }

    /// <summary>True for what an id may be: 64 letters, digits and hyphens at most, so that it can name a folder and be printed.</summary>
    public static bool IsId(string text) => text.Length is > 0 and <= 64 && text.All(c => char.IsAsciiLetterOrDigit(c) || c == '-');
}
