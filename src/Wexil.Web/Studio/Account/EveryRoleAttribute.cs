namespace Wexil.Web.Studio.Account;

/// <summary>A screen whose forms everybody who is signed in may send, since they concern nobody else.</summary>
[AttributeUsage(AttributeTargets.Class)]
public sealed class EveryRoleAttribute : Attribute;
