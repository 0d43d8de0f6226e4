using Microsoft.AspNetCore.Components;
using Microsoft.AspNetCore.Components.Web;

namespace Wexil.Web.Visitors.Documents;

/// <summary>Turns the documents of the visitors' side into HTML.</summary>
public static class DocumentRenderer
{
    /// <param name="values">The component's parameters, by name.</param>
    public static async Task<string> RenderAsync<TDocument>(
        HttpContext http,
        params (string Name, object? Value)[] values
    )
        where TDocument : IComponent
    {
        var services = http.RequestServices;
        await using var renderer = new HtmlRenderer(services, services.GetRequiredService<ILoggerFactory>());
        var parameters = ParameterView.FromDictionary(values.ToDictionary(value => value.Name, value => value.Value));
        return await renderer.Dispatcher.InvokeAsync(async () =>
            (await renderer.RenderComponentAsync<TDocument>(parameters)).ToHtmlString()
        );
    }

    /// <summary>Answers with a document.</summary>
    public static async Task WriteAsync<TDocument>(HttpContext http, params (string Name, object? Value)[] values)
        where TDocument : IComponent
    {
        var html = await RenderAsync<TDocument>(http, values);
        http.Response.ContentType = "text/html; charset=utf-8";
        http.Response.Headers.XContentTypeOptions = "nosniff";
        await http.Response.WriteAsync(html, http.RequestAborted);
    }
}
