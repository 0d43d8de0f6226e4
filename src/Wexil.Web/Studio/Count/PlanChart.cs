using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Store;

namespace Wexil.Web.Studio.Count;

/// <summary>
/// The way of a test through its plan: how much of it is done, and each page's evidence against the line that it has to
/// cross, a dot for each look.
/// </summary>
public sealed class PlanChart
{
    public const double Width = 860,
        Height = 250;
    private const double Left = 52,
        Right = 846,
        Top = 12,
        Bottom = 214,
        MostEvidence = 1.5,
        LeastEnd = 1.15,
        NearlyAll = 0.05,
        Level = 0.05;

    /// <summary>The way of a page.</summary>
    /// <param name="Dots">Its looks, with what each saw in words.</param>
    public sealed record Line(
        string Letter,
        string Points,
        IReadOnlyList<(double X, double Y, string Words)> Dots,
        double X,
        double Y
    );

    /// <summary>A change of the weights, or of the pages.</summary>
    public sealed record Change(double X, int Number, string Words);

    public IReadOnlyList<Line> Lines { get; private init; } = [];
    public IReadOnlyList<Change> Changes { get; private init; } = [];

    /// <summary>Shares of the plan below the chart.</summary>
    public IReadOnlyList<(double X, string Label)> Shares { get; private init; } = [];

    /// <summary>The end of the plan.</summary>
    public double End { get; private init; }

    /// <summary>How far it is, in words.</summary>
    public string Progress { get; private init; } = "";

    /// <summary>Where the pages stand, in words.</summary>
    public string Standing { get; private init; } = "";

    /// <summary>The line of a call for the better, no difference, and a call for the worse.</summary>
    public static IReadOnlyList<(double Y, string Label)> Levels { get; } =
    [(Y(1), "better"), (Y(0), "level"), (Y(-1), "worse")];

    /// <summary>Null for a test without a plan, and until each page has enough to be compared.</summary>
    /// <param name="looks">Those so far.</param>
    public static PlanChart? Create(TestReading reading, IReadOnlyList<LookPoint> looks, bool onMoney, OwnerTime clock)
    {
        LookPoint[] now = [.. reading.Way(onMoney, clock.Now)];
        if (now.Length == 0)
            return null;
        var byPage = looks.Concat(now).ToLookup(look => look.Page);
        var most = Math.Max(LeastEnd, looks.Concat(now).Max(look => look.Progress) * 1.04);
        double X(double progress) => Left + Math.Min(progress, most) / most * (Right - Left);
        Line LineOf(LookPoint last)
        {
            var way = byPage[last.Page].ToArray();
            return new(
                reading.Letter(last.Page),
                string.Join(' ', way.Select(look => $"{Format.At(X(look.Progress))},{Format.At(Y(look.Evidence))}")),
                [.. way.Select(look => (X(look.Progress), Y(look.Evidence), Words(look, clock)))],
                X(last.Progress),
                Y(last.Evidence)
            );
        }
        double ProgressAt(DateTimeOffset moment) =>
            looks.Where(look => look.At <= moment).Select(look => look.Progress).DefaultIfEmpty(0).Max();
        return new()
        {
            Lines = [.. now.Select(LineOf)],
            Changes =
            [
                .. reading
                    .Phases.Skip(1)
                    .Take(MaxChanges)
                    .Select((phase, i) => new Change(X(ProgressAt(phase.StartedAt)), i + 2, phase.Reason)),
            ],
            Shares = [.. Quarters(most).Select(share => (X(share), Format.Plain(share)))],
            End = X(1),
            Progress = Far(reading, now),
            Standing = string.Join(
                " ",
                now.Select(look => Stands(reading, look, IsCalled(reading, look), isAlone: now.Length == 1))
            ),
        };
    }

    // Weights that follow the evidence change hundreds of times; the chart of the weights shows those.
    private const int MaxChanges = 8;

    private static IEnumerable<double> Quarters(double most)
    {
        for (var share = 0.0; share <= most; share += most > 2.5 ? 1 : 0.25)
            yield return share;
    }

    private static double Y(double evidence) =>
        (Top + Bottom) / 2 - Math.Clamp(evidence, -MostEvidence, MostEvidence) / MostEvidence * (Bottom - Top) / 2;

    private static string Words(LookPoint look, OwnerTime clock) =>
        $"{clock.Moment(look.At)}: {Percent(look.Progress)} of the plan";

    private static string Far(TestReading reading, LookPoint[] now)
    {
        var came = reading.Result.Total.Visitors;
        // By the page that has come least far.
        var progress = now.Min(look => look.Progress);
        var planned = reading.PlannedVisitors ?? came / progress;
        if (progress >= 1)
            return $"All planned visitors have come: {Format.Count(came)}; about {Format.Rounded(planned)} were "
                + "planned.";
        // Near the end, what is planned rounds to less than has come.
        if (now.Length == 1 && planned - came < planned * NearlyAll)
            return $"{Percent(progress)} of the plan is done: {Format.Count(came, "visitor", "visitors")}.";
        return now.Length == 1
            ? $"{Percent(progress)} of the plan is done: {Format.Count(came)} of about {Format.Rounded(planned)} "
                + "visitors."
            : $"{Format.Count(came)} visitors have come, of about {Format.Rounded(planned)} until every page has had "
                + "its plan.";
    }

    // What was sure at an earlier look stays sure, also where the evidence has become less since.
    private static bool IsCalled(TestReading reading, LookPoint look)
    {
        var compared = look.OnMoney
            ? reading.Money?.Pages.Single(page => page.Page.Id == look.Page).AgainstControl
            : reading.Result.Pages.Single(page => page.Page.Id == look.Page).AgainstControl;
        return compared?.P <= reading.Result.Facts.Alpha;
    }

    private static string Stands(TestReading reading, LookPoint look, bool isCalled, bool isAlone)
    {
        var letter = reading.Letter(look.Page);
        var (share, way) = (Math.Abs(look.Evidence), look.Evidence >= 0 ? "better" : "worse");
        // Pages with different weights come through their plans at different speeds.
        var at = isAlone ? letter : $"{letter}, at {Percent(look.Progress)} of its plan,";
        if (isCalled)
            return $"{at} has crossed the line: it is {way} than A.";
        return share < Level
            ? $"{at} is level with A."
            : $"{at} has {Percent(share)} of the evidence that it takes to call it {way}.";
    }

    private static string Percent(double share) => Format.Plain(Math.Round(share, 2));
}
