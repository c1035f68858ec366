using Mukta.Manifests;

namespace Mukta.Cli;

/// <summary>What is read where a file is named <c>-</c>.</summary>
internal static class StandardInput
{
    /// <summary>What stands for standard input and output.</summary>
    public const string Word = "-";

    private static FileStream? copy;

    /// <summary>
    /// The path of a file that is named. For <c>-</c> standard input is copied to a file without a name, which is gone with this process.
    /// </summary>
    /// <exception cref="MuktaException">Standard input is a terminal, or too long.</exception>
    public static string FileOf(string named)
    {
        if (named != Word)
            return named;
        copy ??= Copy();
        return PathOf(copy);
    }

    /// <summary>A failure that says "standard input" where it lies there.</summary>
    public static MuktaException Named(MuktaException failure) => copy is null ? failure
        : new MuktaException(
            failure.Code, failure.What, failure.Where.Replace(PathOf(copy), "standard input", StringComparison.Ordinal), failure.Next,
            failure);

    private static string PathOf(FileStream file) => $"/proc/self/fd/{file.SafeFileHandle.DangerousGetHandle()}";

    /// <summary>Standard output holds the file or the document, not both.</summary>
    /// <exception cref="MuktaException">Both are wanted.</exception>
    public static void RefuseWithJson(Session session, string file, string option = "--out")
    {
        if (session.IsJson && file == Word)
        {
            throw new MuktaException(
                ExitCode.BadInput, "Standard output cannot hold the file and the JSON document.", $"{option} - --json",
                $"Leave out --json, or name a file with {option}.");
        }
    }

    private static FileStream Copy()
    {
        if (!Console.IsInputRedirected)
        {
            throw new MuktaException(
                ExitCode.BadInput, "A file named - is read from standard input, which is a terminal here.", Word,
                "Send the file to standard input, such as: mukta manifest show - < FILE");
        }

        var path = Path.Join(Path.GetTempPath(), $"mukta-{Guid.NewGuid():N}");
        var made = new FileStream(path, FileMode.CreateNew, FileAccess.ReadWrite, FileShare.ReadWrite);
        File.Delete(path);
        using var input = Console.OpenStandardInput();
        var buffer = new byte[1 << 16];
        while (input.Read(buffer) is var got and > 0)
        {
            made.Write(buffer, 0, got);
            if (made.Length > MetalinkNames.LongestFile)
                throw new MuktaException(
                    ExitCode.BadInput, $"Standard input is longer than {Units.Bytes(MetalinkNames.LongestFile)}.", Word,
                    "Is it the right file?");
        }

        made.Flush();
        return made;
    }
}
