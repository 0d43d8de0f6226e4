using System.Collections.Concurrent;
using System.Reflection;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.Infrastructure;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store.Recording;
using Wexil.Web.Studio.Build;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Auditing;

/// <summary>Has every post that changed something written to the log, in the words of its handler.</summary>
public sealed class AuditFilter(AuditTrail trail, TimeProvider time) : IAsyncPageFilter
{
    private const int MaxRemembered = 1_000;
    private static readonly TimeSpan Sitting = TimeSpan.FromMinutes(15);

    private readonly ConcurrentDictionary<(string? Who, string Deed, string Path), DateTimeOffset> _frequent = [];

    /// <inheritdoc/>
    public Task OnPageHandlerSelectionAsync(PageHandlerSelectedContext context) => Task.CompletedTask;

    /// <inheritdoc/>
    public async Task OnPageHandlerExecutionAsync(
        PageHandlerExecutingContext context,
        PageHandlerExecutionDelegate next
    )
    {
        var logged = context.HandlerMethod?.MethodInfo.GetCustomAttribute<LoggedAttribute>();
        using var watch = WriteWatch.Begin();
        var executed = await next();
        if (logged?.Deed is not { } deed || !HasSucceeded(executed) || !(watch.HasWritten || logged.IsWork))
            return;
        var (http, path) = (context.HttpContext, context.HttpContext.Request.Path.Value ?? "");
        if (logged.IsFrequent && !IsFirst((http.User.Identity?.Name, deed, path)))
            return;
        var (detail, subject) = (AuditTrail.DetailOf(http) ?? "", SubjectOf(context.HandlerInstance));
        await trail.NoteAsync(
            http,
            deed,
            string.Join(" · ", new[] { detail, subject }.Where(part => part.Length > 0)),
            path
        );
    }

    private static bool HasSucceeded(PageHandlerExecutedContext executed) =>
        executed.Exception is null
        && !executed.Canceled
        && executed.Result switch
        {
            PageResult => executed.ModelState.IsValid,
            IStatusCodeActionResult { StatusCode: >= StatusCodes.Status400BadRequest } => false,
            _ => true,
        };

    private static string SubjectOf(object screen) =>
        screen switch
        {
            PageScreenModel { Shown: { } page, Screen: { } step } =>
                $"{page.Name} · {step.Step.Name} · {step.Funnel.Name}",
            StepPageModel { Screen: { } step } => $"{step.Step.Name} · {step.Funnel.Name}",
            FunnelPageModel { Funnel: { } funnel } => funnel.Name,
            _ => "",
        };

    private bool IsFirst((string? Who, string Deed, string Path) deed)
    {
        var now = time.GetUtcNow();
        if (_frequent.TryGetValue(deed, out var last) && now - last < Sitting)
            return false;
        if (_frequent.Count >= MaxRemembered)
            _frequent.Clear();
        _frequent[deed] = now;
        return true;
    }
}
