using System.Text;
using YamlDotNet.Core;
using YamlDotNet.Core.Events;

namespace Mukta.Products;

/// <summary>A profile that cannot be used, with the place in it.</summary>
/// <param name="what">What is wrong, as a sentence.</param>
/// <param name="source">The profile's file name.</param>
/// <param name="line">Line, from 1.</param>
/// <param name="column">Column, from 1.</param>
/// <param name="inner">The failure underneath.</param>
public sealed class ProfileFault(string what, string source, int line, int column, Exception? inner = null)
    : InputFault(what, source, line, column, "Correct that line. Nothing was changed.", inner);

/// <summary>One value of a profile with its place: a text, a list or a map.</summary>
internal sealed record ProfileNode(
    int Line, int Column, string? Text, IReadOnlyList<ProfileNode>? List, IReadOnlyList<(ProfileNode Key, ProfileNode Value)>? Map)
{
    private const int Deepest = 16;
    private const int MostNodes = 20_000;
    private const int LongestText = 4096;

    /// <summary>What it is, in words.</summary>
    public string Kind => Text is not null ? "a text" : List is not null ? "a list" : "a map";

    /// <summary>
    /// Reads one YAML document. Anchors and aliases, with which a short document can stand for a huge one, tags, and
    /// anything over the bounds are refused.
    /// </summary>
    /// <param name="text">YAML.</param>
    /// <param name="source">What to call the file in messages.</param>
    /// <param name="what">What it is: "profile" or "settings file".</param>
    public static ProfileNode Read(TextReader text, string source, string what)
    {
        var parser = new Parser(new Scanner(text, skipComments: true));
        try
        {
            parser.Consume<StreamStart>();
            if (!parser.TryConsume<DocumentStart>(out _))
                throw new ProfileFault($"The {what} is empty.", source, 1, 1);
            var count = 0;
            var root = ReadNode(parser, source, what, 0, ref count);
            parser.Consume<DocumentEnd>();
            return parser.TryConsume<DocumentStart>(out var second)
                ? throw new ProfileFault(
                $"A {what} is one YAML document; here a second one begins.", source, (int)second.Start.Line, (int)second.Start.Column)
                : root;
        }
        catch (YamlException e)
        {
            throw new ProfileFault(
                $"This is not well-formed YAML: {e.Message.Split(": ")[^1].TrimEnd('.')}.", source, Math.Max(1, (int)e.Start.Line),
                Math.Max(1, (int)e.Start.Column), e);
        }
        catch (Exception e) when (e is not MuktaException and not DecoderFallbackException and not IOException)
        {
            throw new ProfileFault("This is not well-formed YAML.", source, 1, 1, e); // The parser stumbled over it.
        }
    }

    private static ProfileNode ReadNode(Parser parser, string source, string what, int depth, ref int count)
    {
        var at = parser.Current!.Start;
        ProfileFault Fault(string fault) => new(fault, source, (int)at.Line, (int)at.Column);
        if (depth > Deepest || ++count > MostNodes)
            throw Fault($"The {what} is nested too deep or has too many values.");
        if (parser.Current is AnchorAlias)
            throw Fault($"Aliases (*name) are not allowed in a {what}; write the value out.");
        if (parser.Current is NodeEvent { Anchor.IsEmpty: false })
            throw Fault($"Anchors (&name) are not allowed in a {what}; write the value out.");
        if (parser.Current is NodeEvent { Tag.IsEmpty: false })
            throw Fault($"Tags (!name) are not allowed in a {what}.");

        var (line, column) = ((int)at.Line, (int)at.Column);
        if (parser.TryConsume<Scalar>(out var scalar))
        {
            return scalar.Value.Length <= LongestText ? new ProfileNode(line, column, scalar.Value, null, null)
                : throw Fault($"A text is longer than {LongestText} characters.");
        }

        if (parser.TryConsume<SequenceStart>(out _))
        {
            var list = new List<ProfileNode>();
            while (!parser.TryConsume<SequenceEnd>(out _))
                list.Add(ReadNode(parser, source, what, depth + 1, ref count));
            return new ProfileNode(line, column, null, list, null);
        }

        parser.Consume<MappingStart>();
        var map = new List<(ProfileNode Key, ProfileNode Value)>();
        while (!parser.TryConsume<MappingEnd>(out _))
        {
            var key = ReadNode(parser, source, what, depth + 1, ref count);
            if (key.Text is null)
                throw new ProfileFault($"A key must be a string; this is {key.Kind}.", source, key.Line, key.Column);
            if (map.Any(m => m.Key.Text == key.Text))
                throw new ProfileFault($"The key \"{Disk.PathBytes.Shown(key.Text)}\" appears twice.", source, key.Line, key.Column);
            map.Add((key, ReadNode(parser, source, what, depth + 1, ref count)));
        }

        return new ProfileNode(line, column, null, null, map);
    }
}
