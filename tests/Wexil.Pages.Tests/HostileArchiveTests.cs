using System.Diagnostics;
using System.Text;
using CsCheck;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Importing;

namespace Wexil.Pages.Tests;

/// <summary>Archives that are written to fill memory, to keep a program busy, or to end it.</summary>
[Trait("For", "security")]
public sealed class HostileArchiveTests
{
    [Theory]
    [InlineData(1_000, "a file type that")]
    [InlineData(1_001, "at most 1,000")]
    [InlineData(60_000, "at most 1,000")]
    [InlineData(1_000_000, "cannot be opened")]
    public void A_directory_without_an_end_is_left(int entries, string problem)
    {
        var zip = Directory(entries);
        var before = GC.GetAllocatedBytesForCurrentThread();
        Assert.Contains(problem, PageArchive.Files(zip, new()).Problem, StringComparison.Ordinal);
        // Read to its end, a million entries took 500 MB.
        Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - before, 0, 100 << 20);
    }

    [Fact]
    [Trait("Pace", "slow")]
    public void Damaged_archives_are_read_or_refused_in_words()
    {
        var whole = FunnelArchive.Write(
            new(
                "Balcony Harvest",
                [
                    new(
                        StepKind.OptIn,
                        "Planting calendar",
                        "calendar",
                        [new("Calendar", PageBundle.OneFile("<h1>Calendar"), null)]
                    ),
                ]
            )
        );
        Gen.Select(Gen.Int[0, whole.Length - 1], Gen.Byte)
            .Array[1, 8]
            .AlwaysHolds(
                changes =>
                {
                    byte[] damaged = [.. whole];
                    foreach (var (at, value) in changes)
                        damaged[at] = value;
                    Judge(() =>
                    {
                        var (funnel, problem) = FunnelArchive.Read(new MemoryStream(damaged), new());
                        Assert.True(funnel is null != problem is null);
                        var (page, unfit) = PageArchive.Read(new MemoryStream(damaged), new());
                        Assert.True(page is null != unfit is null);
                    });
                },
                iter: 3_000
            );
    }

    [Fact]
    [Trait("Pace", "slow")]
    public void Made_up_manifests_are_read_or_refused_in_words()
    {
        string[] pieces =
        [
            "{",
            "}",
            "[",
            "]",
            "\"format\":\"wexil-funnel\",\"version\":1,",
            "\"steps\":",
            "\"pages\":[",
            "\"name\":\"x\",",
            "\"link\":\"x\",",
            "\"kind\":\"opt-in\",",
            "\"folder\":\"../\",",
            "\"yes\":99999999999,",
            "\"shown\":-1,",
            "null",
            "1e999",
            "\"",
            ",",
            "\\u0000",
        ];
        Gen.Select(Gen.OneOf([.. pieces.Select(Gen.Const)]).Array[1, 8], Gen.Int[1, 60_000])
            .Array[1, 4]
            .AlwaysHolds(
                parts =>
                {
                    var json = string.Concat(
                        parts.Select(part =>
                            string.Concat(Enumerable.Repeat(string.Concat(part.Item1), part.Item2 / 8))
                        )
                    );
                    var zip = PageArchive.Write([new(FunnelArchive.Manifest, Encoding.UTF8.GetBytes(json))]);
                    Judge(() =>
                    {
                        var (funnel, problem) = FunnelArchive.Read(new MemoryStream(zip), new());
                        Assert.True(funnel is null != problem is null);
                    });
                },
                iter: 400
            );
    }

    /// <summary>Alone it takes two seconds at most; other tests run beside it.</summary>
    private static void Judge(Action reads)
    {
        var (watch, allocated) = (Stopwatch.StartNew(), GC.GetAllocatedBytesForCurrentThread());
        reads();
        allocated = GC.GetAllocatedBytesForCurrentThread() - allocated;
        Assert.True(watch.Elapsed < TimeSpan.FromSeconds(4), $"{watch.Elapsed}");
        Assert.True(allocated < 200e6, $"{allocated / 1e6:0} MB");
    }

    /// <summary>An archive of nothing but the names of empty files.</summary>
    private static MemoryStream Directory(int entries)
    {
        var zip = new MemoryStream();
        using var writer = new BinaryWriter(zip, Encoding.ASCII, leaveOpen: true);
        for (var i = 0; i < entries; i++)
        {
            writer.Write(0x02014b50);
            writer.Write(new byte[24]);
            writer.Write((short)8);
            writer.Write(new byte[16]);
            writer.Write(Encoding.ASCII.GetBytes($"{i:00000000}"));
        }
        var length = zip.Length;
        // As large archives say it, and in the last record nothing.
        writer.Write(0x06064b50);
        writer.Write(44L);
        writer.Write(new byte[12]);
        writer.Write((long)entries);
        writer.Write((long)entries);
        writer.Write(length);
        writer.Write(0L);
        writer.Write(0x07064b50);
        writer.Write(0);
        writer.Write(length);
        writer.Write(1);
        writer.Write(0x06054b50);
        writer.Write(new byte[4]);
        writer.Write(ushort.MaxValue);
        writer.Write(ushort.MaxValue);
        writer.Write(uint.MaxValue);
        writer.Write(uint.MaxValue);
        writer.Write((short)0);
        zip.Position = 0;
        return zip;
    }
}
