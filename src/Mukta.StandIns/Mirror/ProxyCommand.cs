using System.CommandLine;
using System.Globalization;
using System.IO.Compression;
using System.Net;
using System.Net.Sockets;
using System.Text;

namespace Mukta.StandIns;

/// <summary>
/// <c>mukta-standins proxy</c>: stands between a client and a mirror, and spoils the mirror's answers in ways in which no server that keeps
/// to the standard can: it writes the bytes of the connection itself.
/// </summary>
internal static class ProxyCommand
{
    private const int LongestHead = 64 << 10, LongestAnswer = 64 << 20;

    private static readonly string[] Faults =
        ["rate", "two-lengths", "endless-chunks", "endless-headers", "control-characters", "compressed", "unfolding", "junk"];

    public static Command Build()
    {
        var mirror = new Argument<Uri>("URL")
        {
            Description = "The mirror.",
            CustomParser = result =>
            {
                if (Uri.TryCreate(result.Tokens[0].Value, UriKind.Absolute, out var url) && url.Scheme == Uri.UriSchemeHttp)
                    return url;
                result.AddError($"\"{result.Tokens[0].Value}\" is no URL that begins with http://.");
                return null!;
            },
        };
        var fault = new Option<string>("--fault") { Description = "What is wrong, see docs/stand-ins.md.", Required = true };
        fault.AcceptOnlyFromAmong(Faults);
        var rate = new Option<int>("--rate")
        {
            Description = "With --fault rate: bytes a second.",
            HelpName = "N",
            DefaultValueFactory = _ => 1,
            CustomParser = result =>
            {
                if (int.TryParse(result.Tokens[0].Value, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number > 0)
                    return number;
                result.AddError("--rate is a whole number of 1 or more.");
                return 1;
            },
        };
        var method = new Option<string>("--method")
        {
            Description = "Which requests are hit: GET, HEAD or both.",
            DefaultValueFactory = _ => "GET",
        };
        method.AcceptOnlyFromAmong("GET", "HEAD", "both");
        var port = new Option<int>("--port") { Description = "The port on 127.0.0.1; 0 for any that is free.", HelpName = "N" };
        var command = new Command("proxy", "Stand between a client and a mirror, and spoil what the mirror answers.")
        {
            mirror, fault, rate, method, port,
        };
        command.SetAction((parsed, cancel) => new Proxy(
            parsed.GetRequiredValue(mirror), parsed.GetRequiredValue(fault), parsed.GetValue(rate), parsed.GetRequiredValue(method))
            .RunAsync(parsed.GetValue(port), cancel));
        return command;
    }

    private sealed class Proxy(Uri mirror, string fault, int rate, string method)
    {
        public async Task<int> RunAsync(int port, CancellationToken cancel)
        {
            using var listener = new TcpListener(IPAddress.Loopback, port);
            listener.Start();
            Console.WriteLine($"http://127.0.0.1:{((IPEndPoint)listener.LocalEndpoint).Port}");
            while (!cancel.IsCancellationRequested)
            {
                var client = await listener.AcceptTcpClientAsync(cancel).ConfigureAwait(false);
                _ = ServeAsync(client, cancel);
            }

            return 0;
        }

        private async Task ServeAsync(TcpClient client, CancellationToken cancel)
        {
            try
            {
                using (client)
                {
                    var stream = client.GetStream();
                    var request = await HeadAsync(stream, cancel).ConfigureAwait(false);
                    var answer = await ForwardAsync(request, cancel).ConfigureAwait(false);
                    var isHit = method == "both" || request.StartsWith(method + " ", StringComparison.Ordinal);
                    if (isHit)
                        await SpoilAsync(stream, answer, cancel).ConfigureAwait(false);
                    else
                        await stream.WriteAsync(answer, cancel).ConfigureAwait(false);
                }
            }
            catch (Exception e) when (e is IOException or SocketException or OperationCanceledException or InvalidDataException)
            {
                // The client has had enough.
            }
        }

        /// <summary>The lines of a request, up to the empty one.</summary>
        private static async Task<string> HeadAsync(NetworkStream stream, CancellationToken cancel)
        {
            var bytes = new byte[LongestHead];
            for (var length = 0; length < bytes.Length;)
            {
                var got = await stream.ReadAsync(bytes.AsMemory(length), cancel).ConfigureAwait(false);
                if (got == 0)
                    break;
                length += got;
                if (bytes.AsSpan(0, length).EndsWith("\r\n\r\n"u8))
                    return Encoding.Latin1.GetString(bytes, 0, length);
            }

            throw new InvalidDataException("This is no request.");
        }

        /// <summary>Asks the mirror the same, and answers all that it says.</summary>
        private async Task<byte[]> ForwardAsync(string request, CancellationToken cancel)
        {
            using var connection = new TcpClient();
            await connection.ConnectAsync(mirror.Host, mirror.Port, cancel).ConfigureAwait(false);
            var stream = connection.GetStream();
            var lines = request.Split("\r\n").Where(l => !l.StartsWith("Connection:", StringComparison.OrdinalIgnoreCase)
                && !l.StartsWith("Host:", StringComparison.OrdinalIgnoreCase) && l.Length > 0);
            var head = string.Join("\r\n", [.. lines, $"Host: {mirror.Authority}", "Connection: close", "", ""]);
            await stream.WriteAsync(Encoding.Latin1.GetBytes(head), cancel).ConfigureAwait(false);
            using var answer = new MemoryStream();
            var buffer = new byte[1 << 16];
            while (answer.Length < LongestAnswer && await stream.ReadAsync(buffer, cancel).ConfigureAwait(false) is > 0 and var got)
                answer.Write(buffer, 0, got);
            return answer.ToArray();
        }

        private async Task SpoilAsync(NetworkStream stream, byte[] answer, CancellationToken cancel)
        {
            var end = answer.AsSpan().IndexOf("\r\n\r\n"u8) + 4;
            var (head, body) = (Encoding.Latin1.GetString(answer, 0, end - 2), answer.AsMemory(end));
            ValueTask SendAsync(string text) => stream.WriteAsync(Encoding.Latin1.GetBytes(text), cancel);
            switch (fault)
            {
                case "rate":
                    var slice = Math.Max(1, rate / 10);
                    for (var at = 0; at < answer.Length; at += slice)
                    {
                        await stream.WriteAsync(answer.AsMemory(at, Math.Min(slice, answer.Length - at)), cancel).ConfigureAwait(false);
                        await Task.Delay(TimeSpan.FromSeconds((double)slice / rate), cancel).ConfigureAwait(false);
                    }

                    break;
                case "two-lengths":
                    await SendAsync($"{head}Content-Length: {body.Length + 7}\r\n\r\n").ConfigureAwait(false);
                    await stream.WriteAsync(body, cancel).ConfigureAwait(false);
                    break;
                case "endless-chunks":
                    await SendAsync(WithoutLength(head) + "Transfer-Encoding: chunked\r\n\r\n").ConfigureAwait(false);
                    while (true)
                        await SendAsync("1000\r\n" + new string('x', 0x1000) + "\r\n").ConfigureAwait(false);
                case "endless-headers":
                    await SendAsync(head).ConfigureAwait(false);
                    while (true)
                        await SendAsync($"X-More: {new string('y', 1000)}\r\n").ConfigureAwait(false);
                case "control-characters":
                    await SendAsync(
                        "HTTP/1.1 302 \u001b[2JFound\r\nLocation: http://127.0.0.1:1/\u001b[2J\u009b31m\r\nETag: \"\u001b]0;x\u0007\"\r\n"
                        + "Content-Length: 0\r\n\r\n").ConfigureAwait(false);
                    break;
                case "compressed" or "unfolding":
                    var packed = Packed(fault == "unfolding" ? new byte[LongestAnswer] : body.ToArray());
                    await SendAsync(
                        string.Create(
                        CultureInfo.InvariantCulture,
                        $"{WithoutLength(head)}Content-Encoding: gzip\r\nContent-Length: {packed.Length}\r\n\r\n")).ConfigureAwait(false);
                    await stream.WriteAsync(packed, cancel).ConfigureAwait(false);
                    break;
                default:
                    await SendAsync("\0\u0001\u0002 no answer of any kind \r\n\r\n").ConfigureAwait(false);
                    break;
            }
        }

        private static string WithoutLength(string head) => string.Concat(
            head.Split("\r\n").Where(l => l.Length > 0 && !l.StartsWith("Content-Length:", StringComparison.OrdinalIgnoreCase))
            .Select(l => l + "\r\n"));

        private static byte[] Packed(byte[] bytes)
        {
            using var packed = new MemoryStream();
            using (var gzip = new GZipStream(packed, CompressionLevel.Fastest))
                gzip.Write(bytes);
            return packed.ToArray();
        }
    }
}
