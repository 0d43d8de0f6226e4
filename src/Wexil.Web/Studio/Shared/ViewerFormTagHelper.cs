using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Microsoft.AspNetCore.Razor.TagHelpers;
using Wexil.Store.Team;
using Wexil.Web.Studio.Account;

namespace Wexil.Web.Studio.Shared;

/// <summary>
/// Shows a form that changes something to whoever may only look, with all that is in it switched off.
/// </summary>
[HtmlTargetElement("form", Attributes = "[method=post]")]
public sealed class ViewerFormTagHelper : TagHelper
{
    [HtmlAttributeNotBound, ViewContext]
    public ViewContext ViewContext { get; set; } = null!;

    /// <inheritdoc/>
    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        var http = ViewContext.HttpContext;
        var isSignedIn = http.User.Identity?.IsAuthenticated == true;
        var isSignOut = output.Attributes["class"]?.Value?.ToString() == "out";
        if (!isSignedIn || isSignOut || http.User.IsInRole(nameof(Role.Marketer)) || IsForEveryRole(http))
            return;
        output.PreContent.AppendHtml("<fieldset class=\"bare\" disabled>");
        output.PostContent.AppendHtml("</fieldset>");
    }

    private static bool IsForEveryRole(HttpContext http) =>
        http.GetEndpoint()?.Metadata.GetMetadata<EveryRoleAttribute>() is not null;
}
