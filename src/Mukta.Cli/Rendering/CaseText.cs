using System.Globalization;
using Mukta.Cases;
using Mukta.Disk;
using Mukta.Host.Trial;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A case as a technician reads it.</summary>
/// <param name="console">Where it goes.</param>
/// <param name="one">The case.</param>
/// <param name="product">Its product.</param>
internal sealed class CaseText(IAnsiConsole console, CaseRecord one, Product product)
{
    /// <summary>Which case it is, in a line.</summary>
    public void Head()
    {
        var code = one.Code.Length > 0 ? $"{one.Code}: " : "";
        console.MarkupLineInterpolated($"[bold]Case {one.Number}[/], {product.Profile.Title}, {code}{PathBytes.Shown(one.Means)}");
    }

    /// <summary>What can be tried, in order.</summary>
    /// <param name="why">True for the numbers behind the order.</param>
    public void Ladder(bool why)
    {
        var width = Columns.Width(one.Rungs.Select(r => r.Id));
        for (var i = 0; i < one.Rungs.Count; i++)
        {
            var rung = one.Rungs[i];
            var state = rung.Result is { } result ? CaseBook.NameOf(result) : $"{Percent(rung.Likely)}, {rung.Minutes:0} min";
            var because = PathBytes.Shown(rung.Evidence.Because ?? "");
            console.WriteLine($"  {i + 1,2}  {rung.Id.PadRight(width)}  {state,-13}  {because}".TrimEnd());
            if (rung.Result is null && Rung(rung) is { } known)
            {
                var command = RungWords.Command(known, product);
                console.WriteLine($"      {(command is null ? PathBytes.Shown(known.Instructions ?? "") : $"> {command}")}");
            }

            if (why)
                console.WriteLine($"      {Numbers(rung, Rung(rung))}");
        }
    }

    /// <summary>The rung to try now.</summary>
    public void Next(CaseRung rung)
    {
        var known = Rung(rung);
        var place = one.Rungs.ToList().IndexOf(rung) + 1;
        console.MarkupLineInterpolated($"[bold]Case {one.Number}[/], rung {place} of {one.Rungs.Count}: {rung.Id}");
        if (known is null)
        {
            console.WriteLine("  The profile no longer has this rung.");
            return;
        }

        console.WriteLine($"  {Percent(rung.Likely)} likely to help, about {rung.Minutes:0} min, {RungWords.Loss(known)}");
        if (rung.Evidence.Because is { } because)
        {
            var since = one.Rungs.Any(r => r.Done is not null) ? " (when the case was opened)" : "";
            console.WriteLine($"  {PathBytes.Shown(because)}{since}");
        }

        console.WriteLine($"  {PathBytes.Shown(known.Instructions ?? $"> {RungWords.Command(known, product)}")}");
    }

    /// <summary>What a product's own probe says, in a line.</summary>
    public static string OfProbe(ProductProbe probe, TrialReport came) => came switch
    {
        { Code: 0 } => $"Its probe {probe.Program} says that it works.",
        { Code: { } code } => $"Its probe {probe.Program} ended with exit code {code}"
            + (came.LastLines.Count > 0 ? $": {PathBytes.Shown(came.LastLines[^1])}" : "."),
        { Reason: { } reason } => $"Its probe {probe.Program} could not be started: {PathBytes.Shown(reason)}.",
        { Signal: { } signal } => $"Its probe {probe.Program} was killed by signal {signal}.",
        _ => $"Its probe {probe.Program} did not end within {probe.TimeLimit.TotalSeconds:0} s.",
    };

    /// <summary>What was said and done, first thing first.</summary>
    public void Events()
    {
        foreach (var one in one.Events)
            console.WriteLine($"  {one.At.ToLocalTime():yyyy-MM-dd HH:mm}  {PathBytes.Shown(one.What)}");
    }

    private Rung? Rung(CaseRung rung) => product.Profile.Ladder.FirstOrDefault(r => r.Id == rung.Id);

    private static string Numbers(CaseRung rung, Rung? known) => string.Create(
        CultureInfo.InvariantCulture,
        $"{Minutes(rung, known)}profile {Percent(rung.Chance.Prior)}, helped {rung.Chance.Fixed:0.#} of {rung.Chance.Tried:0.#} times, so "
        + $"{Percent(rung.Chance.Learnt)}; odds times {rung.Evidence.Factor:0.##}, so {Percent(rung.Likely)}; "
        + $"{rung.Likely / rung.Minutes * 100:0.0} % a minute");

    private static string Minutes(CaseRung rung, Rung? known) =>
        known is null || Math.Abs(rung.Minutes - known.Minutes - CaseLadder.TryingTheProduct) < 0.05 ? ""
        : string.Create(CultureInfo.InvariantCulture, $"{rung.Minutes - CaseLadder.TryingTheProduct:0.#} min by what was measured here, "
            + $"not {known.Minutes}; ");

    private static string Percent(double chance) => string.Create(CultureInfo.InvariantCulture, $"{chance * 100:0} %");
}
