using System.CommandLine;
using System.CommandLine.Completions;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.State;

namespace Mukta.Cli.Help;

/// <summary>The words that a shell can complete: ids of products and operations, components, cache names.</summary>
internal static class Completions
{
    public static Argument<T> WithProducts<T>(this Argument<T> argument)
    {
        argument.CompletionSources.Add(c => From(c, catalog => catalog.Profiles.Select(p => p.Profile.Product)));
        return argument;
    }

    public static Argument<T> WithCaches<T>(this Argument<T> argument)
    {
        argument.CompletionSources.Add(c => From(c, catalog => Named(c, catalog)
            .SelectMany(p => p.Profile.Caches.Select(cache => cache.Name)).Append("temporary")));
        return argument;
    }

    public static Option<T> WithComponents<T>(this Option<T> option)
    {
        option.CompletionSources.Add(c => From(c, catalog => Named(c, catalog).SelectMany(p => p.Profile.Components.Keys)));
        return option;
    }

    public static Argument<T> WithOperations<T>(this Argument<T> argument)
    {
        argument.CompletionSources.Add(c => From(c, catalog =>
        {
            var machine = Machine.Here(UserEnvironment.Get);
            var finder = new InstallFinder(machine.Folders);
            var installs = catalog.Profiles.SelectMany(
                p => finder.Find(p.Profile, (LazyManifest?)null, InstallRecords.PathsOf(machine, p.Profile.Product)).Select(f => f.Path));
            return new OperationCatalog(machine.Home, TimeProvider.System).All(installs, OperationIndex.PlacesOf(machine))
                .Select(o => o.Id).Distinct();
        }));
        return argument;
    }

    /// <summary>The profiles whose product is among the words that are typed.</summary>
    private static IEnumerable<LoadedProfile> Named(CompletionContext context, ProfileCatalog catalog)
    {
        var typed = context.ParseResult.Tokens.Select(t => t.Value).ToHashSet();
        return catalog.Profiles.Where(p => typed.Contains(p.Profile.Product));
    }

    private static IEnumerable<CompletionItem> From(CompletionContext context, Func<ProfileCatalog, IEnumerable<string>> words)
    {
        try
        {
            var given = context.ParseResult.CommandResult.Command.Options.OfType<Option<string?>>()
                .FirstOrDefault(o => o.Name == CommonOptions.ProfilesName);
            return [.. words(Session.ReadProfiles(given is null ? null : context.ParseResult.GetValue(given)))
                .Select(w => new CompletionItem(w))];
        }
        catch (MuktaException)
        {
            return []; // The command itself says what is wrong.
        }
    }
}
