using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using QRCoder;
using Wexil.App.Tickets;
using Wexil.Store.Team;
using Wexil.Web.Studio.Account;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Profile;

/// <summary>Turns the second step of signing in on and off, and hands out recovery codes.</summary>
[EveryRole]
public sealed class TwoStepModel(
    TeamStore team,
    Sessions sessions,
    SecondStep secondStep,
    SignInAttempts attempts,
    ITicketSeal seal
) : PageModel
{
    private const string Purpose = "new second step";
    private static readonly TimeSpan SetUpTime = TimeSpan.FromHours(1);

    public Member Self { get; private set; } = null!;

    /// <summary>The secret that is offered, sealed: the same one while a wrong code is mended.</summary>
    [BindProperty]
    public string? Offer { get; set; }

    [BindProperty]
    public string? Code { get; set; }

    [BindProperty]
    public string? Current { get; set; }

    /// <summary>The secret in the letters that are typed into an app.</summary>
    public string Secret { get; private set; } = "";

    /// <summary>The same in parts of four.</summary>
    public string SecretInParts => string.Join(' ', Secret.Chunk(4).Select(part => new string(part)));

    /// <summary>Shown this once; null where none were made just now.</summary>
    public IReadOnlyList<string>? NewCodes { get; private set; }

    [TempData]
    public string? Done { get; set; }

    /// <summary>The secret as a picture for an app's camera.</summary>
    public string Picture
    {
        get
        {
            using var code = QRCodeGenerator.GenerateQrCode(
                SecondStep.AddressFor(Secret, Self.Name),
                QRCodeGenerator.ECCLevel.M
            );
            using var picture = new PngByteQRCode(code);
            return "data:image/png;base64," + Convert.ToBase64String(picture.GetGraphic(pixelsPerModule: 5));
        }
    }

    /// <summary>A member who signed in by a link of the command line may have no password yet.</summary>
    public bool NeedsPassword => Self.PasswordHash is not null;

    public void OnGet() => Load();

    /// <summary>Codes are asked for from now on, once the first one is right.</summary>
    [Logged("Turned two-step sign-in on")]
    public async Task<IActionResult> OnPostOnAsync()
    {
        Load();
        if (Self.HasSecondStep && !secondStep.IsSecretOf(Self, Secret))
            return RedirectToPage();
        // A stranger at a browser left signed in could lock its member out.
        if (NeedsPassword && !await KnowsPasswordAsync())
            return Page();
        // Pressed twice, the codes of the first answer were never seen.
        NewCodes = Self.HasSecondStep
            ? await secondStep.RenewCodesAsync(Self)
            : await secondStep.TurnOnAsync(Self, Secret, Code ?? "");
        if (NewCodes is null)
        {
            ModelState.AddModelError(
                nameof(Code),
                "This code is wrong. Enter the one that the app shows now; the clock of your phone has to be right."
            );
            return Page();
        }
        await sessions.EndOthersAsync(HttpContext);
        Load();
        return Page();
    }

    /// <summary>Other recovery codes.</summary>
    [Logged("Made new recovery codes")]
    public async Task<IActionResult> OnPostCodesAsync()
    {
        Load();
        if (!Self.HasSecondStep || !await KnowsPasswordAsync())
            return Page();
        NewCodes = await secondStep.RenewCodesAsync(Self);
        Load();
        return Page();
    }

    /// <summary>The password alone signs in again.</summary>
    [Logged("Turned two-step sign-in off")]
    public async Task<IActionResult> OnPostOffAsync()
    {
        Load();
        if (!Self.HasSecondStep || !await KnowsPasswordAsync())
            return Page();
        await team.DropSecondStepAsync(Self.Id);
        Done = "Two-step sign-in is off.";
        return RedirectToPage("/Profile/Account");
    }

    private async Task<bool> KnowsPasswordAsync()
    {
        const string wrong = "This is not your current password.";
        if (await attempts.ProblemWithPasswordAsync(HttpContext, Self, Current, wrong) is not { } problem)
            return true;
        ModelState.AddModelError(nameof(Current), problem);
        return false;
    }

    private void Load()
    {
        Self = sessions.MemberOf(HttpContext);
        Secret = Offer is null ? SecondStep.NewSecret() : seal.Open(Purpose, Offer) ?? SecondStep.NewSecret();
        Offer = seal.Seal(Purpose, Secret, SetUpTime);
        // A hidden field shows what is in the model state first.
        ModelState.Remove(nameof(Offer));
    }
}
