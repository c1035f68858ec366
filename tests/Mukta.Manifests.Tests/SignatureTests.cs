using System.Security.Cryptography.Pkcs;
using System.Security.Cryptography.X509Certificates;
using System.Text;
using Mukta.Manifests.Signatures;
using Mukta.Tests;

namespace Mukta.Manifests.Tests;

/// <summary>Who may have signed a manifest, and what else is refused.</summary>
public sealed class SignatureTests : IDisposable
{
    private static readonly byte[] Content = Encoding.UTF8.GetBytes("<metalink><file name=\"harbour.pak\"/></metalink>\n");
    private static readonly byte[] Index = Encoding.UTF8.GetBytes(
        """{"format":"mukta.releases/1","product":"gannet-post","releases":[{"release":"1.4.2","sequence":41,"manifest":"a.meta4"}]}""");

    private static readonly DateTimeOffset Now = DateTimeOffset.UtcNow;

    private const int Some = 7;

    private readonly Scratch scratch = new();

    [Theory]
    [InlineData(true, "manifest")]
    [InlineData(false, "manifest")]
    [InlineData(true, "index")]
    [InlineData(false, "index")]
    public void One_flipped_bit_anywhere_is_refused(bool isRsa, string what)
    {
        var content = what == "manifest" ? Content : Index;
        var made = new Certificates(isRsa);
        var signature = ManifestSignature.Make(content, made.Publisher, [made.Middle], Now);
        var trust = Trust(made.Root);
        ManifestSignature.Check(content, signature, trust, "x", Now).Name.ShouldBe("Gannet Post");
        Sample.Printed();
        foreach (var at in Sample.OneOf(Some, Enumerable.Range(0, content.Length), Sample.IsAll))
            Refused(Flipped(content, at), signature, trust);
        foreach (var at in Sample.OneOf(Some, Enumerable.Range(0, signature.Length), Sample.IsAll))
            Refused(content, Flipped(signature, at), trust);
        foreach (var length in Sample.OneOf(Some, Enumerable.Range(0, signature.Length), Sample.IsAll))
            Refused(content, signature[..length], trust);
        Refused(content, [.. signature, 0], trust);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void Any_certificate_of_the_chain_can_be_the_one_that_is_trusted_and_no_other(bool isRsa)
    {
        var (made, signature) = Signed(isRsa);
        foreach (var anchor in new[] { made.Root, made.Middle, made.Publisher })
            ManifestSignature.Check(Content, signature, Trust(anchor), "x", Now).Name.ShouldBe("Gannet Post");
        var other = new Certificates(isRsa);
        foreach (var anchor in new[] { other.Root, other.Middle, other.Publisher })
            Refused(Content, signature, Trust(anchor)); // It has the same name.
        Refused(Content, signature, Trust(Certificates.Make(isRsa, "Tidewarden", null, true, null, -1, 1)))
            .ShouldContain("does not lead to a certificate that is trusted");
        Refused(Content, ManifestSignature.Make(Content, made.Publisher, [], Now), Trust(made.Root))
            .ShouldContain("does not lead to a certificate that is trusted");
    }

    [Fact]
    public void A_signature_that_brings_its_own_content_is_refused()
    {
        var made = new Certificates(isRsa: false);
        var cms = new SignedCms(new ContentInfo("other bytes"u8.ToArray()), detached: false);
        cms.ComputeSignature(new CmsSigner(made.Publisher));
        Refused(Content, cms.Encode(), Trust(made.Publisher)).ShouldContain("content of its own");
    }

    [Fact]
    public void One_good_signer_is_enough_and_what_nobody_needs_is_refused()
    {
        var (made, stranger) = (new Certificates(isRsa: false), new Certificates(isRsa: true));
        var cms = new SignedCms(new ContentInfo(Content), detached: true);
        foreach (var signer in new[] { stranger.Publisher, made.Publisher })
            cms.ComputeSignature(new CmsSigner(signer) { IncludeOption = X509IncludeOption.EndCertOnly });
        ManifestSignature.Check(Content, cms.Encode(), Trust(made.Publisher), "x", Now).Name.ShouldBe("Gannet Post");
        Refused(Content, cms.Encode(), Trust(new Certificates(isRsa: false).Root));
        Refused(Content, ManifestSignature.Make(Content, made.Publisher, [stranger.Root], Now), Trust(made.Publisher))
            .ShouldContain("nothing to do with its signers");
    }

    [Fact]
    public void The_time_of_signing_counts_and_may_not_be_yet_to_come()
    {
        var old = new Certificates(isRsa: false, fromDay: -30, toDay: -20);
        var trust = Trust(old.Root);
        ManifestSignature.Check(Content, Of(old, Now.AddDays(-25)), trust, "x", Now).At!.Value.ShouldBe(Now.AddDays(-25), TimeSpan.FromSeconds(1));
        Refused(Content, Of(old, Now.AddDays(-5)), trust).ShouldContain("was not valid on");
        var coming = new Certificates(isRsa: false, toDay: 60);
        Refused(Content, Of(coming, Now.AddDays(3)), Trust(coming.Root)).ShouldContain("is this machine's clock right?");

        static byte[] Of(Certificates made, DateTimeOffset at) => ManifestSignature.Make(Content, made.Publisher, [made.Middle], at);
    }

    [Theory]
    [InlineData(Certificates.CodeSigning, null)]
    [InlineData("1.3.6.1.5.5.7.3.36", null)]
    [InlineData("2.5.29.37.0", null)]
    [InlineData(null, null)]
    [InlineData(Certificates.WebServer, "is for signing neither code nor documents")]
    public void A_certificate_for_something_else_cannot_sign(string? purpose, string? fault)
    {
        var made = new Certificates(isRsa: false, purpose);
        var signature = ManifestSignature.Make(Content, made.Publisher, [made.Middle], Now);
        if (fault is null)
            ManifestSignature.Check(Content, signature, Trust(made.Root), "x", Now);
        else
            Refused(Content, signature, Trust(made.Root)).ShouldContain(fault);
        var authority = ManifestSignature.Make(Content, made.Root, [], Now);
        Refused(Content, authority, Trust(made.Root)).ShouldContain("is not for signatures");
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void A_certificate_on_a_list_beside_the_trusted_one_is_revoked(bool isPem)
    {
        var (made, signature) = Signed(isRsa: false);
        var list = Certificates.Revoking(made.Publisher, made.Middle);
        if (isPem)
            scratch.Write("ca.crl", System.Security.Cryptography.PemEncoding.WriteString("X509 CRL", list));
        else
            scratch.Write("ca.crl", list);
        Refused(Content, signature, Trust(made.Root)).ShouldContain("was revoked");
        scratch.Write("ca.crl", Certificates.Revoking(made.Middle, made.Root));
        Refused(Content, signature, Trust(made.Root)).ShouldContain("was revoked");
        scratch.Write("ca.crl", Certificates.Revoking(new Certificates(isRsa: false).Publisher, made.Middle));
        ManifestSignature.Check(Content, signature, Trust(made.Root), "x", Now);
        scratch.Write("ca.crl", "no list");
        Should.Throw<MuktaException>(() => Trust(made.Root)).Code.ShouldBe(ExitCode.BadInput);
    }

    public void Dispose() => scratch.Dispose();

    private static (Certificates Made, byte[] Signature) Signed(bool isRsa)
    {
        var made = new Certificates(isRsa);
        return (made, ManifestSignature.Make(Content, made.Publisher, [made.Middle], Now));
    }

    private TrustAnchors Trust(X509Certificate2 anchor)
    {
        scratch.Write("ca.pem", anchor.ExportCertificatePem());
        return TrustAnchors.Read([scratch.At("ca.pem")]);
    }

    private static byte[] Flipped(byte[] bytes, int at)
    {
        var flipped = bytes.ToArray();
        flipped[at] ^= (byte)(1 << (at % 8));
        return flipped;
    }

    private static string Refused(byte[] content, byte[] signature, TrustAnchors trust)
    {
        var refused = Should.Throw<MuktaException>(() => ManifestSignature.Check(content, signature, trust, "x", Now));
        refused.Code.ShouldBe(ExitCode.NotTrusted);
        return refused.What;
    }
}
