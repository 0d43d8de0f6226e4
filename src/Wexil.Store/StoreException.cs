namespace Wexil.Store;

/// <summary>The store cannot be used; the message is one line for the person who started the program.</summary>
public sealed class StoreException(string message, Exception? inner = null) : Exception(message, inner);
