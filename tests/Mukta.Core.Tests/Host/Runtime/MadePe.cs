using System.Text;

namespace Mukta.Core.Tests.Host.Runtime;

/// <summary>The beginning of a PE library: headers, one section, and the names that it imports from.</summary>
internal static class MadePe
{
    public static byte[] Head(ushort machine, params string[] imports)
    {
        const int Address = 0x1000, At = 0x200;
        var bytes = new byte[0x200 + 20 * (imports.Length + 1) + imports.Sum(i => i.Length + 1) + 300];
        void Put(int at, uint value, int width = 4) => BitConverter.GetBytes(value).AsSpan(0, width).CopyTo(bytes.AsSpan(at));
        var is64 = machine == 0x8664;
        var optional = is64 ? 112 + 16 * 8 : 96 + 16 * 8;
        "MZ"u8.CopyTo(bytes);
        Put(0x3c, 0x40);
        "PE\0\0"u8.CopyTo(bytes.AsSpan(0x40));
        Put(0x44, machine, 2);
        Put(0x46, 1, 2); // sections
        Put(0x54, (uint)optional, 2);
        Put(0x58, is64 ? 0x20bu : 0x10bu, 2);
        var directories = 0x58 + (is64 ? 112 : 96);
        Put(directories - 4, 16);
        Put(directories + 8, imports.Length == 0 ? 0u : Address);
        var section = 0x58 + optional;
        Put(section + 8, (uint)(bytes.Length - At));
        Put(section + 12, Address);
        Put(section + 16, (uint)(bytes.Length - At));
        Put(section + 20, At);
        var name = At + 20 * (imports.Length + 1);
        for (var i = 0; i < imports.Length; i++)
        {
            Put(At + 20 * i + 12, (uint)(Address + name - At));
            Encoding.ASCII.GetBytes(imports[i]).CopyTo(bytes, name);
            name += imports[i].Length + 1;
        }

        return bytes;
    }
}
