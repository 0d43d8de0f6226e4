using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.Store.Recording;

/// <summary>What happened; the numbers are stored and never change their meaning.</summary>
public enum EventKind
{
    /// <summary>A visitor was shown a page of a step.</summary>
    Visit = 1,

    /// <summary>The same, and took a place in the step's test by it.</summary>
    Enrol = 2,

    /// <summary>The same, without being drawn: stays out of the step's test from then on.</summary>
    Apart = 3,

    /// <summary>A visitor gave an e-mail address. <see cref="OptInNote"/> stands in the data.</summary>
    OptIn = 4,

    /// <summary>
    /// Somebody was served who does not count: the reason stands in the event's data, the visitor is nobody.
    /// </summary>
    LeftOut = 5,

    /// <summary>
    /// A sale or a refund, told in the event's data; the visitor is nobody where it is not known whose.
    /// </summary>
    Sale = 6,

    /// <summary>Somebody said whose an order is; its number stands in the event's data.</summary>
    Claim = 7,

    /// <summary>
    /// A visitor met a goal that only a page or a program elsewhere can tell of: an address, a click, a signal.
    /// <see cref="GoalNote"/> stands in the data.
    /// </summary>
    Met = 8,

    /// <summary>A visitor left a page. <see cref="StayNote"/> stands in the data.</summary>
    Stay = 9,

    /// <summary>Somebody confirmed an e-mail address; it stands in the event's data.</summary>
    Confirmed = 10,
}

/// <summary>One thing a visitor did. Its id makes it one and the same however often it is written.</summary>
public sealed record JournalEvent(
    Guid Id,
    DateTimeOffset At,
    EventKind Kind,
    VisitorId Visitor,
    StepId Step,
    PageId Page,
    TestId? Test = null,
    PhaseId? Phase = null,
    string? Data = null
);

/// <summary>What became of an event by the time the visitor was answered.</summary>
public enum Recorded
{
    /// <summary>It is in the store.</summary>
    Committed,

    /// <summary>The store was not well; the event waits, in the spill file where there was room.</summary>
    Late,

    /// <summary>There was no room for it anywhere. It is counted as lost.</summary>
    Lost,
}
