namespace Mukta.Operations;

/// <summary>The machine as operations see it.</summary>
/// <param name="Root">What <c>/</c> stands for, as seen from here.</param>
/// <param name="State">The user's folder for state (XDG Base Directory specification), as seen from here.</param>
public sealed record OperationHome(string Root, string State);
