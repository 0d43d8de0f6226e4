using Wexil.Bench;
using Wexil.Bench.Faults;
using Wexil.Bench.Screens;

switch (args.FirstOrDefault())
{
    case "go":
        await GoBench.RunAsync(args.Contains("--quick"));
        return 0;
    case "results":
        await ResultsBench.RunAsync(args.Contains("--quick"));
        return 0;
    case "signals":
        await SignalsBench.RunAsync(args.Contains("--quick"));
        return 0;
    case "pages":
        await PagesBench.RunAsync(args.Contains("--quick"));
        return 0;
    case "sections":
        await SectionsBench.RunAsync(args.Contains("--quick"));
        return 0;
    case "looks":
        await LooksBench.RunAsync(args.Contains("--quick"));
        return 0;
    case "uploads":
        await UploadsBench.RunAsync(args.Contains("--quick"));
        return 0;
    case "faults":
        return await FaultsBench.RunAsync(args.Contains("--quick"));
    case "attacks":
        return await AttacksBench.RunAsync(args.Contains("--quick"), Named(args, "--name")) ? 0 : 1;
    case "soak":
        await SoakBench.RunAsync(args.Contains("--quick"));
        return 0;
    case "screens":
        await ScreensBench.RunAsync(args.Contains("--quick"), Named(args, "--data"));
        return 0;
    default:
        Console.WriteLine(
            """
            wexil bench go        The link against a bare 302 in the same program: requests a second, p50, p99, ratio.
            wexil bench results   Opening the Count screen of ten pages, over 10,000, 1 million and 5 million visits.
            wexil bench signals   Signals and sales a second against bare endpoints of the framework.
            wexil bench pages     Hosted pages and files against the framework's static files; pages of 2 MB.
            wexil bench sections  A page with sections against the same without; the screens of 59,049 combinations.
            wexil bench looks     A verdict over ten pages of a million visitors; the look at a thousand tests.
            wexil bench screens   Every screen of the demo and of an agency, memory, /go. --data DIR keeps the world.
            wexil bench faults    Kills, a full disk, locks, clocks, attacks: served, recorded, lost, twice.
            wexil bench attacks   The second half of faults: memory, time, and p99 of /go under the unit's limits.
                                  --name TEXT takes those whose names contain it.
            wexil bench soak      A month in fast motion: memory, and how much the data grows.
            wexil bench uploads   Memory before and after a hundred bodies of 75 MB from strangers.
            Add --quick for a short run.
            """
        );
        return 2;
}

static string? Named(string[] args, string option) => args.SkipWhile(arg => arg != option).ElementAtOrDefault(1);
