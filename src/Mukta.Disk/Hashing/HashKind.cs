using System.Security.Cryptography;

namespace Mukta.Hashing;

/// <summary>The hash functions that a manifest may name, best first.</summary>
public enum HashKind
{
    /// <summary>SHA-256 (FIPS 180-4).</summary>
    Sha256,

    /// <summary>SHA-512 (FIPS 180-4).</summary>
    Sha512,

    /// <summary>SHA-384 (FIPS 180-4).</summary>
    Sha384,

    /// <summary>SHA-1: read, but an attacker can make two files with one hash.</summary>
    Sha1,

    /// <summary>MD5: read, but an attacker can make two files with one hash in seconds.</summary>
    Md5,
}

/// <summary>Names, lengths and running computations of the hash functions.</summary>
public static class HashKinds
{
    /// <summary>The name in the IANA registry of hash function textual names.</summary>
    public static string IanaName(this HashKind kind) => kind switch
    {
        HashKind.Sha256 => "sha-256",
        HashKind.Sha512 => "sha-512",
        HashKind.Sha384 => "sha-384",
        HashKind.Sha1 => "sha-1",
        _ => "md5",
    };

    /// <summary>The function of an IANA name; null for one that Mukta does not compute.</summary>
    public static HashKind? FromIanaName(string name) => name switch
    {
        "sha-256" => HashKind.Sha256,
        "sha-512" => HashKind.Sha512,
        "sha-384" => HashKind.Sha384,
        "sha-1" => HashKind.Sha1,
        "md5" => HashKind.Md5,
        _ => null,
    };

    /// <summary>Bytes of one digest.</summary>
    public static int DigestLength(this HashKind kind) => kind switch
    {
        HashKind.Sha256 => SHA256.HashSizeInBytes,
        HashKind.Sha512 => SHA512.HashSizeInBytes,
        HashKind.Sha384 => SHA384.HashSizeInBytes,
        HashKind.Sha1 => 20,
        _ => 16,
    };

    /// <summary>True if somebody can forge content with a given hash or pairs of it.</summary>
    public static bool IsWeak(this HashKind kind) => kind is HashKind.Sha1 or HashKind.Md5;

    /// <summary>Bytes of the longest digest.</summary>
    public const int LongestDigest = SHA512.HashSizeInBytes;

    /// <summary>A computation that takes bytes as they come.</summary>
    public static IncrementalHash Start(this HashKind kind) => IncrementalHash.CreateHash(Algorithm(kind));

    /// <summary>Hashes bytes at once.</summary>
    /// <returns>Bytes of the digest.</returns>
    public static int Hash(this HashKind kind, ReadOnlySpan<byte> bytes, Span<byte> digest) =>
        CryptographicOperations.HashData(Algorithm(kind), bytes, digest);

    private static HashAlgorithmName Algorithm(HashKind kind) => kind switch
    {
        HashKind.Sha256 => HashAlgorithmName.SHA256,
        HashKind.Sha512 => HashAlgorithmName.SHA512,
        HashKind.Sha384 => HashAlgorithmName.SHA384,
        HashKind.Sha1 => HashAlgorithmName.SHA1,
        _ => HashAlgorithmName.MD5,
    };
}
