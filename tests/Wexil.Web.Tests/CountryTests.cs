using System.Net;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Tests;

/// <summary>What is remembered of blocks of addresses is what the data says of each address.</summary>
public sealed class CountryTests
{
    [Fact]
    public async Task An_address_has_the_country_of_the_data_whatever_was_asked_before()
    {
        await Countries.ReadyAsync();
        using var data = Countries.Load();
        var random = new Random(7);
        for (var i = 0; i < 20_000; i++)
        {
            var block = new byte[4];
            random.NextBytes(block);
            // Two of a block: what the first one left is found by the second.
            foreach (var last in new byte[] { block[3], (byte)random.Next(256) })
            {
                block[3] = last;
                var address = new IPAddress(block);
                var told = data.Find<Dictionary<string, object>>(address)?.GetValueOrDefault("country_code") as string;
                Assert.Equal(IPAddress.IsLoopback(address) ? "" : told ?? "", Countries.CountryOf(address));
            }
        }
    }
}
