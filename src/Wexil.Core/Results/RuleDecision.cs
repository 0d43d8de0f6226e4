namespace Wexil.Core.Results;

/// <summary>What a rule does at a look, and on what grounds: one case of those below.</summary>
public abstract record RuleDecision
{
    private RuleDecision() { }

    /// <summary>Nothing is done yet.</summary>
    public abstract record Wait : RuleDecision
    {
        /// <summary>Pages are kept by hand.</summary>
        public sealed record ForHand : Wait;

        /// <summary>The numbers cannot be trusted.</summary>
        public sealed record ForMending(Verdict Problem) : Wait;

        /// <summary>It is judged by money, and nobody has bought anything.</summary>
        public sealed record ForBuyers : Wait;

        /// <param name="More">How many are still to come.</param>
        public sealed record ForVisitors(long More) : Wait;

        /// <param name="More">Full days that it still runs at least.</param>
        public sealed record ForDays(int More) : Wait;

        /// <param name="More">Full days until full weeks have passed.</param>
        public sealed record ForWholeWeeks(int More) : Wait;

        /// <param name="Needed">On each page.</param>
        /// <param name="Least">How many the smallest page has.</param>
        public sealed record ForConversions(long Needed, long Least) : Wait;

        /// <summary>It is not sure enough.</summary>
        public sealed record ForCertainty : Wait;

        /// <summary>The check of a kept page goes on.</summary>
        public sealed record ForCheck : Wait;
    }

    /// <summary>The page is kept and the test ends.</summary>
    public abstract record Keep(TestPage Page) : RuleDecision
    {
        /// <summary>The page ahead after as many visitors as were planned.</summary>
        public sealed record Leader(TestPage Page, long Visitors) : Keep(Page);

        /// <summary>The evidence settles it.</summary>
        public sealed record Settled(TestPage Page, VerdictKind Kind) : Keep(Page);

        /// <summary>It is not sure, and the page ahead is what the owner wants on the last day.</summary>
        public sealed record LeaderAtLatest(TestPage Page) : Keep(Page);

        /// <summary>It is not sure, and the control stays.</summary>
        public sealed record ControlAtLatest(TestPage Page) : Keep(Page);

        /// <summary>The check of a kept page is over, and the page stays.</summary>
        public sealed record CheckOver(TestPage Page) : Keep(Page);

        /// <summary>The check finds the kept page worse: the page it replaced comes back.</summary>
        public sealed record TakenBack(TestPage Page) : Keep(Page);
    }

    /// <summary>Pages that nobody new is sent to any more, for they are surely worse than the control.</summary>
    public sealed record Rest(IReadOnlyList<TestPage> Pages, TestPage Control) : RuleDecision;
}
