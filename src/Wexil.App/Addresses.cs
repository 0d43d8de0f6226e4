namespace Wexil.App;

/// <summary>Where the owner works, as browsers see it.</summary>
public sealed record StudioAddress(Uri Address)
{
    /// <summary>Scheme, host and port, without a slash behind.</summary>
    public string Origin => Address.GetLeftPart(UriPartial.Authority);
}

/// <summary>Where visitors come, as browsers see it: the host that stands in ads.</summary>
public sealed record VisitorsAddress(Uri Address)
{
    /// <summary>Scheme, host and port, without a slash behind.</summary>
    public string Origin => Address.GetLeftPart(UriPartial.Authority);

    /// <summary>A step's permanent link.</summary>
    public string Link(string slug) => $"{Origin}/go/{slug}";
}
