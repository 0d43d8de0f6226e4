using CsCheck;
using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.Core.Tests.Visitors;

/// <summary>How a visitor is known: by an id, and by a token where no cookie goes along.</summary>
public sealed class VisitorTokenTests
{
    private static readonly DateTimeOffset Now = new(2026, 11, 9, 8, 0, 0, TimeSpan.Zero);

    [Fact]
    public void A_visitor_id_survives_a_cookie_and_nothing_else_passes_for_one()
    {
        Gen.Int.Select(seed => VisitorId.New(Now, new SeededChance(seed)))
            .AlwaysHolds(visitor => VisitorId.TryParse(visitor.ToString(), out var read) && read == visitor);
        Gen.String.AlwaysHolds(text => VisitorId.TryParse(text, out _) is false || text.Length == VisitorId.TextLength);
    }

    [Fact]
    public void A_rehearsal_visitor_is_one_by_its_id_in_a_cookie_a_token_and_an_e_mail_address()
    {
        using var tokens = new VisitorToken(new byte[32]);
        Gen.Int.AlwaysHolds(seed =>
        {
            var (real, sent) = (
                VisitorId.New(Now, new SeededChance(seed)),
                VisitorId.NewRehearsal(Now, new SeededChance(seed))
            );
            var shouted = RehearsalEmail.For(sent).ToUpperInvariant();
            return !real.IsRehearsal
                && sent.IsRehearsal
                && sent.FirstSeen == Now
                && VisitorId.TryParse(sent.ToString(), out var read)
                && read == sent
                && tokens.Read(tokens.Issue(sent, Now), Now) == sent
                && EmailAddress.IsValid(RehearsalEmail.For(sent))
                && RehearsalEmail.Read(shouted) == sent
                && RehearsalEmail.Read(RehearsalEmail.For(real)) is null;
        });
        Gen.String.AlwaysHolds(text => RehearsalEmail.Read(text) is null);
    }

    [Fact]
    public void A_token_is_good_for_ten_minutes_and_only_as_it_was_signed()
    {
        using var tokens = new VisitorToken(new byte[32]);
        var visitor = VisitorId.New(Now, new SeededChance(2));
        var token = tokens.Issue(visitor, Now);
        Assert.Equal(visitor, tokens.Read(token, Now.AddMinutes(9)));
        Assert.Null(tokens.Read(token, Now.AddMinutes(11)));
        using var others = new VisitorToken([.. Enumerable.Repeat((byte)1, 32)]);
        Assert.Null(others.Read(token, Now));
        for (var i = 0; i < token.Length; i++)
        {
            var forged = token[..i] + (token[i] == 'A' ? 'B' : 'A') + token[(i + 1)..];
            if (forged != token)
                Assert.True(tokens.Read(forged, Now) is null || i == token.Length - 1, $"changed at {i}");
        }
        Gen.String.AlwaysHolds(text => tokens.Read(text, Now) is null);
    }
}
