using YamlDotNet.Core;
using YamlDotNet.Core.Events;

namespace Mukta.Drafting;

/// <summary>Writes a draft as YAML, with each line's note as a comment behind it.</summary>
public static class DraftWriter
{
    /// <summary>The draft's text.</summary>
    /// <param name="draft">The profile.</param>
    /// <param name="head">Comments at the top, one a line.</param>
    public static string Write(DraftMap draft, IEnumerable<string> head)
    {
        using var text = new StringWriter { NewLine = "\n" };
        foreach (var line in head)
            text.WriteLine($"# {line}");
        var emitter = new Emitter(text, new EmitterSettings().WithIndentedSequences().WithBestWidth(int.MaxValue).WithNewLine("\n"));
        emitter.Emit(new StreamStart());
        emitter.Emit(new DocumentStart(null, null, isImplicit: true));
        Write(emitter, draft);
        emitter.Emit(new DocumentEnd(isImplicit: true));
        emitter.Emit(new StreamEnd());
        return text.ToString();
    }

    private static void Write(Emitter emitter, DraftNode node)
    {
        switch (node)
        {
            case DraftText leaf:
                var isPlain = leaf.Text.All(c => char.IsAsciiLetterOrDigit(c) || c is '-' or '_' or '/' or '.') && leaf.Text[0] != '-';
                emitter.Emit(new Scalar(
                    AnchorName.Empty, TagName.Empty, leaf.Text, isPlain ? ScalarStyle.Plain : ScalarStyle.DoubleQuoted, true, true));
                if (leaf.Note is not null)
                    emitter.Emit(new Comment(leaf.Note.ToString(), isInline: true));
                break;
            case DraftList list:
                emitter.Emit(new SequenceStart(AnchorName.Empty, TagName.Empty, isImplicit: true, SequenceStyle.Block));
                foreach (var item in list.Items)
                    Write(emitter, item);
                emitter.Emit(new SequenceEnd());
                break;
            case DraftMap map:
                emitter.Emit(new MappingStart(AnchorName.Empty, TagName.Empty, isImplicit: true, MappingStyle.Block));
                foreach (var (key, value) in map.Pairs)
                {
                    emitter.Emit(new Scalar(key));
                    Write(emitter, value);
                }

                emitter.Emit(new MappingEnd());
                break;
        }
    }
}
