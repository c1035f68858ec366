namespace Mukta.Products;

/// <summary>Reads the codes and the ladder of a profile.</summary>
internal static class LadderReader
{
    private const int UsualChance = 20, MostMinutes = 600;

    private static readonly string[] Parts = ["cache", "component", "action", "package"], OfOperators = ["gone", "restart"];

    private static readonly Dictionary<string, RungAct> Remedies = Enum.GetValues<RungAct>().Where(a => a != RungAct.Operator)
        .ToDictionary(NameOf, StringComparer.Ordinal);

    /// <summary>A rung's act as profiles write it, such as <c>clear-caches</c>.</summary>
    public static string NameOf(RungAct act) => string.Concat(
        act.ToString().Select((c, i) => char.IsUpper(c) ? (i > 0 ? "-" : "") + char.ToLowerInvariant(c) : c.ToString()));

    /// <summary>The act of a name; null if there is none.</summary>
    public static RungAct? ActOf(string name) =>
        Enum.GetValues<RungAct>().Select(a => (RungAct?)a).FirstOrDefault(a => NameOf(a!.Value) == name);

    /// <summary>The rungs, in the profile's order.</summary>
    public static IReadOnlyList<Rung> Rungs(ProfileFields profile)
    {
        var rungs = new List<Rung>();
        var read = profile.EachFields("ladder", "rung").Select(fields => (Fields: fields, Rung: Rung(fields))).ToList();
        foreach (var (fields, rung) in read)
        {
            if (rungs.Exists(r => r.Id == rung.Id))
                throw fields.Fault("rung", $"The rung \"{rung.Id}\" appears twice.");
            Known(fields, "after", rung.After, [.. read.Select(r => r.Rung.Id)]);
            rungs.Add(rung);
        }

        return rungs;
    }

    /// <summary>The codes, in the profile's order.</summary>
    public static IReadOnlyList<ComplaintCode> Codes(ProfileFields profile, IReadOnlyList<Rung> ladder)
    {
        var codes = new List<ComplaintCode>();
        foreach (var fields in profile.EachFields("codes", "code"))
        {
            var code = new ComplaintCode(
                fields.RequiredWord("code", "a code"), fields.RequiredText("means"), fields.Texts("symptoms"), fields.Texts("logs"),
                fields.Percents("rungs", UsualChance));
            if (codes.Exists(c => string.Equals(c.Code, code.Code, StringComparison.OrdinalIgnoreCase)))
                throw fields.Fault("code", $"The code \"{code.Code}\" appears twice.");
            Known(fields, "rungs", code.Rungs.Keys, [.. ladder.Select(r => r.Id)]);
            codes.Add(code);
        }

        return codes;
    }

    /// <summary>The program that says whether the product works; null if the profile names none.</summary>
    public static ProductProbe? Probe(ProfileFields profile) => profile.Fields("probe", "probe") is not { } fields ? null
        : new ProductProbe(
        fields.RequiredInside("program"), fields.VariableTexts("arguments"), TimeSpan.FromSeconds(fields.Number("seconds", 20, 1, 600)));

    private static Rung Rung(ProfileFields fields)
    {
        var id = fields.RequiredWord("rung", "a rung");
        if (fields.Has("remedy") == fields.Has("operator"))
            throw fields.Fault($"The rung \"{id}\" needs one of the keys \"remedy\" and \"operator\".");
        var act = fields.Has("operator") ? RungAct.Operator : Remedies[fields.Choice("remedy", null, [.. Remedies.Keys])];
        var part = PartOf(act);
        foreach (var other in Parts.Where(k => k != part && fields.Has(k)))
            throw fields.Fault(other, $"A rung that does {NameOf(act)} has no \"{other}\".");
        foreach (var other in OfOperators.Where(k => act != RungAct.Operator && fields.Has(k)))
            throw fields.Fault(other, $"Only what a person does has \"{other}\": Mukta sees itself whether a remedy is done.");
        return new Rung(id, act, fields.Has("product") ? fields.RequiredWord("product", "a product") : null,
            fields.Number("minutes", 5, 0, MostMinutes))
        {
            Part = part is null ? null
                : !fields.Has(part) ? act is RungAct.Setup or RungAct.SystemPackage ? throw fields.Missing($"key \"{part}\"") : null
                : act == RungAct.Setup ? fields.Choice(part, null, "install", "repair", "remove") : fields.RequiredWord(part, $"a {part}"),
            Instructions = fields.Text("operator"),
            Loses = fields.Choice("loses", "nothing", "nothing", "settings", "user-data") switch
            {
                "nothing" => RungLoss.Nothing,
                "settings" => RungLoss.Settings,
                _ => RungLoss.UserData,
            },
            After = fields.Names("after", "a rung"),
            Gone = fields.Names("gone", "a finding"),
            IsRestart = fields.Choice("restart", "no", "no", "yes", "true", "false") is "yes" or "true",
        };
    }

    private static string? PartOf(RungAct act) => act switch
    {
        RungAct.ClearCaches => "cache",
        RungAct.Repair => "component",
        RungAct.Setup => "action",
        RungAct.SystemPackage => "package",
        _ => null,
    };

    private static void Known(ProfileFields fields, string key, IEnumerable<string> named, IReadOnlyList<string> known)
    {
        foreach (var name in named.Where(n => !known.Contains(n)))
            throw fields.Fault(key, $"The ladder has no rung \"{Disk.PathBytes.Shown(name)}\"{Nearest.HintOrEnd(name, known)}");
    }
}
