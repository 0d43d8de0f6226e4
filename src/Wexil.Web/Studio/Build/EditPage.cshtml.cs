using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Mvc;
using Wexil.App.Drafts;
using Wexil.App.Tickets;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Editing;
using Wexil.Pages.Source;
using Wexil.Store;
using Wexil.Store.Team;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>
/// A page changed where it stands, or in its source. What is changed is a draft until it is published.
/// </summary>
[UploadLimit(16)]
public sealed class EditPageModel(
    StepScreens screens,
    PageContext context,
    DraftEditor editor,
    TypedAddress addresses,
    IAntiforgery antiforgery
) : PageScreenModel(screens, context)
{
    private const int LargestPicture = 8 << 20;

    private PageDraft? _draft;

    public PageDraft Draft => _draft ??= Context.Drafts.For(Shown);

    public string Frame => Context.Frame(Shown, PreviewUse.Edit);

    /// <summary>The name that was given by counting, and waits for a better one.</summary>
    public bool HasPlainName => CloneName.IsUsual(Shown.Name);

    [BindProperty]
    public string Name { get; set; } = "";

    [BindProperty]
    public string? Source { get; set; }

    /// <summary>Where a page hosted elsewhere is.</summary>
    [BindProperty]
    public string? Address { get; set; }

    /// <summary>The person was told that another address starts a phase, and saved again.</summary>
    [BindProperty]
    public bool IsConfirmed { get; set; }

    /// <summary>Asks whether the address is to be changed while a test runs.</summary>
    public bool AsksAboutPhase { get; private set; }

    /// <summary>The revision of the draft that the person saw.</summary>
    [BindProperty]
    public long At { get; set; }

    /// <summary>Names what the editor asks for, so that it is done once however often it is sent.</summary>
    [BindProperty]
    public Guid Token { get; set; }

    /// <summary>Names a sitting at one text, whose edits are undone together.</summary>
    [BindProperty]
    public Guid? Sitting { get; set; }

    private DraftAuthor Author => new(At, Token == Guid.Empty ? Guid.NewGuid() : Token, Sitting);

    /// <summary>What the buttons of a page hosted elsewhere say, where that leads, and to which step.</summary>
    public IEnumerable<(string Says, string Path, Step Next)> ButtonLinks(Step yes)
    {
        yield return (Screen.Step.Kind.AsksYesOrNo() ? "Yes" : "On", $"/buy/{Shown.Slug}", yes);
        if (Screen.Step.Kind.AsksYesOrNo() && FunnelPath.No(Screen.Steps, Screen.Step) is { } no)
            yield return ("No", $"/no/{Shown.Slug}", no);
    }

    public IActionResult OnGet()
    {
        // Where nothing can be changed, an editor would only puzzle.
        if (Shown.IsHosted && !User.IsInRole(nameof(Role.Marketer)))
            return Redirect(Own("preview"));
        (Name, Address) = (Shown.Name, Shown.Outside?.AbsoluteUri);
        if (Shown.IsHosted)
            Source = Draft.Source;
        return Page();
    }

    /// <summary>The source of the draft, for the source view.</summary>
    public IActionResult OnGetSource() =>
        Shown.IsHosted ? Content(Context.Drafts.For(Shown).Source, "text/plain; charset=utf-8") : NotFound();

    /// <summary>How the draft stands: what differs, what is not wired.</summary>
    public IActionResult OnGetState()
    {
        if (!Shown.IsHosted)
            return NotFound();
        var (changes, wiring) = Context.Review(Shown, Screen);
        return new JsonResult(
            new
            {
                revision = Context.Drafts.For(Shown).Revision,
                differs = Shown.HasDraft,
                changes = changes is null
                    ? null
                    : new
                    {
                        changes.Label,
                        changes.Sentence,
                        tone = changes.Verdict.ToString().ToLowerInvariant(),
                        list = changes
                            .Changes.Take(40)
                            .Select(change => new { change.Sentence, node = change.AfterNode }),
                    },
                name = HasPlainName ? changes?.Name : null,
                wiring = new
                {
                    wiring.Forms,
                    wiring.Buttons,
                    wiring.Noes,
                    notes = wiring.Notes.Select(note => new
                    {
                        problem = note.Problem.ToString(),
                        note.Node,
                        note.What,
                        note.Remedy,
                    }),
                },
            }
        );
    }

    /// <summary>The pictures that the page has.</summary>
    public IActionResult OnGetPictures()
    {
        if (!Shown.IsHosted)
            return NotFound();
        return new JsonResult(
            Context
                .Pages.Hashes(Shown.Id, Shown.Revision, withDraft: true)
                .Where(file => ContentTypes.ForPath(file.Key)?.StartsWith("image/", StringComparison.Ordinal) == true)
                .OrderBy(file => file.Key, StringComparer.Ordinal)
                .Take(200)
                .Select(file => new { path = FromEntry(file.Key), address = Context.Asset(file.Value, file.Key) })
        );
    }

    /// <summary>All of the page as it is now, for an editor that has lost its way.</summary>
    public IActionResult OnGetWhole() => Shown.IsHosted ? Answer(editor.Whole(Shown)) : NotFound();

    /// <summary>For an editor whose session expired and that was signed in again elsewhere.</summary>
    public IActionResult OnGetToken() =>
        new JsonResult(new { token = antiforgery.GetAndStoreTokens(HttpContext).RequestToken });

    [Logged("Edited a page", IsFrequent = true)]
    public async Task<IActionResult> OnPostEditAsync() =>
        Shown.IsHosted
            ? Answer(await editor.EditAsync(Shown, Author, seen => new EditForm(Request.Form).Read(seen)))
            : NotFound();

    /// <summary>Another picture, from the person's own files.</summary>
    /// <param name="background">The picture is the one behind the part.</param>
    [Logged("Edited a page", IsFrequent = true)]
    public async Task<IActionResult> OnPostPictureAsync(
        int node,
        string? alternative,
        IFormFile? picture,
        bool background = false
    )
    {
        if (!Shown.IsHosted)
            return NotFound();
        if (picture is not { Length: > 0 })
            return Refuse("Choose a picture.");
        if (picture.Length > LargestPicture)
            return Refuse(
                $"A picture can have up to {LargestPicture >> 20} MB; this one is "
                    + $"{Locale.Current.Brief(picture.Length / 1048576.0, 1)} MB."
            );
        var extension = Path.GetExtension(picture.FileName).ToLowerInvariant();
        using var memory = new MemoryStream();
        await picture.CopyToAsync(memory);
        if (!PictureFile.IsPicture(extension, memory.GetBuffer().AsSpan(0, (int)memory.Length)))
            return Refuse("Choose a JPEG, PNG, GIF, WebP, AVIF or SVG picture.");
        var taken = Context
            .Pages.Hashes(Shown.Id, Shown.Revision, withDraft: true)
            .Keys.Concat(Context.Sections.FilesBeside(Shown))
            .ToHashSet(StringComparer.OrdinalIgnoreCase);
        var path = PictureFile.Free(Path.GetFileNameWithoutExtension(picture.FileName), extension, taken);
        await Context.Drafts.AddFileAsync(Shown.Id, new(path, memory.ToArray()));
        PageEdit edit = background
            ? new PageEdit.Background(node, FromEntry(path))
            : new PageEdit.Picture(node, FromEntry(path), alternative ?? "");
        return Answer(await editor.EditAsync(Shown, Author, _ => edit));
    }

    /// <summary>Makes a part of the page a section; its versions have screens of their own.</summary>
    /// <param name="withNext">The part below belongs to it, and a version has the two the other way round.</param>
    [Logged("Made a section")]
    public async Task<IActionResult> OnPostSectionAsync(int node, string? section, bool withNext = false)
    {
        if (!Shown.IsHosted || Screen.Step.IsSection)
            return NotFound();
        if (section?.Trim() is not { Length: > 0 and <= 120 } name)
            return Refuse("Enter a name for the section, of up to 120 characters.");
        if (Context.Drafts.SourceAt(Shown, At) is not { } seen)
            return Refuse("The page was changed in the meantime. It has been reloaded.");
        var key = Slug.Free(Slug.From(name), Context.Funnels.SlugTaken);
        PageEdit.MarkSection mark = new(node, key, withNext);
        // What cannot be marked leaves no section behind.
        var first = PageEditor.Apply(seen, mark).Source is { } marked ? SectionedPage.Parse(marked).First(key) : null;
        if (first is null)
            return Answer(await editor.EditAsync(Shown, Author, _ => mark));
        if (await Context.Funnels.AddSectionAsync(Screen.Step, name, key, first) is not { } made)
            return Refuse("A step or section with that name was just added. Try again.");
        if (withNext && OtherOrder.Of(first) is { } turned)
            await Context.Pages.AddVersionAsync(made.Id, "Other order", turned);
        var answer = await editor.EditAsync(Shown, Author, _ => mark);
        // Nor does what was marked by the same click before.
        if (SectionedPage.Parse(Context.Drafts.For(Shown).Source).First(made.Slug) is null)
            await Context.Funnels.ArchiveStepAsync(made.Id, forward: null);
        return Answer(answer);
    }

    /// <summary>What a section of a page hosted elsewhere is to be called.</summary>
    [BindProperty]
    public string? SectionName { get; set; }

    /// <summary>Adds a section of a page hosted elsewhere, which the owner marks by a line.</summary>
    [Logged("Made a section")]
    public async Task<IActionResult> OnPostOutsideSectionAsync()
    {
        if (Shown.IsHosted || Screen.Step.IsSection)
            return NotFound();
        (Name, Address) = (Shown.Name, Shown.Outside!.AbsoluteUri);
        ModelState.Clear();
        if (SectionName?.Trim() is not { Length: > 0 and <= 120 } name)
        {
            ModelState.AddModelError(nameof(SectionName), "Enter a name for the section, of up to 120 characters.");
            return Page();
        }
        var key = Slug.Free(Slug.From(name), Context.Funnels.SlugTaken);
        if (await Context.Funnels.AddSectionAsync(Screen.Step, name, key, SectionMark.AsItStands) is not { } made)
        {
            ModelState.AddModelError(nameof(SectionName), "A step or section with that name was just added.");
            return Page();
        }
        Done = "Paste the code below into your page, then create another variation.";
        return Redirect(Screen.Address(made, "build"));
    }

    [Logged("Edited a page", IsFrequent = true)]
    public async Task<IActionResult> OnPostUndoAsync() =>
        Shown.IsHosted ? Answer(await editor.StepAsync(Shown, Author, back: true)) : NotFound();

    [Logged("Edited a page", IsFrequent = true)]
    public async Task<IActionResult> OnPostRedoAsync() =>
        Shown.IsHosted ? Answer(await editor.StepAsync(Shown, Author, back: false)) : NotFound();

    /// <summary>Saves name and source as typed: the way without script.</summary>
    [Logged("Edited a page", IsFrequent = true)]
    public async Task<IActionResult> OnPostSaveAsync()
    {
        if (Shown.IsHosted)
        {
            // A version of a section may be a few words, or nothing.
            Source ??= "";
            if (string.IsNullOrWhiteSpace(Source) && !Screen.Step.IsSection)
                ModelState.AddModelError(nameof(Source), "The page cannot be empty.");
            else if (PageSource.Problem(Screen.Step.IsSection ? Source + "<br>" : Source) is { } problem)
                ModelState.AddModelError(nameof(Source), problem);
            else if (At != Draft.Revision)
                ModelState.AddModelError(
                    nameof(Source),
                    "The page was changed in another window in the meantime. Copy your text, reload the page "
                        + "and paste it in."
                );
        }
        var moved = Shown.IsHosted ? null : Moved();
        // Nothing is saved until everything can be.
        CheckName();
        if (!ModelState.IsValid || AsksAboutPhase)
            return Page();
        if (moved is null)
            await RenameAsync();
        else
        {
            await Context.Pages.ChangeOutsideAsync(Shown.Id, Name.Trim(), moved);
        }
        if (Shown.IsHosted && AsBefore(Source!, Draft.Source) is var source && source != Draft.Source)
            await Context.Drafts.EditAsync(Shown, Draft, source, "Source");
        Done = Shown.IsHosted
            ? "Draft saved. Visitors see it once you publish."
            : $"{Format.Quoted(Context.Pages.Find(Shown.Id)!.Name)} saved."
                + $"{(moved is null ? "" : addresses.TwinOf(Shown.Id, moved))}";
        return Redirect(Shown.IsHosted ? Own() : Screen.Address("build"));
    }

    /// <summary>Renames while the person goes on.</summary>
    [Logged("Renamed a page")]
    public async Task<IActionResult> OnPostNameAsync()
    {
        CheckName();
        if (ModelState[nameof(Name)]?.Errors.FirstOrDefault() is { } error)
            return new JsonResult(new { problem = error.ErrorMessage })
            {
                StatusCode = StatusCodes.Status422UnprocessableEntity,
            };
        await RenameAsync();
        return new JsonResult(new { name = Name.Trim() });
    }

    [Logged("Published a page")]
    public async Task<IActionResult> OnPostPublishAsync()
    {
        if (!Shown.IsHosted)
            return NotFound();
        if (!Shown.HasDraft && !GoesLive)
        {
            Done = "Nothing to publish: no changes since the last publish.";
            return Redirect(Own());
        }
        var looksTheSame = Context.Sections.LooksTheSame(Shown, Screen.Funnel.Id);
        if (IsTested && !looksTheSame)
            return Redirect(Own("publish"));
        if (Shown.HasDraft)
            await Context.Pages.PublishAsync(Shown, Context.Drafts.For(Shown).Source, "", looksTheSame);
        var isLive = await GoLiveAsync() || IsTested || Screen.Step.Page == Shown.Id;
        Done =
            $"{Format.Quoted(Shown.Name)} is published. "
            + (
                isLive
                    ? "Visitors see it from now on."
                    : "Visitors see it once you start a test with it or make it live."
            );
        return Redirect(Screen.Address("build"));
    }

    /// <summary>
    /// Another address of a page hosted elsewhere; null where it stays, is none, or has to be asked about first.
    /// </summary>
    private Uri? Moved()
    {
        var (address, problem) = addresses.Read(Address, Screen.Step.Slug);
        if (address is null)
        {
            ModelState.AddModelError(nameof(Address), problem!);
            return null;
        }
        if (address == Shown.Outside)
            return null;
        AsksAboutPhase = IsTested && !IsConfirmed;
        return AsksAboutPhase ? null : address;
    }

    private void CheckName()
    {
        if (string.IsNullOrWhiteSpace(Name))
            ModelState.AddModelError(nameof(Name), "Enter a name for the page.");
        else if (Name.Trim().Length > 120)
            ModelState.AddModelError(nameof(Name), "At most 120 characters.");
    }

    private async Task RenameAsync()
    {
        if (Name.Trim() != Shown.Name)
            await Context.Pages.RenameAsync(Shown.Id, Name.Trim());
    }

    private IActionResult Refuse(string problem) => Answer(editor.Refused(Shown, problem));

    // Whatever was asked for, the editor learns how the draft stands: what is refused is a part of the answer.
    private static JsonResult Answer(EditorAnswer answer) =>
        new(
            new
            {
                revision = answer.Step.Draft.Revision,
                canUndo = answer.Step.Draft.CanUndo,
                canRedo = answer.Step.Draft.CanRedo,
                label = answer.Step.Label,
                node = answer.Node,
                problem = answer.Problem,
                conflict = answer.Conflict,
                patch = new
                {
                    kind = answer.Patch.Kind.ToString().ToLowerInvariant(),
                    from = answer.Patch.From,
                    to = answer.Patch.To,
                    shift = answer.Patch.Shift,
                    parent = answer.Patch.Parent,
                    before = answer.Patch.Before,
                    after = answer.Patch.After,
                    html = answer.Patch.Html,
                },
                change = answer.Change is { } change
                    ? new
                    {
                        start = change.Start,
                        removed = change.Removed.Length,
                        inserted = change.Inserted,
                    }
                    : null,
            }
        );

    /// <summary>A file of the page's folder as the page itself names it.</summary>
    private string FromEntry(string path) =>
        string.Concat(Enumerable.Repeat("../", Shown.Entry!.Count(c => c == '/'))) + path;

    // Browsers send line ends as CR LF; the page keeps the ones that it has.
    private static string AsBefore(string typed, string before) =>
        before.Contains("\r\n", StringComparison.Ordinal) ? typed : typed.ReplaceLineEndings("\n");
}
