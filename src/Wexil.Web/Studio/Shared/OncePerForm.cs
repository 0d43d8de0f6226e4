using System.Reflection;
using System.Security.Cryptography;
using System.Text;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.Extensions.Options;

namespace Wexil.Web.Studio.Shared;

/// <summary>
/// Has what a form asks for done once, however often it is sent: a second click waits for the first and gets the same
/// answer. A form is known by its antiforgery token, which is another each time a screen is loaded, together with what
/// was filled in: who corrects something and sends it again asks for something else.
/// </summary>
public sealed class OncePerForm(IOptions<AntiforgeryOptions> antiforgery, TimeProvider time) : IAsyncPageFilter
{
    /// <summary>The same form sent again within this is a second click; a slow connection may take as long.</summary>
    public static readonly TimeSpan Window = TimeSpan.FromMinutes(2);
    private const int MaxRemembered = 10_000;

    private readonly Lock _lock = new();
    private readonly Dictionary<string, (Task<Answer?> Answer, DateTimeOffset At)> _sent = [];

    /// <summary>Where the first sending led, and what the next screen says of it.</summary>
    private sealed record Answer(IActionResult Result, IReadOnlyDictionary<string, object?> Said);

    /// <inheritdoc/>
    public Task OnPageHandlerSelectionAsync(PageHandlerSelectedContext context) => Task.CompletedTask;

    /// <inheritdoc/>
    public async Task OnPageHandlerExecutionAsync(
        PageHandlerExecutingContext context,
        PageHandlerExecutionDelegate next
    )
    {
        if (await FingerprintAsync(context.HttpContext) is not { } form)
        {
            await next();
            return;
        }
        var own = new TaskCompletionSource<Answer?>(TaskCreationOptions.RunContinuationsAsynchronously);
        while (Earlier(form, own.Task) is { } earlier)
        {
            if (await earlier.WaitAsync(context.HttpContext.RequestAborted) is not { } answer)
                continue;
            Say(context, answer.Said);
            context.Result = answer.Result;
            return;
        }
        Answer? made = null;
        try
        {
            made = AnswerOf(await next());
        }
        finally
        {
            // What led nowhere was refused or failed, and may be sent again.
            if (made is null)
                Forget(form);
            own.SetResult(made);
        }
    }

    /// <summary>The same for the same form with the same content; null for what is no form of a member's.</summary>
    private async Task<string?> FingerprintAsync(HttpContext http)
    {
        var isMembers =
            http.User.Identity?.IsAuthenticated == true
            && http.GetEndpoint()?.Metadata.GetMetadata<IAllowAnonymous>() is null;
        if (!isMembers || !HttpMethods.IsPost(http.Request.Method) || !http.Request.HasFormContentType)
            return null;
        var form = await http.Request.ReadFormAsync(http.RequestAborted);
        if (form[antiforgery.Value.FormFieldName].Count == 0)
            return null;
        var content = new StringBuilder($"{http.Request.Path}{http.Request.QueryString}\n");
        foreach (var (name, values) in form)
            content.Append(name).Append('\n').AppendJoin('\n', values.ToArray()).Append('\0');
        foreach (var file in form.Files)
            content.Append($"{file.Name}\n{file.FileName}\n{file.Length}\0");
        return Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(content.ToString())));
    }

    /// <summary>The earlier sending of a form; null where this is the first, which is noted.</summary>
    private Task<Answer?>? Earlier(string form, Task<Answer?> own)
    {
        var now = time.GetUtcNow();
        lock (_lock)
        {
            if (_sent.TryGetValue(form, out var known) && now - known.At < Window)
                return known.Answer;
            // An answer may hold what is shown once only, such as an invitation.
            ForgetOld(now);
            _sent[form] = (own, now);
            return null;
        }
    }

    private void ForgetOld(DateTimeOffset now)
    {
        foreach (var (form, sent) in _sent)
            if (now - sent.At >= Window)
                _sent.Remove(form);
        if (_sent.Count >= MaxRemembered)
            _sent.Clear();
    }

    private void Forget(string form)
    {
        lock (_lock)
            _sent.Remove(form);
    }

    private static Answer? AnswerOf(PageHandlerExecutedContext executed)
    {
        if (executed is not { Exception: null, Canceled: false, Result: RedirectResult or RedirectToPageResult })
            return null;
        var said = new Dictionary<string, object?>();
        foreach (var property in Messages(executed.HandlerInstance))
            said[property.Name] = property.GetValue(executed.HandlerInstance);
        if (executed.HandlerInstance is PageModel page)
            foreach (var name in page.TempData.Keys)
                said.TryAdd(name, page.TempData.Peek(name));
        return new(executed.Result, said);
    }

    private static void Say(PageHandlerExecutingContext context, IReadOnlyDictionary<string, object?> said)
    {
        var properties = Messages(context.HandlerInstance).ToDictionary(property => property.Name);
        foreach (var (name, value) in said)
            if (properties.TryGetValue(name, out var property))
                property.SetValue(context.HandlerInstance, value);
            else if (context.HandlerInstance is PageModel page)
                page.TempData[name] = value;
    }

    private static IEnumerable<PropertyInfo> Messages(object screen) =>
        screen.GetType().GetProperties().Where(property => property.IsDefined(typeof(TempDataAttribute)));
}
