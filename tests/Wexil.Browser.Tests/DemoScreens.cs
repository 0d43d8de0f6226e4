namespace Wexil.Browser.Tests;

/// <summary>The demo's screens at a desk, on a phone, and in a usual window at 200% zoom.</summary>
internal static class DemoScreens
{
    private static readonly (int Width, int Height) Desk = (1280, 800),
        Phone = (390, 844),
        Zoomed = (640, 400);

    public static readonly (string Name, string Path, string Shows)[] OfFunnels =
    [
        ("build", "/f/balcony-harvest/calendar/build", "Photo of the rail planter"),
        ("edit", "/f/balcony-harvest/calendar/build/first-salad-in-21-days", "1 form connected"),
        ("compare", "/f/balcony-harvest/calendar/build/photo-of-the-rail-planter/compare", "One change: if it wins"),
        (
            "preview",
            "/f/balcony-harvest/calendar/build/original-calendar/preview",
            "No headline ends with a single word on its last line."
        ),
        ("carry", "/f/balcony-harvest/calendar/build/a-gift-for-your-balcony/carry", "Carry over to the drafts"),
        ("steps", "/f/balcony-harvest/steps", "yes → Order received"),
        (
            "versions",
            "/f/balcony-harvest/calendar/build/a-gift-for-your-balcony/versions",
            "The small print, corrected"
        ),
        (
            "page-settings",
            "/f/balcony-harvest/calendar/build/first-salad-in-21-days/settings",
            "Let search engines list"
        ),
        ("publish", "/f/balcony-harvest/calendar/build/first-salad-in-21-days/publish", "a new phase"),
        ("place", "/f/balcony-harvest/calendar/build/first-salad-in-21-days/place", "Step"),
        ("files", "/f/balcony-harvest/files", "seedlings.svg"),
        ("money", "/f/balcony-harvest/kit/count?by=money", "Revenue by group"),
        ("send", "/f/balcony-harvest/calendar/send", "Drag a handle"),
        ("who", "/f/balcony-harvest/calendar/send", "Who takes part"),
        ("two-steps", "/f/balcony-harvest/kit/count", "does better than expected"),
        ("sources", "/f/balcony-harvest/sources", "Daily costs"),
        ("count", "/f/balcony-harvest/calendar/count", "but not by enough to be sure"),
        ("sections", "/f/balcony-harvest/kit/sections", "Keep these together"),
        ("section-build", "/f/balcony-harvest/kit-headline/build", "Variations of “Headline”"),
        ("banner", "/f/balcony-notes/notes-banner/keep", "Keep B. It got"),
        ("banner-line", "/f/balcony-notes/notes-banner/build", "Code for your page"),
        ("keep", "/f/balcony-harvest/kit/keep", "Keep B. It got"),
        ("learned", "/f/balcony-harvest/calendar/keep", "Change the words, not the color"),
        ("add", "/f/balcony-harvest/calendar/build/add", "Import"),
        ("new-step", "/f/herb-club/steps/new", "Permanent link"),
        ("rehearse", "/f/balcony-harvest/rehearsal", "See the whole funnel work"),
        ("goals", "/f/balcony-harvest/calendar/goals", "valued at the amount sent"),
        ("wiring", "/f/herb-club/wiring", "Not checked yet"),
        ("segments", "/f/balcony-harvest/calendar/count?by=money&running=true&segment=Country", "United States"),
        ("problem", "/f/herb-club/swap/count", "in a row without one opt-in"),
    ];

    public static readonly (string Name, string Path, string Shows)[] Others =
    [
        ("today", "/", "2 tests are ready to keep, and one needs attention."),
        ("settings", "/settings", "private addresses"),
        ("rates", "/settings/rates", "1.08 USD"),
        (
            "workbench",
            "/workbench?p[0].Visitors=1661&p[0].Conversions=441&p[1].Visitors=1647&p[1].Conversions=520",
            "Compare pages from any source"
        ),
        ("plan", "/workbench/plan?Rate=26&Lift=10&PerDay=340&Pages=3", "Smallest lift you can find in"),
        ("split-check", "/workbench/split?Visitors=1661+1647", "as closely as chance allows"),
        ("funnels", "/funnels", "Most visitors first"),
        ("archived", "/funnels?archived=true", "No archived funnels."),
        ("sales", "/sales", "orders in USD"),
        ("order", "/sales/order?order=K-4001&currency=USD", "Record a refund"),
        ("tests", "/tests?q=", "Change the words"),
        ("new-funnel", "/funnels/new", "Start with"),
        ("jump", "/jump?q=e", "page of"),
        ("guide", "/guide/keep", "expected cost of each choice"),
        ("brand", "/brand", "Background"),
        ("account", "/account", "this browser"),
        ("two-step", "/account/two-step", "Scan this with an app"),
        ("team", "/team", "Mira Halloran"),
        ("log", "/team/log", "Joined as a marketer"),
        ("status", "/status", "Disk and memory"),
        ("people", "/people?tag=salad", "people found"),
        ("people-file", "/people/file", "You see a preview first"),
    ];

    public static async Task AreAllGoodAsync((string Name, string Path, string Shows)[] screens)
    {
        await using var site = await Site.StartDemoAsync();
        using var owner = new Browser(Desk.Width, Desk.Height);
        site.SignIn(owner);
        foreach (var (name, path, shows) in screens)
        {
            owner.Resize(Desk.Width, Desk.Height);
            owner.Open(site.Studio, path);
            owner.WaitForText(shows);
            Prepare(owner, name);
            owner.IsAccessible();
            owner.HoldsRightToLeft();
            owner.KeepsStill();
            await TakePictureAsync(owner, name);
            owner.Resize(Phone.Width, Phone.Height);
            owner.IsAccessible();
            owner.HoldsRightToLeft();
            owner.Resize(Zoomed.Width, Zoomed.Height);
            owner.HoldsRightToLeft();
        }
    }

    private static void Prepare(Browser owner, string name)
    {
        if (name == "edit")
        {
            owner.Run(
                "[...document.querySelectorAll('.parts button')].find((part) => "
                    + "part.textContent.startsWith('Headline')).click()"
            );
            owner.WaitForText("Edit text");
        }
        if (name == "who")
            owner.Run("document.querySelector('#who').open = true; document.querySelector('#who').scrollIntoView()");
        if (name == "segments")
            owner.Run("document.querySelector('[data-live=time]').scrollIntoView()");
        if (name == "two-steps")
            owner.Run("[...document.querySelectorAll('[data-live^=crossing]')].pop().scrollIntoView()");
    }

    /// <summary>With WEXIL_PICTURES naming a folder, a picture that lies there is taken anew.</summary>
    private static async Task TakePictureAsync(Browser owner, string name)
    {
        if (
            Environment.GetEnvironmentVariable("WEXIL_PICTURES") is { Length: > 0 } folder
            && File.Exists(Path.Combine(folder, name + ".png"))
        )
        {
            owner.WaitForPreviews();
            await File.WriteAllBytesAsync(Path.Combine(folder, $"{name}.png"), owner.Picture());
        }
    }
}
