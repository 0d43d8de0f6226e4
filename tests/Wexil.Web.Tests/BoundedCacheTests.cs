using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Tests;

/// <summary>What is remembered of strangers has a bound in bytes.</summary>
[Trait("For", "security")]
public sealed class BoundedCacheTests
{
    private const int Room = 100_000,
        Longest = 400;

    [Fact]
    public void However_many_and_long_texts_come_it_stays_within_its_room()
    {
        var cache = new BoundedCache<int>(Longest, Room);
        for (var i = 0; i < 5_000; i++)
        {
            Assert.Equal(i, cache.Of($"{i} {new string('x', i * 7)}", text => int.Parse(text.Split(' ')[0])));
            Assert.InRange(cache.Bytes, 0, Room + 2 * (Longest * sizeof(char) + 200));
        }
    }

    [Fact]
    public void What_comes_again_stays_known_and_what_counts_is_the_beginning()
    {
        var (cache, asked) = (new BoundedCache<int>(Longest, Room), 0);
        var often = new string('o', Longest);
        for (var i = 0; i < 5_000; i++)
        {
            cache.Of($"{i}", _ => 0);
            cache.Of(often + i, text => ++asked + text.Length);
        }
        Assert.Equal(1, asked);
    }
}
