using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.App.Results;

/// <summary>Many visitors of a test come from one network, or say that they are one browser.</summary>
/// <param name="Crowds">The largest first; all by the network, or all by the browser.</param>
/// <param name="Without">How the test would stand without them.</param>
public sealed record CrowdAlarm(IReadOnlyList<SuspectCrowd> Crowds, TestReading Without);

/// <summary>Watches whether a test's visitors come from too few hands.</summary>
public sealed class CrowdReader(CrowdStore crowds, TestReader reader)
{
    /// <summary>Null where nothing looks like one hand's.</summary>
    /// <param name="steps">Those of the test's funnel.</param>
    public CrowdAlarm? Read(SplitTest test, IReadOnlyList<Step> steps)
    {
        var found = CrowdCheck.Find(crowds.Crowds(test.Id));
        if (found.Count == 0)
            return null;
        // One program has one browser on one network: without the one crowd, the other is gone too, and nobody is to be
        // taken off twice.
        var kind = found.Any(crowd => crowd.Crowd.Kind == CrowdKind.Network) ? CrowdKind.Network : CrowdKind.Agent;
        SuspectCrowd[] gone = [.. found.Where(crowd => crowd.Crowd.Kind == kind)];
        var parts = gone.SelectMany(crowd => crowds.Parts(test.Id, crowd.Crowd)).ToArray();
        return new(gone, reader.Without(test, steps, parts));
    }
}

/// <summary>The alarms of the last hourly look, by test: what Today says of them.</summary>
public sealed class CrowdAlarms
{
    private IReadOnlyDictionary<TestId, CrowdAlarm> _last = new Dictionary<TestId, CrowdAlarm>();

    /// <summary>Those of all open tests.</summary>
    public IReadOnlyDictionary<TestId, CrowdAlarm> Last
    {
        get => Volatile.Read(ref _last);
        internal set => Volatile.Write(ref _last, value);
    }
}
