using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Microsoft.CodeAnalysis.CSharp.Syntax;
using Wexil.Tests;

namespace Wexil.Web.Tests;

/// <summary>What the source looks like, where neither compiler nor formatter says it.</summary>
public sealed class ShapeTests
{
    private const int MaxLines = 40;

    private static readonly string Sources = Repository.At("src");

    [Fact]
    public void No_method_is_longer_than_a_screen() =>
        Assert.Empty(
            Nodes()
                .Where(node => node is BaseMethodDeclarationSyntax or AccessorDeclarationSyntax)
                .Where(node => Lines(node) > MaxLines)
                .Select(Place)
        );

    [Fact]
    public void No_conditional_expression_names_a_value_only_to_ask_about_it() =>
        Assert.Empty(
            Nodes()
                .OfType<ConditionalExpressionSyntax>()
                .SelectMany(choice => choice.Condition.DescendantNodesAndSelf())
                .OfType<IsPatternExpressionSyntax>()
                .Where(asked => asked.Pattern is VarPatternSyntax)
                .Select(Place)
        );

    [Theory]
    [InlineData("void Short() { }", 1)]
    [InlineData("void Long()\n{\n\n}", 4)]
    public void Lines_are_counted_from_the_name_to_the_last_brace(string method, int lines) =>
        Assert.Equal(
            lines,
            Lines(
                CSharpSyntaxTree
                    .ParseText($"class A {{ {method} }}")
                    .GetRoot()
                    .DescendantNodes()
                    .OfType<MethodDeclarationSyntax>()
                    .Single()
            )
        );

    private static IEnumerable<SyntaxNode> Nodes() =>
        Directory
            .EnumerateFiles(Sources, "*.cs", SearchOption.AllDirectories)
            .Where(file => !file.Contains("/obj/", StringComparison.Ordinal))
            .SelectMany(file =>
                CSharpSyntaxTree.ParseText(File.ReadAllText(file), path: file).GetRoot().DescendantNodes()
            );

    private static int Lines(SyntaxNode node)
    {
        var span = node.SyntaxTree.GetLineSpan(node.Span);
        return span.EndLinePosition.Line - span.StartLinePosition.Line + 1;
    }

    private static string Place(SyntaxNode node)
    {
        var line = node.GetLocation().GetLineSpan().StartLinePosition.Line + 1;
        return $"{Path.GetRelativePath(Sources, node.SyntaxTree.FilePath)}:{line}";
    }
}
