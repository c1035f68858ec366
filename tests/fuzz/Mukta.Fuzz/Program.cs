using Mukta.Fuzz;
using SharpFuzz;

// mukta-fuzz READER         under afl-fuzz: each input to one reader, until it ends
// mukta-fuzz READER FILE    one input, to see what it does
// mukta-fuzz                the readers
// mukta-fuzz --seeds DIR    writes the inputs to begin with, a folder for each reader
if (args.Length == 0)
{
    foreach (var name in Readers.All.Keys.Order(StringComparer.Ordinal))
        Console.WriteLine(name);
    return 0;
}

if (args[0] == "--seeds")
{
    foreach (var (name, seeds) in Seeds.All)
    {
        for (var i = 0; i < seeds.Count; i++)
            File.WriteAllBytes(Path.Join(Directory.CreateDirectory(Path.Join(args[1], name)).FullName, $"seed-{i + 1}"), seeds[i]);
    }

    return 0;
}

using var scratch = new InputFolder();
var reader = new Bounded(Readers.All[args[0]], scratch);
if (args.Length > 1)
    reader.Read(File.ReadAllBytes(args[1]));
else
{
    Fuzzer.Run(stream =>
    {
        using var all = new MemoryStream();
        stream.CopyTo(all);
        reader.Read(all.ToArray());
    });
}

return 0;
