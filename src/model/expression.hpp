#pragma once
/// Expressions of [[set]]: what things are and where they lie.

#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace halvo {

/// Numbers are mm, mm2, degrees; `free` and `shared` are truths.
using ExpressionValue = std::variant<double, std::string, bool>;

/// or, and, not; < <= > >= = !=; + - * /; abs sqrt min max; numbers with units, texts in quotes (with * and ? for others), words.
/// A number that does not exist for a thing (the radius of a plane) makes every comparison with it false.
class Expression {
public:
    /// Throws Error{input} that names `where` (file and line) and the place in the text.
    Expression(const std::string& text, std::string where);
    ~Expression();
    Expression(Expression&&) noexcept;
    /// `look` gives the value of each word.
    [[nodiscard]] bool holds(const std::function<ExpressionValue(std::string_view word)>& look) const;
    [[nodiscard]] static std::vector<std::string> words();

    struct Node;

private:
    std::unique_ptr<Node> root_;
};

}  // namespace halvo
