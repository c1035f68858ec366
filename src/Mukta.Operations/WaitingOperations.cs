using System.Text.Json;
using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>An operation that waits for the machine to be restarted.</summary>
/// <param name="Operation">Its id.</param>
/// <param name="CommandLine">The command that goes on with it.</param>
/// <param name="Boot">The number of the start that has to be over (random(4), boot_id).</param>
public sealed record WaitingOperation(string Operation, string CommandLine, string Boot);

[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase)]
[JsonSerializable(typeof(WaitingOperation))]
internal sealed partial class WaitingJson : JsonSerializerContext;

/// <summary>
/// The operations that wait for a restart: a small file each in <c>mukta/waiting</c> below the user's folder for state, so
/// that every start of the program can look for them at no cost. What they have done stands in their own records.
/// </summary>
[OutsideReader]
public static class WaitingOperations
{
    private const string Place = "waiting", Suffix = ".json";
    private const long LongestNotice = 64 << 10;

    /// <summary>Those that can go on: the machine was restarted since, and they have not ended in any other way.</summary>
    /// <param name="home">The machine.</param>
    /// <param name="boot">The number of the present start.</param>
    public static IReadOnlyList<WaitingOperation> Ready(OperationHome home, Func<string> boot)
    {
        try
        {
            var waiting = StatePlace.Names(home.State, Place).Where(n => n.EndsWith(Suffix, StringComparison.Ordinal))
                .Order(StringComparer.Ordinal).Select(n => Read(home.State, n)).OfType<WaitingOperation>().ToList();
            return waiting.Count == 0 ? [] : [.. waiting.Where(w => w.Boot != boot() && CanGoOn(home, w.Operation))];
        }
        catch (MuktaException)
        {
            return [];
        }
    }

    /// <summary>Remembers one.</summary>
    public static void Put(OperationHome home, WaitingOperation waiting) => StatePlace.WriteFile(
        home.State, Path.Join(Place, waiting.Operation + Suffix),
        JsonSerializer.SerializeToUtf8Bytes(waiting, WaitingJson.Default.WaitingOperation));

    /// <summary>Forgets one that waits no more.</summary>
    public static void Forget(OperationHome home, string operation) =>
        StatePlace.RemoveFile(home.State, Path.Join(Place, operation + Suffix));

    private static bool CanGoOn(OperationHome home, string operation)
    {
        try
        {
            using var root = Folder.Open(home.Root);
            return OperationRecord.Read(root, $"{AreasOfOperation.MainOf(root, home)}/{operation}") is { IsEnded: false, IsUndone: false };
        }
        catch (MuktaException)
        {
            return false;
        }
    }

    private static WaitingOperation? Read(string stateFolder, string name)
    {
        try
        {
            var notice = JsonSerializer.Deserialize(
                StatePlace.ReadFile(stateFolder, Path.Join(Place, name), LongestNotice), WaitingJson.Default.WaitingOperation);
            return notice is { Operation: { } id, CommandLine: not null, Boot: not null } && OperationHeader.IsId(id) ? notice : null;
        }
        catch (Exception e) when (e is JsonException or MuktaException)
        {
            return null;
        }
    }
}
