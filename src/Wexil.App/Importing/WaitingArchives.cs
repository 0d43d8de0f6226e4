using System.Globalization;
using System.Security.Cryptography;
using Microsoft.Extensions.Logging;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Store;

namespace Wexil.App.Importing;

/// <summary>
/// Archives with several pages that wait until it is said where each belongs. They lie on disk for a day, and survive a
/// restart.
/// </summary>
public sealed class WaitingArchives(DataFolder folder, TimeProvider time, ILogger<WaitingArchives> logger)
{
    private const int MaxCount = 20,
        IdBytes = 12;
    private static readonly TimeSpan Life = TimeSpan.FromDays(1);
    private static readonly Action<ILogger, Exception?> NotDeleted = LoggerMessage.Define(
        LogLevel.Warning,
        new(1, nameof(WaitingArchives)),
        "An expired archive cannot be deleted"
    );

    /// <summary>Keeps an archive for a step; gives the id by which it is found again.</summary>
    public async Task<string> KeepAsync(StepId step, Stream archive, CancellationToken stop)
    {
        Directory.CreateDirectory(folder.Uploads);
        DeleteOld();
        var id = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(IdBytes));
        var path = PathOf(id, step);
        await using (var file = File.Create(path))
            await archive.CopyToAsync(file, stop);
        File.SetLastWriteTimeUtc(path, time.GetUtcNow().UtcDateTime);
        return id;
    }

    /// <summary>The archive; null when there is none with this id for the step, or it has expired.</summary>
    public PageBundle? Find(string id, StepId step)
    {
        if (id.Length != 2 * IdBytes || !id.All(char.IsAsciiHexDigitLower))
            return null;
        var path = PathOf(id, step);
        if (!File.Exists(path) || IsOver(path))
            return null;
        using var file = File.OpenRead(path);
        return PageArchive.Read(file, new()).Page;
    }

    /// <summary>Deletes an archive that waits.</summary>
    public void Forget(string id, StepId step) => Delete(PathOf(id, step));

    private string PathOf(string id, StepId step) =>
        Path.Combine(folder.Uploads, string.Create(CultureInfo.InvariantCulture, $"{id}-{step.Value}.zip"));

    private bool IsOver(string path) => time.GetUtcNow() - File.GetLastWriteTimeUtc(path) > Life;

    /// <summary>Deletes what has expired, and the oldest beyond so many.</summary>
    private void DeleteOld()
    {
        var files = Directory.GetFiles(folder.Uploads, "*.zip").OrderByDescending(File.GetLastWriteTimeUtc).ToArray();
        foreach (var path in files.Skip(MaxCount - 1).Union(files.Where(IsOver)))
            Delete(path);
    }

    private void Delete(string path)
    {
        try
        {
            File.Delete(path);
        }
        catch (IOException error)
        {
            NotDeleted(logger, error);
        }
    }
}
