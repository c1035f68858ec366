using System.Text;
using Mukta.Core.Tests.Host.Runtime;
using Mukta.Operations;
using Mukta.StandIns;

namespace Mukta.Fuzz;

/// <summary>Inputs to begin with: for each reader what it is meant for, and some of its odder sides.</summary>
internal static class Seeds
{
    private const string Sum = "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";

    public static IReadOnlyDictionary<string, IReadOnlyList<byte[]>> All { get; } = new Dictionary<string, IReadOnlyList<byte[]>>
    {
        ["metalink"] = Texts(
            $"""
            <metalink xmlns="urn:ietf:params:xml:ns:metalink" xmlns:m="urn:mukta:manifest:1"><m:product>p</m:product><m:release>1</m:release><m:sequence>7</m:sequence>
            <m:expires>2030-01-31T00:00:00Z</m:expires><m:base priority="1" location="de">https://a.example/b</m:base><m:link name="l" target="a" component="c"/>
            <file name="a/b"><size>3</size><hash type="sha-256">{Sum}</hash><pieces length="2" type="sha-1"><hash>da39a3ee5e6b4b0d3255bfef95601890afd80709</hash>
            <hash>da39a3ee5e6b4b0d3255bfef95601890afd80709</hash></pieces><url priority="2">http://a.example/</url><os>Linux</os><m:mode>0644</m:mode></file></metalink>
            """,
            $"""
            <metalink version="3.0" xmlns="http://www.metalinker.org/"><files><file name="a"><size>3</size><verification><hash type="sha256">{Sum}</hash>
            <pieces type="sha1" length="2"><hash piece="0">da39a3ee5e6b4b0d3255bfef95601890afd80709</hash><hash piece="1">da39a3ee5e6b4b0d3255bfef95601890afd80709</hash></pieces>
            </verification><resources><url type="http" preference="90">http://a.example/</url></resources></file></files></metalink>
            """),
        ["checksum-list"] = Texts($"{Sum}  a\n{Sum} *./b c\n\\{Sum}  d\\\\e\n", $"# list\r\nSHA256 (a (b)) = {Sum}\r\nMD5 (c) = d41d8cd98f00b204e9800998ecf8427e\n"),
        ["index"] = Texts("""{"format":"mukta.releases/1","product":"p","expires":"2030-01-31T00:00:00Z","releases":[{"release":"1","sequence":7,"channel":"b","manifest":"a"},{"release":"2","sequence":8}]}"""),
        ["bag"] = Texts($"{Sum}  data/a%25b\n---\n{Sum}  bagit.txt\n---\nhttp://a.example/a 7 data/a%25b\n", $"{Sum} data/a\n---\n---\nhttp://a.example/a - data/a\n"),
        ["profile"] = Texts(
            """
            format: mukta.profile/1
            product: pier
            title: Pier
            kind: game
            needs: [tide]
            installs: {places: ["${home}/games/pier", /opt/pier], marker: bin/pier, layout: folder-per-release}
            manifest: {index: "https://a.example/i.json", channel: beta, fresh-for: 2h, trust: [root.pem], url: "https://a.example/${release}.meta4"}
            components: {maps: [maps/**]}
            processes: [pier]
            services: [{unit: pier.service, startup: static, after: [pier.service]}]
            caches: [{name: pages, places: ["${cache}/pier"], holds: x, clearing: by-name}]
            user-data: ["${home}/saves"]
            shortcuts: [{places: ["${data}/applications/pier.desktop"], program: bin/pier, arguments: ["${install}"], environment: {A: b}}]
            runtime: {libraries: [libc.so.6], glibc: "2.31", space: {install: 2GiB}}
            setup: {program: setup.sh, actions: {install: {arguments: [a], success: [0], restart: [7]}}}
            outage: {url: "https://a.example/"}
            logs: ["${home}/*.log"]
            probe: {program: bin/probe, arguments: ["${install}"], seconds: 9}
            codes: [{code: P-1, means: x, symptoms: ["*y*"], logs: ["*z*"], rungs: {stop: 20, look: 5}}]
            ladder: [{rung: stop, remedy: stop, minutes: 2}, {rung: look, operator: Look., after: [stop], gone: [space-short], restart: yes, loses: settings}]
            """),
        ["settings"] = Texts("format: mukta.settings/1\nprofiles: [~/p]\nmirrors: {pier: [\"https://a.example/\"]}\nmax-rate: 2MiB\nproxy: http://b.example:3128\nalso: [~/a]\nkeep-days: 30\n"),
        ["elf"] = [new MadeElf { Needs = ["libwind.so", "libc.so.6"], RunPath = "$ORIGIN/../lib", SoName = "libpier.so" }.Head()],
        ["pe"] = [MadePe.Head(0x8664, "wind.dll", "tide.dll"), MadePe.Head(0x14c, "a.dll")],
        ["desktop-entry"] = Texts("[Desktop Entry]\nType=Application\nName=Pier\\s\nName[de]=Steg\nExec=env A=b \"/games/p\\\\$ier\" %U\nPath=/games\nHidden=true\n[Other]\nx=y\n"),
        ["status-page"] = Texts("""{"status":"warn","description":"\u00e9","checks":{"mail":[{"status":"pass","output":"late","time":"2026-01-01T00:00:00Z"},{"status":"fail"}]}}"""),
        ["journal"] = [Journal()],
        ["http"] = Texts(
            "HTTP/1.1 206 Partial Content\r\nContent-Range: bytes 100-199/300\r\nContent-Length: 100\r\nETag: \"a\"\r\n\r\n" + new string('x', 100),
            "HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\nLast-Modified: Thu, 01 Jan 2026 00:00:00 GMT\r\n\r\n12c\r\n" + new string('x', 300) + "\r\n0\r\n\r\n",
            "HTTP/1.1 503 No\r\nRetry-After: 1\r\nContent-Length: 0\r\n\r\n", "HTTP/1.1 302 Found\r\nLocation: /b\r\nContent-Length: 0\r\n\r\n"),
        ["signature"] = [Signature()],
        ["findings"] = Texts("""{"format":"mukta.verify/1","release":{"product":"p","version":"1","sequence":7},"findings":[{"path":"a","state":"damaged","kind":"file","pieces":{"total":8,"length":4096,"bad":[{"first":1,"last":2}]}},{"path":"b","state":"missing","kind":"file"}]}"""),
        ["outcomes"] = Texts(
            """{"format":"mukta.outcome/1","id":"0123456789abcdef0123456789abcdef","day":"2026-01-02","product":"p","code":"c","rung":"r","act":"repair","result":"fixed","minutes":2.5}"""
            + "\n"),
        ["redaction"] = Texts(
            "anna@gull.harbour.example from 10.1.2.3 [fe80::1%eth0] 00:1a:2b:3c:4d:5e in /home/anna/x, file:///home/otto/y\n"
            + "token=abc Authorization: Bearer x1 https://a:b@c.example/d?e=f Zm9vYmFyMTIzNDU2Nzg5MGFiY2RlZg== 2001:db8:0:0:0:0:0:1\n"),
        ["bundle"] = Texts("""{"format":"mukta.bundle/1","isComplete":true,"releases":[{"product":"p","manifest":"manifests/p.meta4","isSigned":true,"for":["a"],"files":1,"bytes":3}]}""" + $"---\n{new string('0', 64)} 3\n---\nabc"),
    };

