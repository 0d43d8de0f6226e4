using System.Runtime.InteropServices;

namespace Wexil.Store.Recording;

/// <summary>
/// SQLite's functions for a prepared statement, called without the wrapper's checks at every call: they are called
/// forty times for every visit. Those that only copy a number or some bytes do not tell the garbage collector that they
/// are gone.
/// </summary>
internal static partial class SqliteNative
{
    private const string Library = "e_sqlite3";

    [LibraryImport(Library, EntryPoint = "sqlite3_bind_int64"), SuppressGCTransition]
    public static partial int BindNumber(nint statement, int parameter, long value);

    [LibraryImport(Library, EntryPoint = "sqlite3_bind_double"), SuppressGCTransition]
    public static partial int BindReal(nint statement, int parameter, double value);

    [LibraryImport(Library, EntryPoint = "sqlite3_bind_null"), SuppressGCTransition]
    public static partial int BindNull(nint statement, int parameter);

    [LibraryImport(Library, EntryPoint = "sqlite3_bind_blob"), SuppressGCTransition]
    public static partial int BindBytes(
        nint statement,
        int parameter,
        ReadOnlySpan<byte> value,
        int length,
        nint destructor
    );

    [LibraryImport(Library, EntryPoint = "sqlite3_bind_text"), SuppressGCTransition]
    public static partial int BindText(
        nint statement,
        int parameter,
        ReadOnlySpan<byte> value,
        int length,
        nint destructor
    );

    [LibraryImport(Library, EntryPoint = "sqlite3_step")]
    public static partial int Step(nint statement);

    [LibraryImport(Library, EntryPoint = "sqlite3_reset")]
    public static partial int Reset(nint statement);

    [LibraryImport(Library, EntryPoint = "sqlite3_changes"), SuppressGCTransition]
    public static partial int Changes(nint connection);

    [LibraryImport(Library, EntryPoint = "sqlite3_column_type"), SuppressGCTransition]
    public static partial int ColumnType(nint statement, int column);

    [LibraryImport(Library, EntryPoint = "sqlite3_column_int64"), SuppressGCTransition]
    public static partial long ColumnNumber(nint statement, int column);

    [LibraryImport(Library, EntryPoint = "sqlite3_column_blob"), SuppressGCTransition]
    public static partial nint ColumnBytes(nint statement, int column);

    [LibraryImport(Library, EntryPoint = "sqlite3_column_text"), SuppressGCTransition]
    public static partial nint ColumnText(nint statement, int column);

    [LibraryImport(Library, EntryPoint = "sqlite3_column_bytes"), SuppressGCTransition]
    public static partial int ColumnLength(nint statement, int column);
}
