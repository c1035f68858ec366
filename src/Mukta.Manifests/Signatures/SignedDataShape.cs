using System.Formats.Asn1;
using System.Numerics;
using System.Security.Cryptography;

namespace Mukta.Manifests.Signatures;

/// <summary>
/// Looks at the parts of a signature (SignedData, RFC 5652, section 5.1) that no signature covers: each has to be what it must be, so that
/// there is one way to write a signature and no room for anything else.
/// </summary>
internal static class SignedDataShape
{
    private const string SignedData = "1.2.840.113549.1.7.2", Data = "1.2.840.113549.1.7.1";

    private static readonly HashSet<string> Digests = ["2.16.840.1.101.3.4.2.1", "2.16.840.1.101.3.4.2.2", "2.16.840.1.101.3.4.2.3"];

    private static readonly HashSet<string> Signings =
    [
        "1.2.840.113549.1.1.1", "1.2.840.113549.1.1.11", "1.2.840.113549.1.1.12", "1.2.840.113549.1.1.13", "1.2.840.10045.4.3.2",
        "1.2.840.10045.4.3.3", "1.2.840.10045.4.3.4",
    ];

    /// <summary>How many signers there are.</summary>
    /// <exception cref="AsnContentException">It is not DER.</exception>
    /// <exception cref="CryptographicException">It is not a detached signature with SHA-2.</exception>
    public static int Signers(ReadOnlyMemory<byte> signature)
    {
        var file = new AsnReader(signature, AsnEncodingRules.DER);
        var message = file.ReadSequence();
        file.ThrowIfNotEmpty();
        Need(message.ReadObjectIdentifier() == SignedData, "it is no signed data");
        var wrapped = message.ReadSequence(Tag(0));
        message.ThrowIfNotEmpty();
        var signed = wrapped.ReadSequence();
        wrapped.ThrowIfNotEmpty();

        var version = signed.ReadInteger();
        var named = new List<string>();
        for (var all = signed.ReadSetOf(); all.HasData;)
            named.Add(Algorithm(all, Digests, "its hash function is none of SHA-2"));
        var content = signed.ReadSequence();
        Need(content.ReadObjectIdentifier() == Data && !content.HasData, "it holds content of its own");
        if (signed.PeekTag().HasSameClassAndValue(Tag(0)))
            signed.ReadEncodedValue(); // Certificates: each has to be in the chain of a signer.
        var signers = signed.ReadSetOf();
        signed.ThrowIfNotEmpty();

        var (count, used, byKey) = (0, new HashSet<string>(), false);
        for (; signers.HasData; count++)
            byKey |= IsByKey(signers.ReadSequence(), used);
        Need(count > 0, "nobody has signed it");
        Need(version == (byKey ? 3 : 1), "its version is wrong");
        Need(named.Count == used.Count && used.SetEquals(named), "it names hash functions that nobody has used");
        return count;
    }

    private static bool IsByKey(AsnReader signer, HashSet<string> digests)
    {
        var version = signer.ReadInteger();
        var isByKey = signer.PeekTag().HasSameClassAndValue(Tag(0));
        signer.ReadEncodedValue();
        Need(version == (isByKey ? (BigInteger)3 : 1), "a signer's version is wrong");
        digests.Add(Algorithm(signer, Digests, "its hash function is none of SHA-2"));
        if (signer.PeekTag().HasSameClassAndValue(Tag(0)))
            signer.ReadEncodedValue(); // What is signed along.
        Algorithm(signer, Signings, "it is signed with neither RSA nor ECDSA");
        signer.ReadOctetString();
        if (signer.HasData)
            signer.ReadSetOf(Tag(1)); // A time stamp, for instance.
        signer.ThrowIfNotEmpty();
        return isByKey;
    }

    private static string Algorithm(AsnReader at, HashSet<string> known, string fault)
    {
        var algorithm = at.ReadSequence();
        var id = algorithm.ReadObjectIdentifier();
        if (algorithm.HasData)
            algorithm.ReadNull();
        algorithm.ThrowIfNotEmpty();
        Need(known.Contains(id), fault);
        return id;
    }

    private static Asn1Tag Tag(int number) => new(TagClass.ContextSpecific, number, isConstructed: true);

    private static void Need(bool isSo, string fault)
    {
        if (!isSo)
            throw new CryptographicException(fault);
    }
}