    private static byte[][] Texts(params string[] texts) => [.. texts.Select(Encoding.UTF8.GetBytes)];

    private static byte[] Journal()
    {
        var header = new OperationHeader(
            OperationHeader.CurrentFormat, "20260101T000000Z-abcdef", "repair", "pier", null, DateTimeOffset.UnixEpoch)
        {
            Sequence = 1,
        };
        var (first, sum) = OperationRecord.Summed(OperationRecord.Line(header), 0);
        var (second, _) = OperationRecord.Summed(
            OperationRecord.Line([new SetAside("a"), new ModeSet("b", "0644", "0755"), new Renamed("c", "d"), new Ended()]), sum);
        return [.. first, .. second];
    }

    private static byte[] Signature()
    {
        using var key = System.Security.Cryptography.ECDsa.Create(System.Security.Cryptography.ECCurve.NamedCurves.nistP256);
        using var certificate = new System.Security.Cryptography.X509Certificates.CertificateRequest(
            "CN=x", key, System.Security.Cryptography.HashAlgorithmName.SHA256).CreateSelfSigned(DateTimeOffset.UnixEpoch, DateTimeOffset.MaxValue);
        return Manifests.Signatures.ManifestSignature.Make("x"u8.ToArray(), certificate, [], DateTimeOffset.UnixEpoch);
    }
}
