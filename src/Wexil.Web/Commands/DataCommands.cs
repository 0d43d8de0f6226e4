using System.CommandLine;
using Wexil.Store;
using Wexil.Store.Backups;

namespace Wexil.Web.Commands;

/// <summary>
/// <c>wexil backup FILE</c>, <c>wexil restore FILE</c> and <c>wexil check</c>: what an owner does with the data folder
/// from outside the program.
/// </summary>
public static class DataCommands
{
    private const int SomethingWrong = 3;

    private static readonly Argument<string> File = new("FILE") { Description = "The backup." };

    /// <summary>Everything in one file, while the program runs or not.</summary>
    public static Command Backup()
    {
        var data = CommandOptions.Data();
        var command = new Command(
            "backup",
            "Copies everything into one file while Wexil runs; sealed with WEXIL_BACKUP_PASSPHRASE where that is set."
        )
        {
            File,
            data,
        };
        command.SetAction(
            (result, stop) =>
                HostRun.GuardedAsync(() =>
                {
                    var (folder, file) = (Folder(result.GetValue(data)!), Whole(result.GetValue(File)!));
                    using var line = new ProgressLine();
                    var content = Store.Backups.Backup.Make(
                        new DataPaths(folder),
                        file,
                        Now(),
                        CommandOptions.BackupPassphrase(),
                        share => line.Say("Making the backup", share),
                        stop: stop
                    );
                    line.End();
                    var size = new FileInfo(file).Length;
                    Console.WriteLine(
                        $"{file} holds everything as of {content.Made:yyyy-MM-dd HH:mm:ss} UTC: {size / 1e6:0.0} MB"
                            + (
                                CommandOptions.BackupPassphrase() is null
                                    ? ", not sealed with a passphrase."
                                    : ", sealed."
                            )
                    );
                    return Task.CompletedTask;
                })
        );
        return command;
    }

    /// <summary>A backup in the place of the data, which is moved aside.</summary>
    public static Command Restore()
    {
        var data = CommandOptions.Data();
        var replace = new Option<bool>("--replace")
        {
            Description = "Delete what is there instead of keeping it: for a stand-by copy that follows.",
        };
        var command = new Command("restore", "Puts a backup in the data's place, which is kept beside it.")
        {
            File,
            data,
            replace,
        };
        command.SetAction(result =>
            HostRun.GuardedAsync(() =>
            {
                using var folder = DataFolder.Open(result.GetValue(data)!);
                var file = Whole(result.GetValue(File)!);
                using var line = new ProgressLine();
                var (content, aside) = Store.Backups.Restore.Run(
                    file,
                    folder,
                    Now(),
                    CommandOptions.BackupPassphrase(),
                    share => line.Say("Reading the backup", share)
                );
                line.End();
                Console.WriteLine($"{folder.Path} is as it was on {content.Made:yyyy-MM-dd HH:mm:ss} UTC.");
                if (aside is not null && result.GetValue(replace))
                    Directory.Delete(aside, recursive: true);
                else if (aside is not null)
                    Console.WriteLine($"What was there is in {aside}; delete it when you are sure.");
                return Task.CompletedTask;
            })
        );
        return command;
    }

    /// <summary>Whether everything is sound.</summary>
    public static Command Check()
    {
        var data = CommandOptions.Data();
        var command = new Command("check", "Reads everything, counts every event again, and says what is wrong.")
        {
            data,
        };
        command.SetAction(
            async (result, _) =>
            {
                var wrong = 0;
                var code = await HostRun.GuardedAsync(async () =>
                    wrong = await CheckAsync(Folder(result.GetValue(data)!))
                );
                return code == 0 && wrong > 0 ? SomethingWrong : code;
            }
        );
        return command;
    }

    private static async Task<int> CheckAsync(string folder)
    {
        // Beside the data, where there is most likely to be room for a copy.
        var working = Path.Combine(folder, "checking");
        Clear(working);
        try
        {
            using var line = new ProgressLine();
            var findings = await DataCheck.RunAsync(new DataPaths(folder), working, line.Say);
            line.End();
            foreach (var finding in findings)
                Console.WriteLine(finding);
            Console.WriteLine(
                findings.Count == 0
                    ? $"Nothing is wrong in {folder}."
                    : "Restore a backup, or write to whoever looks after your Wexil; nothing was changed."
            );
            return findings.Count;
        }
        finally
        {
            Clear(working);
        }
    }

    private static void Clear(string working)
    {
        if (Directory.Exists(working))
            Directory.Delete(working, recursive: true);
    }

    private static string Whole(string path) => Path.GetFullPath(path);

    private static string Folder(string path) =>
        Directory.Exists(path) ? Whole(path) : throw new StoreException($"There is no data folder {Whole(path)}.");

#pragma warning disable RS0030 // The command line is where the clock comes in.
    private static DateTimeOffset Now() => TimeProvider.System.GetUtcNow();
#pragma warning restore RS0030
}
