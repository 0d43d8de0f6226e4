using System.Net;
using System.Text;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>/report/{token}</c>: how a test stands or ended, to read and to print; nothing else of the Studio.
/// </summary>
public sealed class ReportPage(
    TestStore tests,
    FunnelStore funnels,
    VerdictStore verdicts,
    TallyStore tallies,
    TestReader reader,
    SettingStore settings,
    OwnerTime time
)
{
    public Task Answer(HttpContext http, string token)
    {
        if (SharedDocument.Open(http, token, tests.Reports) is not { } id || tests.Find(new(id)) is not { } test)
            return SharedDocument.Closed(http);
        return SharedDocument.Write(http, $"Test: {test.Name}", Html(test));
    }

    private string Html(SplitTest test)
    {
        var reading = reader.Read(test, funnels.AllSteps());
        var (standing, currency) = (reading.Standing, settings.Currency);
        var funnel = funnels.Every()[reading.Step.Funnel];
        var kept = test.IsOpen
            ? null
            : verdicts.Of(test.Step).FirstOrDefault(verdict => verdict.Test == test.Id && verdict.TakenBackAt is null);
        var html = new StringBuilder(
            $"""
            <h1>{Text(test.Name)}</h1>
            <p class="soft">A split test on “{Text(reading.Step.Name)}” of {Text(funnel.Name)}, from {time.Moment(
                test.StartedAt
            )}{(test.DecidedAt is { } end ? $" to {time.Moment(end)}" : "")}. A conversion: {Text(
                reading.GoalName
            )}.</p>
            <section><p class="big">{Text(
                kept is null
                    ? reading.Says.Sentence
                    : $"Kept {Format.Quoted(Name(reading, kept.Page))}, {kept.KeptBy}."
            )}</p><p class="soft">{Text(kept is null ? reading.Says.Why : kept.Sentence)}</p></section>
            """
        );
        if (test.Idea.Length > 0)
            html.Append($"""<section><h2>The idea</h2><p class="kept">{Text(test.Idea)}</p></section>""");
        if (test.Learned.Length > 0)
            html.Append($"""<section><h2>What was learned</h2><p class="kept">{Text(test.Learned)}</p></section>""");
        html.Append(
            $"<section><h2>Which page pulls best</h2>{Chart(RateChart.Of(standing, reading.Words.Many))}{Table(standing, reading.Words.Many)}</section>"
        );
        if (tallies.Money(test, currency) is { Count: > 0 } money)
            html.Append($"<section><h2>What the visitors brought</h2>{Money(reading, money, currency)}</section>");
        html.Append("<section><h2>What was changed</h2><ul>");
        foreach (var change in ChangeLog.Of(tests.Changes(test.Id)).Reverse())
            html.Append(
                $"<li>{time.Moment(change.At)}: {Text(change.What)} <span class=\"soft\">({Text(change.Who)})</span></li>"
            );
        return html.Append(
                $"""
                </ul></section>
                <p class="soft">The interval of a rate is Wilson’s at 95%. The one against {standing.Control.Page.Letter} holds however often it is looked at. {(
                    standing.IsStandardized
                        ? "Rates count each phase of the test alike for every page, because the split was changed during it. "
                        : ""
                )}{(
                    standing.SplitP < SampleRatioMismatch.AlarmP
                        ? "The split did not arrive as set: the comparison cannot be trusted."
                        : "The split arrived as set."
                )} As of {time.Moment(time.Now)}, {Text(settings.Zone.Id)}.</p>
                """
            )
            .ToString();
    }

    private static string Name(TestReading reading, PageId page) =>
        reading.Pages.FirstOrDefault(shown => shown.Id == page)?.Name ?? "a page";

    private static string Table(TestResult standing, string many)
    {
        var control = standing.Control.Standard.Rate;
        var html = new StringBuilder(
            $"""<div class="scroll" tabindex="0" role="region" aria-label="Results by page"><table><thead><tr><th scope="col">Page</th><th scope="col">Visitors</th><th scope="col">{Text(char.ToUpperInvariant(many[0]) + many[1..])}</th><th scope="col">Rate</th><th scope="col">Against {standing.Control.Page.Letter}</th><th scope="col">Confidence</th></tr></thead><tbody>"""
        );
        foreach (var shown in standing.Pages)
        {
            var against =
                shown.AgainstControl is { } comparison && control > 0
                    ? Format.Lift(comparison.Difference / control)
                        + (
                            comparison.Interval is { } range
                                ? $"<small>{Format.LiftRange(new(range.Low / control, range.High / control))}</small>"
                                : ""
                        )
                    : "–";
            html.Append(
                    $"<tr><th scope=\"row\">{shown.Page.Letter}. {Text(shown.Page.Name)}{(shown.IsControl ? " <span class=\"soft\">(control)</span>" : "")}</th><td>{Format.Count(shown.Total.Visitors)}</td><td>{Format.Count(shown.Total.Conversions)}</td>"
                )
                .Append(
                    $"<td>{(shown.Rate is { } rate ? $"{Format.Percent(shown.Standard.Rate)}<small>{Format.Range(rate)}</small>" : "–")}</td><td>{against}</td><td>{(shown.IsControl ? "–" : Format.Confidence(shown.AgainstControl?.Confidence))}</td></tr>"
                );
        }
        return html.Append("</tbody></table></div>").ToString();
    }

    private static string Money(TestReading reading, IReadOnlyList<PageMoney> money, Currency currency)
    {
        var html = new StringBuilder(
            """<div class="scroll" tabindex="0" role="region" aria-label="Money by page"><table><thead><tr><th scope="col">Page</th><th scope="col">Buyers</th><th scope="col">Orders</th><th scope="col">Brought</th><th scope="col">Earned per visitor</th></tr></thead><tbody>"""
        );
        for (var i = 0; i < money.Count; i++)
            html.Append(
                $"<tr><th scope=\"row\">{reading.Standing.Pages[i].Page.Letter}. {Text(reading.Standing.Pages[i].Page.Name)}</th><td>{Format.Count(money[i].Buyers)}</td><td>{Format.Count(money[i].Orders)}</td><td>{currency.Show((decimal)money[i].Takings.Sum)}</td><td>{currency.Show((decimal)(reading.Money?.Pages[i].Standard.Mean ?? money[i].Takings.Mean))}</td></tr>"
            );
        return html.Append("</tbody></table></div>").ToString();
    }

    private static string Chart(RateChart chart)
    {
        if (chart.Rows.Count == 0)
            return "";
        var svg = new StringBuilder(
            $"""<svg viewBox="0 0 {Format.At(RateChart.Width)} {Format.At(chart.Height)}" role="img" aria-label="Likely rate of each page: {Text(string.Join("; ", chart.Rows.Select(row => row.Words)))}">"""
        );
        foreach (var (place, label) in chart.Ticks)
            svg.Append(
                $"""<path d="M{Format.At(place)} {Format.At(RateChart.Top)}V{Format.At(chart.Height - 40)}" class="tick"/><text x="{Format.At(place)}" y="{Format.At(chart.Height - 22)}" text-anchor="middle">{label}</text>"""
            );
        foreach (var row in chart.Rows)
            svg.Append(
                $"""<g class="{row.Letter.ToLowerInvariant()}"><polyline points="{row.Curve}" class="curve"/><path d="M{Format.At(row.IntervalFrom)} {Format.At(row.Base)}H{Format.At(row.IntervalUntil)}" class="range"/><circle cx="{Format.At(row.Rate)}" cy="{Format.At(row.Base)}" r="5" class="dot"/><text x="14" y="{Format.At(row.Base)}" class="letter">{row.Letter}</text></g>"""
            );
        return svg.Append("</svg>").ToString();
    }

    private static string Text(string text) => WebUtility.HtmlEncode(text);
}
