using System.Formats.Asn1;
using System.Numerics;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Text;
using Mukta.Disk;

namespace Mukta.Manifests.Signatures;

/// <summary>
/// A certificate revocation list (RFC 5280, section 5) that lies beside the certificates that are trusted, and is trusted like them: its
/// own signature is not checked.
/// </summary>
[OutsideReader]
public sealed class RevocationList
{
    private const long Longest = 16 << 20;
    private const string Label = "X509 CRL";

    private readonly byte[] issuer;
    private readonly HashSet<BigInteger> serials = [];

    private RevocationList(byte[] issuer) => this.issuer = issuer;

    /// <summary>Reads the lists in a file, in PEM or DER.</summary>
    /// <param name="path">The file.</param>
    /// <exception cref="MuktaException">It holds none, or cannot be read.</exception>
    public static IReadOnlyList<RevocationList> ReadFile(string path)
    {
        try
        {
            using var stream = InputFile.Open(path, Longest);
            var bytes = new byte[stream.Length];
            stream.ReadExactly(bytes);
            var lists = bytes is [0x30, ..] ? [bytes] : InPem(Encoding.Latin1.GetString(bytes)).ToList();
            return lists.Count > 0 ? [.. lists.Select(Parse)] : throw new CryptographicException("no list");
        }
        catch (Exception e) when (e is DiskException or IOException or CryptographicException or AsnContentException or FormatException)
        {
            throw new MuktaException(
                ExitCode.BadInput, "This is not a certificate revocation list.", path,
                "Get it again from whoever issued the certificates, in PEM or DER.", e);
        }
    }

    /// <summary>True if the list's issuer has revoked a certificate.</summary>
    public bool Revokes(X509Certificate2 certificate) =>
        certificate.IssuerName.RawData.AsSpan().SequenceEqual(issuer)
        && serials.Contains(new BigInteger(certificate.SerialNumberBytes.Span, isUnsigned: false, isBigEndian: true));

    private static IEnumerable<byte[]> InPem(string text)
    {
        for (var rest = 0; PemEncoding.TryFind(text.AsSpan(rest), out var found);)
        {
            if (text.AsSpan(rest)[found.Label] is Label)
                yield return Convert.FromBase64String(text[rest..][found.Base64Data]);
            rest += found.Location.End.Value;
        }
    }

    private static RevocationList Parse(byte[] bytes)
    {
        var list = new AsnReader(bytes, AsnEncodingRules.DER).ReadSequence().ReadSequence();
        if (list.PeekTag().HasSameClassAndValue(Asn1Tag.Integer))
            list.ReadInteger();
        list.ReadSequence(); // How it is signed.
        var parsed = new RevocationList(list.ReadEncodedValue().ToArray());
        ReadTime(list);
        if (list.HasData && !IsList(list.PeekTag()) && list.PeekTag().TagClass == TagClass.Universal)
            ReadTime(list);
        if (list.HasData && IsList(list.PeekTag()))
        {
            for (var revoked = list.ReadSequence(); revoked.HasData;)
                parsed.serials.Add(revoked.ReadSequence().ReadInteger());
        }

        return parsed;
    }

    private static bool IsList(Asn1Tag tag) => tag.HasSameClassAndValue(Asn1Tag.Sequence);

    private static void ReadTime(AsnReader list)
    {
        if (list.PeekTag().HasSameClassAndValue(Asn1Tag.UtcTime))
            list.ReadUtcTime();
        else
            list.ReadGeneralizedTime();
    }
}
