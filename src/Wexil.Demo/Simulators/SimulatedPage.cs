using System.Net;
using Wexil.Core.Common;

namespace Wexil.Demo.Simulators;

/// <summary>A page of a simulator, which says that it is one.</summary>
internal static class SimulatedPage
{
    private static readonly string Style = EmbeddedText.Read(typeof(SimulatedPage).Assembly, "simulator.css");

    /// <param name="title">As text.</param>
    /// <param name="notice">What is simulated, as text.</param>
    /// <param name="body">As HTML.</param>
    /// <param name="head">What belongs into the head besides, as HTML.</param>
    public static IResult Show(string title, string notice, string body, string head = "") =>
        Results.Content(
            $"""
            <!doctype html>
            <html lang="en">
            <head>
            <meta charset="utf-8">
            <meta name="viewport" content="width=device-width, initial-scale=1">
            <title>{Html(title)}</title>
            {head}
            <style>{Style}</style>
            </head>
            <body>
            <header class="simulated">{Html(notice)}</header>
            <main>{body}</main>
            </body>
            </html>
            """,
            "text/html; charset=utf-8"
        );

    /// <param name="heads">As text.</param>
    /// <param name="rows">Cells by row, as HTML.</param>
    public static string Table(IEnumerable<string> heads, IEnumerable<IEnumerable<string>> rows)
    {
        var head = string.Concat(heads.Select(name => $"<th>{Html(name)}</th>"));
        var body = rows.Select(cells => $"<tr>{string.Concat(cells.Select(cell => $"<td>{cell}</td>"))}</tr>\n");
        return $"<table><tr>{head}</tr>\n{string.Concat(body)}</table>";
    }

    /// <summary>Text on its way into a page.</summary>
    public static string Html(string? text) => WebUtility.HtmlEncode(text ?? "");
}
