using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Count;

/// <summary>Which page pulls best, and whether the numbers can be trusted.</summary>
public sealed class CountModel(StepScreens screens) : StepPageModel(screens)
{
    public override string Stage => "count";

    public void OnGet()
    {
        // Everything shown is the screen's own.
    }
}
