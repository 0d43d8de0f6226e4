using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Differences;
using Wexil.Store;

namespace Wexil.App.Setup;

/// <summary>Names tests that nobody named, by what they compare.</summary>
public sealed class TestNames(PageStore pages)
{
    /// <summary>
    /// The variation's name where somebody gave it one, else what it differs in: "Headline", "Picture and 2 more".
    /// </summary>
    public string Usual(Step step, Page control, Page variation)
    {
        if (step.IsSection)
            return step.Name;
        // A letter says no more than a number does.
        if (variation.Name.Length > 2 && !CloneName.IsUsual(variation.Name))
            return variation.Name;
        if (!control.IsHosted || !variation.IsHosted)
            return step.Name;
        var changes = PageDifferences.Between(pages.Source(control), pages.Source(variation)).Changes;
        return changes switch
        {
            [] => step.Name,
            [var only] => only.Brief,
            [var first, ..] => $"{first.Brief} and {changes.Count - 1} more",
        };
    }
}
