using System.Formats.Tar;
using System.IO.Compression;
using System.Security.Cryptography;
using System.Text.Json;

namespace Wexil.Store.Backups;

/// <summary>What a backup holds.</summary>
/// <param name="Program">The program that made it.</param>
/// <param name="Version">How many migrations its data file has.</param>
public sealed record BackupContent(
    string Program,
    DateTimeOffset Made,
    long Version,
    IReadOnlyList<BackupContent.Entry> Files
)
{
    /// <summary>A file of the data folder.</summary>
    /// <param name="Name">Its path within the folder.</param>
    /// <param name="Size">In bytes.</param>
    public sealed record Entry(string Name, long Size, string Sha256);
}

/// <summary>
/// One file with everything that a Wexil is: the data file as it was at one moment, the events that were on their way
/// into it, and the keys. A gzipped tar, sealed where there is a passphrase.
/// </summary>
public static class Backup
{
    /// <summary>What the names of unfinished files have behind the backup's own.</summary>
    public const string Partial = ".partial";

    private const string ContentName = "wexil-backup.json";

    /// <summary>Makes a backup of a data folder that may be in use.</summary>
    /// <param name="file">Where to; nothing is replaced, and nothing is left of a backup that fails.</param>
    /// <param name="passphrase">Null for a backup that is not sealed.</param>
    /// <param name="progress">Is told the share that is done, from 0 to 1; null for nobody.</param>
    /// <param name="isGentle">Leaves others the disk for half of the time.</param>
    /// <exception cref="StoreException">It could not be made; the message says why.</exception>
    public static BackupContent Make(
        DataPaths data,
        string file,
        DateTimeOffset now,
        string? passphrase = null,
        Action<double>? progress = null,
        bool isGentle = false,
        CancellationToken stop = default
    )
    {
        if (!File.Exists(data.DataFile))
            throw new StoreException($"There is no data file {data.DataFile}.");
        if (!Directory.Exists(Path.GetDirectoryName(Path.GetFullPath(file))))
            throw new StoreException($"There is no folder for {file}.");
        if (File.Exists(file))
            throw new StoreException($"{file} is there already; it was not changed.");
        var (copy, partial) = (file + Partial + "-db", file + Partial);
        try
        {
            File.Delete(partial);
            // The spill file comes first: what leaves it meanwhile is in the data file then, and never in neither.
            var spill = File.Exists(data.SpillFile) ? ReadShared(data.SpillFile) : [];
            DataCopy.Make(data.DataFile, copy, share => progress?.Invoke(share / 2), isGentle, stop);
            var content = Describe(data, copy, spill, now);
            Pack(data, copy, spill, content, partial, passphrase, share => progress?.Invoke(0.5 + share / 2));
            File.Move(partial, file);
            return content;
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            throw new StoreException($"The backup {file} could not be written: {error.Message}", error);
        }
        finally
        {
            File.Delete(partial);
            File.Delete(copy);
        }
    }

    /// <summary>Unpacks a backup into an empty folder, and checks every byte of it.</summary>
    /// <param name="passphrase">Null where none is known.</param>
    /// <exception cref="StoreException">It is sealed and there is no passphrase, it is damaged, or it is no
    /// backup.</exception>
    public static BackupContent Unpack(string file, string folder, string? passphrase, Action<double>? progress = null)
    {
        try
        {
            using var stream = File.OpenRead(file);
            if (!SealedStream.IsSealed(stream))
                return Unpack(stream, stream, folder, progress);
            if (passphrase is null)
                throw new StoreException($"{file} is sealed with a passphrase. Say it in WEXIL_BACKUP_PASSPHRASE.");
            using var opened = SealedStream.Read(stream, passphrase);
            return Unpack(opened, stream, folder, progress);
        }
        catch (Exception error)
            when (error is IOException or InvalidDataException or JsonException or UnauthorizedAccessException)
        {
            throw new StoreException($"{file} is damaged or no backup of Wexil: {error.Message}", error);
        }
    }

