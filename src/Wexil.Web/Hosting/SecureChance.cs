using System.Security.Cryptography;
using Wexil.Core.Common;

namespace Wexil.Web.Hosting;

/// <summary>Chance nobody can foresee: visitors' ids must not be guessable.</summary>
public sealed class SecureChance : IChance
{
    private const int Stock = 4096;

    // Asking the system for each id costs more than the rest of making one, so every thread keeps some in stock.
    [ThreadStatic]
    private static byte[]? _stock;

    [ThreadStatic]
    private static int _left;

    public void Fill(Span<byte> bytes)
    {
        _stock ??= new byte[Stock];
        if (_left < bytes.Length)
        {
            RandomNumberGenerator.Fill(_stock);
            _left = Stock;
        }
        var taken = _stock.AsSpan(_left - bytes.Length, bytes.Length);
        taken.CopyTo(bytes);
        taken.Clear();
        _left -= bytes.Length;
    }
}
