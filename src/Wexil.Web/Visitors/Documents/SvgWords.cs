using Microsoft.AspNetCore.Components;
using Microsoft.AspNetCore.Components.Rendering;
using Wexil.App.Wording;

namespace Wexil.Web.Visitors.Documents;

/// <summary>Words in a drawing: Razor takes an element named text for its own.</summary>
public sealed class SvgWords : ComponentBase
{
    [Parameter, EditorRequired]
    public double X { get; set; }

    [Parameter, EditorRequired]
    public double Y { get; set; }

    [Parameter, EditorRequired]
    public string Words { get; set; } = "";

    /// <summary>Where the words stand from their place: start, middle or end; null for start.</summary>
    [Parameter]
    public string? Anchor { get; set; }

    /// <summary>Null for none.</summary>
    [Parameter]
    public string? Class { get; set; }

    protected override void BuildRenderTree(RenderTreeBuilder builder)
    {
        builder.OpenElement(0, "text");
        builder.AddAttribute(1, "x", Format.At(X));
        builder.AddAttribute(2, "y", Format.At(Y));
        builder.AddAttribute(3, "text-anchor", Anchor);
        builder.AddAttribute(4, "class", Class);
        builder.AddContent(5, Words);
        builder.CloseElement();
    }
}
