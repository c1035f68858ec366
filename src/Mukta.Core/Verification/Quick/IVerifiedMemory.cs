namespace Mukta.Verification.Quick;

/// <summary>Remembers what verifications have shown. It may forget: then everything is read.</summary>
public interface IVerifiedMemory
{
    /// <summary>What is remembered of an install; null for nothing.</summary>
    internal VerifiedRecord? Find(string install);

    /// <summary>Remembers, if it can.</summary>
    internal void TryPut(VerifiedRecord record);
}
