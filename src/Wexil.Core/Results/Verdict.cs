namespace Wexil.Core.Results;

/// <summary>What a test says at a look.</summary>
public enum VerdictKind
{
    /// <summary>Nobody has come yet.</summary>
    Waiting,

    /// <summary>Nothing can be said yet, or not for certain.</summary>
    TooEarly,

    /// <summary>A challenger is better: keep it.</summary>
    Ready,

    /// <summary>Every challenger is worse: keep the control.</summary>
    ControlWins,

    /// <summary>Whatever difference there is, it is smaller than the smallest one worth finding.</summary>
    NoDifference,

    /// <summary>The numbers cannot be trusted.</summary>
    Problem,

    /// <summary>A kept page is being checked, and nothing is sure.</summary>
    Checking,

    /// <summary>A kept page is surely better than the page it replaced.</summary>
    Confirmed,

    /// <summary>A kept page is surely worse than the page it replaced: take it back.</summary>
    Worse,
}

/// <summary>What to do at a look, with the numbers that say so: one case of those below.</summary>
/// <param name="IsByMoney">Judged by what visitors bring, and not by the main goal.</param>
public abstract record Verdict(bool IsByMoney)
{
    /// <summary>Which of the kinds this is; its name is stored.</summary>
    public abstract VerdictKind Kind { get; }

    /// <summary>The page to keep; null while there is none.</summary>
    public virtual TestPage? Keep => null;

    /// <summary>What would settle it; null where nothing is open, or that says nothing.</summary>
    public virtual Forecast? Forecast => null;

    /// <summary>What is at stake; null while nobody came, and where the numbers cannot be trusted.</summary>
    public ExpectedLoss? Stakes { get; init; }

    /// <summary>
    /// The page that the other measure says to keep (the main goal where money judges, money where the goal does), and
    /// not by chance; null where both agree, or the other settles nothing.
    /// </summary>
    public TestPage? OtherMeasure { get; init; }

    /// <summary>Nobody has come.</summary>
    public sealed record Waiting() : Verdict(false)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.Waiting;
    }

    /// <summary>The visitors did not arrive in the shares that were set.</summary>
    public sealed record SplitMismatch() : Verdict(false)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.Problem;
    }

    /// <summary>Visitors come, and nobody converts any more.</summary>
    /// <param name="Visitors">Who came since the last conversion.</param>
    /// <param name="RateBefore">The rate until then, from 0 to 1.</param>
    public sealed record ConversionsStopped(long Visitors, double RateBefore) : Verdict(false)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.Problem;
    }

    /// <summary>A few large orders decide what a page brought.</summary>
    /// <param name="Buyers">How many buyers decide it, 1 to 3.</param>
    /// <param name="Share">Of the page's revenue, what they brought.</param>
    public sealed record FewLargeOrders(TestPage Page, int Buyers, double Share) : Verdict(true)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.Problem;
    }

    /// <summary>A challenger is better than the control.</summary>
    /// <param name="Gain">By the goal, the lift over the control as a share; by money, what a visitor brings more, in
    /// the currency's smallest unit.</param>
    public sealed record Better(TestPage Page, TestPage Control, double Gain, bool IsByMoney) : Verdict(IsByMoney)
    {
        /// <summary>
        /// What of the gain is to be expected from now on; null for a test without a plan.
        /// </summary>
        public double? Expected { get; init; }

        /// <summary>
        /// A page that is ahead of this one and not yet surely better than the control, and what would settle that;
        /// null where there is none.
        /// </summary>
        public (TestPage Page, Forecast? Expected)? Unsettled { get; init; }

        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.Ready;

        /// <inheritdoc/>
        public override TestPage? Keep => Page;
    }

    /// <summary>Every challenger is worse than the control.</summary>
    /// <param name="Challengers">How many there are.</param>
    public sealed record ControlBest(TestPage Control, int Challengers, bool IsByMoney) : Verdict(IsByMoney)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.ControlWins;

        /// <inheritdoc/>
        public override TestPage? Keep => Control;
    }

    /// <summary>No challenger differs from the control by as much as is worth finding.</summary>
    /// <param name="Margin">By the goal, the smallest lift worth finding as a share; by money, the smallest difference
    /// a visitor, in the currency's smallest unit.</param>
    public sealed record NoDifference(TestPage Control, double Margin, bool IsByMoney) : Verdict(IsByMoney)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.NoDifference;

        /// <inheritdoc/>
        public override TestPage? Keep => Control;
    }

    /// <summary>A kept page is not worse than the page it replaced, as far as its check has seen.</summary>
    /// <param name="Measured">Null while nobody has seen one of them.</param>
    /// <param name="IsConfirmed">It is surely better.</param>
    public sealed record Checked(
        TestPage Kept,
        TestPage Replaced,
        MeasuredUplift? Measured,
        bool IsConfirmed,
        bool IsByMoney
    ) : Verdict(IsByMoney)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => IsConfirmed ? VerdictKind.Confirmed : VerdictKind.Checking;
    }

    /// <summary>A kept page is surely worse than the page it replaced.</summary>
    public sealed record KeptWorse(TestPage Kept, TestPage Replaced, MeasuredUplift Measured, bool IsByMoney)
        : Verdict(IsByMoney)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.Worse;

        /// <inheritdoc/>
        public override TestPage? Keep => Replaced;
    }

    /// <summary>Some page has fewer conversions than a comparison needs.</summary>
    /// <param name="Least">How many the smallest page has.</param>
    public sealed record TooFewConversions(long Least, Forecast? Expected) : Verdict(false)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.TooEarly;

        /// <inheritdoc/>
        public override Forecast? Forecast => Expected;
    }

    /// <summary>Some page has too few buyers, or too different ones, for its revenue to be compared.</summary>
    /// <param name="Least">As how many buyers alike the smallest revenue is worth.</param>
    public sealed record TooFewBuyers(double Least) : Verdict(true)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.TooEarly;
    }

    /// <summary>A page is ahead, and chance may still be why.</summary>
    public sealed record Undecided(TestPage Leader, TestPage Control, Forecast? Expected, bool IsByMoney)
        : Verdict(IsByMoney)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.TooEarly;

        /// <inheritdoc/>
        public override Forecast? Forecast => Expected;
    }

    /// <summary>All visitors that were planned have come, and no page is surely better.</summary>
    /// <param name="SmallestLift">The lift that it was planned to find, as a share.</param>
    /// <param name="Expected">What going on would take, if the lead holds.</param>
    /// <param name="Likelier">The better one of the control and the challenger that differs most surely from it.
    /// </param>
    /// <param name="IsClose">A single look at the end would have called it; looking at any time asks for more.</param>
    public sealed record PlanOver(
        TestPage Leader,
        TestPage Control,
        double SmallestLift,
        Forecast? Expected,
        TestPage Likelier,
        bool IsClose,
        bool IsByMoney
    ) : Verdict(IsByMoney)
    {
        /// <inheritdoc/>
        public override VerdictKind Kind => VerdictKind.TooEarly;

        /// <inheritdoc/>
        public override Forecast? Forecast => Expected;
    }
}
