using System.Formats.Tar;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Mukta.Cases;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Host;

namespace Mukta.Cli;

/// <summary>A report for the vendor's support: the page, the same as JSON, and logs, without what says whose machine it is from.</summary>
/// <param name="report">The report.</param>
/// <param name="logs">The ends of logs.</param>
/// <param name="redaction">Takes names and addresses out.</param>
internal sealed class VendorPackage(ReportDocument report, IReadOnlyList<LogTail> logs, Redaction redaction)
{
    private const UnixFileMode Mode = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.GroupRead | UnixFileMode.OtherRead;

    /// <summary>What names a machine and its users.</summary>
    public static Redaction RedactionOf(Machine machine)
    {
        var home = machine.Folders.Home;
        string?[] users =
        [
            Environment.UserName, Environment.GetEnvironmentVariable("SUDO_USER"), Environment.GetEnvironmentVariable("LOGNAME"),
            Path.GetDirectoryName(home) == "/home" ? Path.GetFileName(home) : null,
        ];
        return new Redaction(
            [.. new[] { home, Disk.Folder.RealPathOf(home), Environment.GetEnvironmentVariable("HOME") }.OfType<string>().Distinct()],
            [.. users.OfType<string>().Distinct()], [Environment.MachineName]);
    }

    /// <summary>The names and contents of its files.</summary>
    public IReadOnlyList<(string Name, byte[] Content)> Files()
    {
        var node = Redacted(JsonSerializer.SerializeToNode(report, Documents.Readable.ReportDocument))!;
        var clean = node.Deserialize(Documents.Readable.ReportDocument)!;
        var files = new List<(string, byte[])>
        {
            ("report.html", Encoding.UTF8.GetBytes(ReportPage.Of(clean))),
            ("report.json", Encoding.UTF8.GetBytes(node.ToJsonString(Documents.Readable.Options) + "\n")),
            ("versions.txt", Encoding.UTF8.GetBytes(Versions(clean))),
        };
        for (var i = 0; i < logs.Count; i++)
        {
            var name = $"logs/{i + 1}-{Named(redaction.Of(Path.GetFileName(logs[i].Path)))}";
            files.Add((name, Encoding.UTF8.GetBytes(redaction.Of(logs[i].Text))));
        }

        return files;
    }

    /// <summary>A tar of files, which belong to nobody.</summary>
    public static byte[] Tar(IEnumerable<(string Name, byte[] Content)> files, DateTimeOffset time)
    {
        using var stream = new MemoryStream();
        using (var tar = new TarWriter(stream, TarEntryFormat.Ustar, leaveOpen: true))
        {
            foreach (var (name, content) in files)
            {
                tar.WriteEntry(new UstarTarEntry(TarEntryType.RegularFile, $"report/{name}")
                {
                    DataStream = new MemoryStream(content),
                    Mode = Mode,
                    ModificationTime = time,
                });
            }
        }

        return stream.ToArray();
    }

    private static string Versions(ReportDocument report) => string.Concat(
        new[] { $"mukta {report.Mukta}", report.Machine.System, $"kernel {report.Machine.Kernel} {report.Machine.Architecture}" }
            .Concat(report.Seen?.Products.Select(p => $"{p.Product} {p.Release ?? "release not known"}") ?? []).Select(l => l + "\n"));

    private static string Named(string name) =>
        string.Concat(name.Select(c => char.IsAsciiLetterOrDigit(c) || c is '.' or '-' or '_' ? c : '_')) is { Length: <= 60 } plain
        ? plain : "log";

    private JsonNode? Redacted(JsonNode? node)
    {
        switch (node)
        {
            case JsonObject map:
                foreach (var (name, value) in map.ToList())
                {
                    if (Redacted(value) is var clean && clean != value)
                        map[name] = clean;
                }

                return map;
            case JsonArray list:
                for (var i = 0; i < list.Count; i++)
                {
                    if (Redacted(list[i]) is var clean && clean != list[i])
                        list[i] = clean;
                }

                return list;
            case JsonValue value when value.GetValueKind() == JsonValueKind.String:
                var text = value.GetValue<string>();
                var shown = redaction.Of(text);
                return shown == text ? value : JsonValue.Create(shown);
            default:
                return node;
        }
    }
}
