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
public static class WaitingOperations
{
    /// <summary>Those that can go on: the machine was restarted since.</summary>
    /// <param name="stateFolder">The user's folder for state (XDG Base Directory specification).</param>
    /// <param name="boot">The number of the present start.</param>
    public static IReadOnlyList<WaitingOperation> Ready(string stateFolder, Func<string> boot)
    {
        try
        {
            var folder = FolderIn(stateFolder);
            if (!Directory.Exists(folder))
                return [];
            var waiting = Directory.EnumerateFiles(folder, "*.json").Order(StringComparer.Ordinal).Select(Read)
                .OfType<WaitingOperation>().ToList();
            return waiting.Count == 0 ? [] : [.. waiting.Where(w => w.Boot != boot())];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }

    /// <summary>Remembers one.</summary>
    public static void Put(OperationHome home, WaitingOperation waiting)
    {
        var folder = StatePlace.Ensure(home.State, "waiting");
        File.WriteAllText(
            Path.Join(folder, waiting.Operation + ".json"), JsonSerializer.Serialize(waiting, WaitingJson.Default.WaitingOperation));
        StatePlace.ChangeOwner(folder);
    }

    /// <summary>Forgets one that waits no more.</summary>
    public static void Forget(OperationHome home, string operation)
    {
        if (Path.Join(FolderIn(home.State), operation + ".json") is var file && File.Exists(file))
            File.Delete(file);
    }

    private const long LongestNotice = 64 << 10;

    private static string FolderIn(string stateFolder) => Path.Join(stateFolder, "mukta", "waiting");

    private static WaitingOperation? Read(string file)
    {
        try
        {
            using var notice = InputFile.Open(file);
            return notice.Length > LongestNotice ? null : JsonSerializer.Deserialize(notice, WaitingJson.Default.WaitingOperation);
        }
        catch (Exception e) when (e is JsonException or IOException or DiskException)
        {
            return null;
        }
    }
}
