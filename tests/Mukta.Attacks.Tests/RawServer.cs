using System.Net;
using System.Net.Sockets;

namespace Mukta.Attacks.Tests;

/// <summary>A server that answers every request with the same bytes, whatever they are.</summary>
internal sealed class RawServer : IDisposable
{
    private readonly TcpListener listener = new(IPAddress.Loopback, 0);

    public RawServer(byte[] answer)
    {
        listener.Start();
        _ = ServeAsync(answer);
    }

    public string Url => $"http://127.0.0.1:{((IPEndPoint)listener.LocalEndpoint).Port}";

    public void Dispose() => listener.Dispose();

    private async Task ServeAsync(byte[] answer)
    {
        try
        {
            while (true)
            {
                using var client = await listener.AcceptTcpClientAsync();
                var stream = client.GetStream();
                var request = new byte[8192];
                if (await stream.ReadAsync(request) > 0)
                    await stream.WriteAsync(answer);
            }
        }
        catch (Exception e) when (e is SocketException or ObjectDisposedException or IOException)
        {
            // The end.
        }
    }
}
