namespace Wexil.Web.Studio;

/// <summary>A screen that takes files: a signed-in person may send it more than a form needs.</summary>
/// <param name="megabytes">The largest request, files and form together.</param>
[AttributeUsage(AttributeTargets.Class)]
public sealed class UploadLimitAttribute(int megabytes) : Attribute
{
    /// <summary>In bytes.</summary>
    public long Bytes => (long)megabytes << 20;
}