    private static BackupContent Describe(DataPaths data, string copy, byte[] spill, DateTimeOffset now)
    {
        var files = new List<BackupContent.Entry>();
        using (var stream = File.OpenRead(copy))
            files.Add(new("wexil.db", stream.Length, Convert.ToHexString(SHA256.HashData(stream))));
        files.Add(new("spill.bin", spill.Length, Convert.ToHexString(SHA256.HashData(spill))));
        foreach (var key in Keys(data))
        {
            var bytes = ReadShared(key);
            files.Add(new($"keys/{Path.GetFileName(key)}", bytes.Length, Convert.ToHexString(SHA256.HashData(bytes))));
        }
        var program = typeof(Backup).Assembly.GetName().Version!.ToString(3);
        return new(program, now, Database.VersionOf(copy), files);
    }

    private static void Pack(
        DataPaths data,
        string copy,
        byte[] spill,
        BackupContent content,
        string partial,
        string? passphrase,
        Action<double> progress
    )
    {
        using var stream = DataCopy.Created(partial);
        using (var shut = passphrase is null ? null : SealedStream.Write(stream, passphrase))
        using (var zipped = new GZipStream(shut ?? (Stream)stream, CompressionLevel.Fastest, leaveOpen: true))
        using (var tar = new TarWriter(zipped, TarEntryFormat.Pax, leaveOpen: true))
        {
            void Add(string name, Stream from) =>
                tar.WriteEntry(new PaxTarEntry(TarEntryType.RegularFile, name) { DataStream = from });
            using (var text = new MemoryStream(JsonSerializer.SerializeToUtf8Bytes(content)))
                Add(ContentName, text);
            using (var file = new ProgressStream(File.OpenRead(copy), progress))
                Add("wexil.db", file);
            using (var left = new MemoryStream(spill))
                Add("spill.bin", left);
            foreach (var key in Keys(data).Where(key => content.Files.Any(file => IsKey(file, key))))
                using (var file = new MemoryStream(ReadShared(key)))
                    Add($"keys/{Path.GetFileName(key)}", file);
        }
        // Only what is on the disk is a backup.
        stream.Flush(flushToDisk: true);
    }

    private static BackupContent Unpack(Stream content, FileStream file, string folder, Action<double>? progress)
    {
        using var unzipped = new GZipStream(content, CompressionMode.Decompress);
        using var tar = new TarReader(unzipped);
        if (tar.GetNextEntry() is not { Name: ContentName, DataStream: { } told })
            throw new InvalidDataException("it does not begin with its list of contents");
        var listed = JsonSerializer.Deserialize<BackupContent>(told)!;
        foreach (var expected in listed.Files)
        {
            var entry = tar.GetNextEntry();
            // The list is the backup's own, so its names are not trusted either.
            if (entry?.Name != expected.Name || !IsPlain(entry.Name))
                throw new InvalidDataException($"{expected.Name} is missing");
            var path = Path.Combine(folder, expected.Name);
            Directory.CreateDirectory(Path.GetDirectoryName(path)!);
            using (var to = DataCopy.Created(path))
                entry.DataStream?.CopyTo(to);
            using (var written = File.OpenRead(path))
                if (Convert.ToHexString(SHA256.HashData(written)) != expected.Sha256)
                    throw new InvalidDataException($"{expected.Name} is not what it was");
            progress?.Invoke((double)file.Position / file.Length);
        }
        // Reading on to the end notices a file that was cut off.
        unzipped.CopyTo(Stream.Null);
        DataCopy.Check(Path.Combine(folder, "wexil.db"));
        return listed;
    }

    private static bool IsPlain(string name)
    {
        var file = name.StartsWith("keys/", StringComparison.Ordinal) ? name[5..] : name;
        return file.Length > 0 && !file.Contains('/') && file.Trim('.').Length > 0;
    }

    private static bool IsKey(BackupContent.Entry file, string key) => file.Name == $"keys/{Path.GetFileName(key)}";

    private static string[] Keys(DataPaths data) =>
        Directory.Exists(data.Keys) ? [.. Directory.GetFiles(data.Keys).Order(StringComparer.Ordinal)] : [];

    private static byte[] ReadShared(string path)
    {
        using var stream = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
        var bytes = new byte[stream.Length];
        stream.ReadExactly(bytes);
        return bytes;
    }
}
