namespace Wexil.Web.Visitors;

/// <summary>A public address: it says itself where it is and how it answers.</summary>
public interface IVisitorsEndpoint
{
    /// <summary>Adds what it answers; plain request delegates, so that nothing is bound on a visitor's way.</summary>
    void Map(IEndpointRouteBuilder routes);
}
