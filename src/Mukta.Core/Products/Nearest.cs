namespace Mukta.Products;

/// <summary>Finds what somebody may have meant.</summary>
public static class Nearest
{
    /// <summary>", did you mean x?" for the nearest known word, or nothing.</summary>
    public static string Hint(string word, IEnumerable<string> known)
    {
        var nearest = known.Select(k => (Word: k, Distance: Distance(word, k))).OrderBy(k => k.Distance).FirstOrDefault();
        return nearest.Word is not null && nearest.Distance <= Math.Max(1, word.Length / 2) ? $"; did you mean \"{nearest.Word}\"?" : "";
    }

    /// <summary>The hint if there is one, else the full stop.</summary>
    /// <param name="word">What was written.</param>
    /// <param name="known">What could have been meant.</param>
    public static string HintOrEnd(string word, IEnumerable<string> known) => Hint(word, known) is { Length: > 0 } hint ? hint : ".";

    /// <summary>How many letters have to be put in, taken out or changed (Levenshtein's distance).</summary>
    private static int Distance(string a, string b)
    {
        if (a.Length > 64)
            return int.MaxValue;
        var row = Enumerable.Range(0, b.Length + 1).ToArray();
        for (var i = 1; i <= a.Length; i++)
        {
            var diagonal = row[0];
            row[0] = i;
            for (var j = 1; j <= b.Length; j++)
            {
                var cost = Math.Min(Math.Min(row[j], row[j - 1]) + 1, diagonal + (a[i - 1] == b[j - 1] ? 0 : 1));
                (diagonal, row[j]) = (row[j], cost);
            }
        }

        return row[^1];
    }
}
