using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Operations;

namespace Mukta.Setup;

/// <summary>
/// A setup program whose bytes are the published ones, held open until it has run: what is run is the very file that was proven, whatever
/// is at its path by then. A script that only this user or root could change is run by its path, which many scripts ask for; it is looked
/// at once more right before.
/// </summary>
internal sealed class ProvenProgram : IDisposable
{
    private readonly Folder install;
    private readonly string inside;
    private readonly SafeFileHandle file;
    private readonly Node before;

    private ProvenProgram(Folder install, string inside)
    {
        (this.install, this.inside) = (install, inside);
        file = install.OpenRead(inside);
        before = Folder.Look(file);
    }

    /// <summary>Its path, for people.</summary>
    public string Path => System.IO.Path.Join(install.RealPath, inside);

    /// <summary>What to start.</summary>
    public string ToRun
    {
        get
        {
            if (IsScript)
            {
                if (StatePlace.OwnerOf(Path).User == 0)
                    return Path;
                InputFile.ShareWithPrograms(file); // The interpreter opens it once more.
            }

            return $"/proc/self/fd/{file.DangerousGetHandle()}";
        }
    }

    private bool IsScript
    {
        get
        {
            Span<byte> magic = stackalloc byte[2];
            return RandomAccess.Read(file, magic, 0) == 2 && magic.SequenceEqual("#!"u8);
        }
    }

    /// <summary>Opens and proves it.</summary>
    /// <exception cref="MuktaException">It is not the published one, or the manifest does not list it.</exception>
    public static ProvenProgram Open(Folder install, string inside, Manifest manifest, CancellationToken cancel)
    {
        var shown = PathBytes.Shown(System.IO.Path.Join(install.Path, inside));
        var file = manifest.Files.FirstOrDefault(f => f.Path == inside) ?? throw new MuktaException(
            ExitCode.NotTrusted, "The manifest does not list the setup program, so nothing vouches for it and it is not run.", shown,
            "Check the profile's key setup: program.");
        ProvenProgram? program = null;
        try
        {
            if (install.Look(inside) is { Kind: NodeKind.File })
            {
                program = new ProvenProgram(install, inside);
                if (program.before.Kind == NodeKind.File && SetupRunner.IsPublished(program.file, file, cancel))
                    return program;
            }
        }
        catch (Exception e) when (e is IOException or DiskException)
        {
            // One that cannot be read is not proven.
        }

        program?.Dispose();
        throw new MuktaException(
            ExitCode.NotTrusted, "The setup program is not the published one, so it is not run.", shown,
            $"Restore it first with: mukta repair {manifest.Product ?? "PRODUCT"}");
    }

    /// <summary>Refuses one that has changed, or has another in its place, since it was opened.</summary>
    /// <exception cref="MuktaException">It has.</exception>
    public void RefuseChanged()
    {
        if (Folder.Look(file).IsSameAs(before) && install.Look(inside) is { } there && there.IsSameAs(before))
            return;
        throw new MuktaException(
            ExitCode.NotTrusted, "The setup program changed after it was proven, so it is not run.", PathBytes.Shown(Path),
            "Find out what writes to it, then run the same command again.");
    }

    /// <inheritdoc/>
    public void Dispose() => file.Dispose();
}
