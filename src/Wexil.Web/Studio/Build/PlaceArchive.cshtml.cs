using Microsoft.AspNetCore.Mvc;
using Wexil.App.Importing;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>A page of an archive, with where it goes: a step's id, "new" for a step of its own, or nothing.</summary>
public sealed record PlacedPage(string Path, string Title, string To);

/// <summary>Places each page of an archive on a step. Links between them become the steps' links.</summary>
public sealed class PlaceArchiveModel(
    StepScreens screens,
    WaitingArchives archives,
    PageStore pages,
    FunnelStore funnels
) : StepPageModel(screens)
{
    public const string NewStep = "new";

    public override string Stage => "build";

    public IReadOnlyList<PlacedPage> Placed { get; private set; } = [];

    public IActionResult OnGet(string id)
    {
        if (archives.Find(id, Screen.Step.Id) is not { } bundle)
            return Gone();
        var free = Screen
            .Steps.Where(step => step.Position > Screen.Step.Position && !step.IsArchived && step.Page is null)
            .Select(step => step.Id.Value.ToString(System.Globalization.CultureInfo.InvariantCulture))
            .ToList();
        // What is no page proper, such as 404.html, is left out unless somebody says otherwise.
        var proper = bundle.Pages.Where(path => !PageBundle.IsAside(path)).ToList();
        Placed =
        [
            .. bundle.Pages.Select(path => new PlacedPage(
                path,
                TitleOf(bundle, path),
                proper.IndexOf(path) switch
                {
                    < 0 => "",
                    0 => $"{Screen.Step.Id.Value}",
                    var i => free.ElementAtOrDefault(i - 1) ?? "",
                }
            )),
        ];
        return Page();
    }

    [Logged("Placed the pages of an archive")]
    public async Task<IActionResult> OnPostAsync(string id, string[] path, string?[] to)
    {
        if (archives.Find(id, Screen.Step.Id) is not { } bundle)
            return Gone();
        Placed =
        [
            .. bundle.Pages.Select(page => new PlacedPage(
                page,
                TitleOf(bundle, page),
                Array.IndexOf(path, page) is >= 0 and var i && i < to.Length ? to[i] ?? "" : ""
            )),
        ];
        var chosen = Placed.Where(page => page.To.Length > 0).ToArray();
        if (chosen.Length == 0)
        {
            ModelState.AddModelError("to", "Choose a step for at least one page.");
            return Page();
        }
        var steps = new Dictionary<string, Step>();
        foreach (var page in chosen)
        {
            if (page.To == NewStep)
                steps[page.Path] = await MakeStep(page.Title);
            else if (Screen.Steps.FirstOrDefault(step => $"{step.Id.Value}" == page.To) is { } step)
                steps[page.Path] = step;
            else
                return NotFound();
        }
        await pages.AddAsync([
            .. chosen.Select(page => (steps[page.Path].Id, page.Title, Relinked(bundle, page.Path, steps))),
        ]);
        archives.Forget(id, Screen.Step.Id);
        Done =
            chosen.Length == 1
                ? $"{Format.Quoted(chosen[0].Title)} is added."
                : $"{chosen.Length} pages added. Links between them use the steps’ permanent links.";
        return Redirect(Screen.Address("build"));
    }

    private async Task<Step> MakeStep(string title)
    {
        var name = title.Length <= 80 ? title : title[..80];
        return await funnels.AddStepAsync(
            Screen.Funnel.Id,
            StepKind.Other,
            name,
            Slug.Free(Slug.From(name), funnels.SlugTaken)
        ) ?? throw new StoreException("That link name was just taken.");
    }

    private static PageBundle Relinked(PageBundle bundle, string path, Dictionary<string, Step> steps)
    {
        var source = bundle.Source(path);
        var at = new Uri("http://archive.invalid/" + path);
        var changed = PageLinks.Relink(source, address =>
            Uri.TryCreate(at, address, out var to)
            && to.Host == at.Host
            && steps.TryGetValue(Uri.UnescapeDataString(to.AbsolutePath.TrimStart('/')), out var step)
            && to.AbsolutePath != at.AbsolutePath
                ? $"/go/{step.Slug}{to.Query}{to.Fragment}"
                : null
        );
        var files =
            changed == source
                ? bundle.Files
                :
                [
                    .. bundle.Files.Select(file =>
                        file.Path == path ? file with { Content = System.Text.Encoding.UTF8.GetBytes(changed) } : file
                    ),
                ];
        return new(files, path);
    }

    private static string TitleOf(PageBundle bundle, string path) =>
        HostedHtml.Title(bundle.Source(path)) is { } title
            ? title.Length <= 120
                ? title
                : title[..120]
            : path;

    private RedirectResult Gone()
    {
        Done = "The upload has expired. Upload the .zip again.";
        return Redirect(Screen.Address("build/add"));
    }
}
