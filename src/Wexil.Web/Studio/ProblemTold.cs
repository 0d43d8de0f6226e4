using Microsoft.AspNetCore.Diagnostics;

namespace Wexil.Web.Studio;

/// <summary>
/// A request whose problem is being told: it runs through the door once more, where it was let in already.
/// </summary>
internal static class ProblemTold
{
    public static bool IsTellingOfProblem(this HttpContext http) =>
        http.Features.Get<IStatusCodeReExecuteFeature>() is not null
        || http.Features.Get<IExceptionHandlerFeature>() is not null;
}
