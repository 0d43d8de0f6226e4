using System.Net.WebSockets;
using System.Text.Json;
using System.Text.Json.Nodes;
using OpenQA.Selenium.Chrome;

namespace Wexil.Browser.Tests;

/// <summary>
/// Chromium's own protocol, for the browser as a whole: the driver speaks it only for the page that is open.
/// </summary>
internal sealed class DevTools : IDisposable
{
    private readonly ClientWebSocket _socket = new();
    private readonly byte[] _buffer = new byte[64 << 10];
    private int _asked;

    private DevTools() { }

    public static DevTools Connect(ChromeDriver driver)
    {
        var options = (Dictionary<string, object>)driver.Capabilities.GetCapability("goog:chromeOptions")!;
        using var http = new HttpClient();
        var version = http.GetStringAsync($"http://{options["debuggerAddress"]}/json/version").GetAwaiter().GetResult();
        var devTools = new DevTools();
        var address = new Uri((string)JsonNode.Parse(version)!["webSocketDebuggerUrl"]!);
        devTools._socket.ConnectAsync(address, default).GetAwaiter().GetResult();
        return devTools;
    }

    /// <summary>Asks for something and waits for its answer.</summary>
    public JsonObject Ask(string method, JsonObject parameters) =>
        AskAsync(method, parameters).GetAwaiter().GetResult();

    public void Dispose() => _socket.Dispose();

    private async Task<JsonObject> AskAsync(string method, JsonObject parameters)
    {
        var id = ++_asked;
        var question = new JsonObject
        {
            ["id"] = id,
            ["method"] = method,
            ["params"] = parameters,
        };
        await _socket.SendAsync(
            JsonSerializer.SerializeToUtf8Bytes(question),
            WebSocketMessageType.Text,
            true,
            default
        );
        while (true)
        {
            var said = await HearAsync();
            if ((int?)said["id"] != id)
                continue;
            return said["result"] as JsonObject
                ?? throw new InvalidOperationException($"{method}: {said["error"]?.ToJsonString()}");
        }
    }

    private async Task<JsonObject> HearAsync()
    {
        var read = 0;
        ValueWebSocketReceiveResult part;
        do
        {
            part = await _socket.ReceiveAsync(_buffer.AsMemory(read), default);
            read += part.Count;
        } while (!part.EndOfMessage);
        return (JsonObject)JsonNode.Parse(_buffer.AsSpan(0, read))!;
    }
}
