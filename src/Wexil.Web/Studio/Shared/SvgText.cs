using Microsoft.AspNetCore.Html;
using Microsoft.AspNetCore.Mvc.Rendering;
using Wexil.App.Wording;

namespace Wexil.Web.Studio.Shared;

/// <summary>Words in a drawing: Razor takes an element named text for its own.</summary>
public static class SvgText
{
    /// <param name="css">Its classes; null for none.</param>
    /// <param name="anchor">Where the words stand from their place: start, middle or end; null for start.</param>
    /// <param name="title">What it says in full when pointed at; null where that is what is shown.</param>
    public static IHtmlContent At(
        double x,
        double y,
        string words,
        string? css = null,
        string? anchor = null,
        string? title = null
    )
    {
        var text = new TagBuilder("text");
        text.Attributes["x"] = Format.At(x);
        text.Attributes["y"] = Format.At(y);
        if (anchor is not null)
            text.Attributes["text-anchor"] = anchor;
        if (css is not null)
            text.Attributes["class"] = css;
        text.InnerHtml.Append(words);
        if (title is null)
            return text;
        var full = new TagBuilder("title");
        full.InnerHtml.Append(title);
        text.InnerHtml.AppendHtml(full);
        return text;
    }
}
