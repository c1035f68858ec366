using System.CommandLine;
using System.Text;

namespace Mukta.StandIns;

/// <summary><c>mukta-standins scenario</c>: the made-up releases on their mirror, and a healthy install of each.</summary>
internal static class ScenarioCommand
{
    private const string ProfilesOutage = "http://127.0.0.1:8142"; // As it stands in demo/profiles.
    private const UnixFileMode Usual = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.GroupRead | UnixFileMode.OtherRead;
    private const UnixFileMode Program = Usual | UnixFileMode.UserExecute | UnixFileMode.GroupExecute | UnixFileMode.OtherExecute;

    public static Command Build()
    {
        var folder = new Argument<DirectoryInfo>("DIR") { Description = "The folder to fill." };
        var seed = new Option<int>("--seed") { Description = "Another seed gives other bytes.", DefaultValueFactory = _ => 2026 };
        var outage = new Option<string>("--outage")
        {
            Description = "Where the vendor's outage page answers.",
            DefaultValueFactory = _ => ProfilesOutage,
            HelpName = "URL",
        };
        var command = new Command(
            "scenario",
            "Make the demo's made-up products: mirror/PRODUCT/RELEASE, an install of each, what lies around it, and their profiles.")
        {
            folder,
            seed,
            outage,
        };
        command.SetAction(parsed => Make(parsed.GetRequiredValue(folder).FullName, parsed.GetValue(seed), parsed.GetRequiredValue(outage)));
        return command;
    }

    private static void Make(string root, int seed, string outage)
    {
        var assembly = typeof(ScenarioCommand).Assembly;
        foreach (var profile in assembly.GetManifestResourceNames())
        {
            using var resource = assembly.GetManifestResourceStream(profile)!;
            var content = new byte[resource.Length];
            resource.ReadExactly(content);
            Put(Path.Join(root, profile),
                Encoding.UTF8.GetBytes(Encoding.UTF8.GetString(content).Replace(ProfilesOutage, outage, StringComparison.Ordinal)),
                isProgram: false);
        }

        Surroundings.Make(root, outage);
        ServiceControlCommand.Place(
            root, Environment.ProcessPath!,
            new Dictionary<string, MadeService> { ["tidewarden.service"] = VendorSetupCommand.Service(root) });
        foreach (var product in Products.All)
        {
            foreach (var file in product.Files)
            {
                var content = file.Path == VendorSetupCommand.Program ? Encoding.UTF8.GetBytes(VendorSetupCommand.Script(root))
                    : file.Path == SelfTest.Program ? Encoding.UTF8.GetBytes(SelfTest.Script(product, seed))
                    : Products.Content(product, file, seed);
                Put(Path.Join(root, "mirror", product.Id, product.Release, file.Path), content, file.IsProgram);
                Put(Path.Join(root, product.Install, file.Path), content, file.IsProgram);
            }
        }
    }

    internal static void Put(string path, byte[] content, bool isProgram)
    {
        Directory.CreateDirectory(Path.GetDirectoryName(path)!);
        File.WriteAllBytes(path, content);
        File.SetUnixFileMode(path, isProgram ? Program : Usual);
    }
}
