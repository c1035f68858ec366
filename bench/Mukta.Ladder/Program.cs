using System.Globalization;
using Mukta.Ladder;

// Simulates technicians who work complaints down a ladder: in the profile's written order, in Mukta's, and one who knows the true chances.
//   bench/ladder            writes docs/ladder.svg, docs/ladder.png and the results in docs/ladder.md
//   bench/ladder --seeds N  so many invented worlds instead of 40; writes nothing
const int UsualSeeds = 40;
var seeds = args is ["--seeds", var given] ? int.Parse(given, CultureInfo.InvariantCulture) : UsualSeeds;
Comparison[] comparisons =
[
    new("the whole ladder applies to every code", 1), new("a code lists what can help and half of the rest", 0.5),
    new("a code lists only what can help", 0),
];
Array.ForEach(comparisons, c => c.Run(seeds));
var results = string.Join("\n\n", comparisons.Select(c => c.Text));
Console.WriteLine(results);
if (seeds == UsualSeeds)
    Report.Write(results, comparisons[0]);
