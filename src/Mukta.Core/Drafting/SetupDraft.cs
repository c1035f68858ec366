using System.Globalization;
using System.Text.RegularExpressions;
using Mukta.Host;
using Mukta.Host.Services;
using Mukta.Manifests;

namespace Mukta.Drafting;

/// <summary>
/// Drafts how the vendor's setup program is called, from the words in it: programs that are scripts mostly say how they are used. It is not
/// run.
/// </summary>
internal static partial class SetupDraft
{
    private const int HighestCode = 255;

    /// <summary>The draft; empty if nothing tells how to call a setup program.</summary>
    public static DraftMap Of(string install, InstallContents contents, ProgramFile? main, IReadOnlyList<UnitProgram> units)
    {
        var setup = new DraftMap();
        if (contents.Programs.FirstOrDefault(p => p.IsSetup) is not { } program || ManifestPath.Fault(program.Path) is not null)
            return setup;
        var text = SmallText.Read(Path.Join(install, program.Path));
        var words = Call().Matches(text).Select(m => m.Value).ToList();
        var restart = RestartCode().Match(text) is { Success: true } said
            && int.Parse(said.Groups["code"].Value, CultureInfo.InvariantCulture) is var code and > 0 and <= HighestCode
            ? code.ToString(CultureInfo.InvariantCulture) : null;
        setup.Add("program", program.Path, DraftTrust.Likely, "by its name");
        foreach (var action in new[] { "install", "repair", "remove" })
        {
            if (words.Find(w => ActionOf(w) == action) is not { } word)
                continue;
            var call = new DraftMap();
            call.Add("arguments", new DraftList([DraftText.Of(word, DraftTrust.Check, "the program contains this word")]));
            if (restart is not null)
                call.Add("restart", new DraftList([DraftText.Of(restart, DraftTrust.Check, "the program mentions it with a restart")]));
            setup.Add(action, call);
        }

        if (setup.Pairs.Count == 1)
            return new DraftMap();
        var then = new DraftMap();
        then.Add("active", new DraftList([.. units.Select(u => DraftText.Of(u.Unit, DraftTrust.Likely, "its service"))]));
        if (main is not null)
            then.Add("files", new DraftList([DraftText.Of(main.Path, DraftTrust.Likely, "its main program")]));
        setup.Add("then", then);
        return setup;
    }

    private static string ActionOf(string word) => word.TrimStart('-') switch { "uninstall" => "remove", var other => other };

    [GeneratedRegex(@"(?<![\w./-])-{0,2}(install|repair|remove|uninstall)(?![\w.-])", RegexOptions.CultureInvariant)]
    private static partial Regex Call();

    [GeneratedRegex(@"^.{0,200}?\b(?<code>[0-9]{1,3})\b.{0,200}\b(restart|reboot)",
        RegexOptions.CultureInvariant | RegexOptions.IgnoreCase | RegexOptions.Multiline)]
    private static partial Regex RestartCode();
}
