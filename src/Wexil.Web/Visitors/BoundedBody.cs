namespace Wexil.Web.Visitors;

/// <summary>Reads what was sent, up to a length, whether or not it was said how long it is.</summary>
public static class BoundedBody
{
    /// <returns>Null where it is longer, or broke off.</returns>
    public static async Task<byte[]?> ReadAsync(HttpContext http, int longest)
    {
        if (http.Request.ContentLength > longest)
            return null;
        using var body = new MemoryStream();
        var buffer = new byte[8 << 10];
        try
        {
            while (await http.Request.Body.ReadAsync(buffer, http.RequestAborted) is > 0 and var read)
            {
                if (body.Length + read > longest)
                    return null;
                body.Write(buffer, 0, read);
            }
        }
        catch (IOException)
        {
            return null;
        }
        return body.ToArray();
    }

    /// <summary>The fields of a form; null where it is none, is longer, or broke off.</summary>
    public static async Task<IFormCollection?> FormAsync(HttpContext http, int longest)
    {
        if (
            !http.Request.HasFormContentType
            || http.Request.ContentLength is null
            || http.Request.ContentLength > longest
        )
            return null;
        try
        {
            return await http.Request.ReadFormAsync(http.RequestAborted);
        }
        catch (Exception error) when (error is IOException or InvalidDataException)
        {
            return null;
        }
    }
}
