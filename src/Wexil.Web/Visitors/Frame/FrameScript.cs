using System.Text;
using Wexil.Core.Common;
using Wexil.Pages.Source;

namespace Wexil.Web.Visitors.Frame;

/// <summary>
/// The script of a page that is shown in a frame of Studio. Its files are one script, which stands in the page itself:
/// nothing else may be fetched there.
/// </summary>
internal static class FrameScript
{
    private static readonly string[] Files = ["parts", "marks", "patch", "writing", "main"];

    private static readonly string Text = Load();

    /// <param name="nonce">The one that the page's policy lets run.</param>
    /// <param name="revision">Of the draft that is shown.</param>
    public static string Element(string nonce, string use, long revision) =>
        string.Create(
            System.Globalization.CultureInfo.InvariantCulture,
            $"<script nonce=\"{nonce}\" data-use=\"{use}\" data-revision=\"{revision}\">{Text}</script>"
        );

    private static string Load()
    {
        var script = new StringBuilder();
        script.AppendLine(
            $$"""
            (() => {
            const { use, revision } = document.currentScript.dataset;
            document.currentScript.remove();
            const editing = use === "edit";
            const say = (what, more = {}) => parent.postMessage({ wexil: what, ...more }, "*");
            const inline = new Set("{{string.Join(' ', InlineTags.Names)}}".split(" "));
            """
        );
        foreach (var file in Files)
            script.AppendLine(EmbeddedText.Read(typeof(FrameScript).Assembly, $"Visitors.Frame.{file}.js"));
        return script.Append("})();").ToString();
    }
}
