#pragma once
#include <halvo/assembly.hpp>
#include <halvo/options.hpp>
#include <halvo/survey.hpp>

namespace halvo {

/// One entry of source.body, source.only or source.skip: "7", "3-9", a name or path with * ? [a-z], "class=bulk",
/// "layer=...", "size<20 mm", "size>2 m". Throws Error{input} when it is none of these.
class BodyPattern {
public:
    BodyPattern(const std::string& key, const std::string& text);
    [[nodiscard]] bool by_class() const { return kind_ == Kind::of_class; }
    [[nodiscard]] bool fits(const Body& body, const BodyClass* known) const;

private:
    enum class Kind { number, name, of_class, layer, smaller, larger };
    Kind kind_ = Kind::name;
    std::string text_;
    int first_ = 0, last_ = 0;
    double size_ = 0;
};

/// Keeps the bodies that the patterns take and notes the others in Assembly::left_out. Patterns by class wait for
/// select_by_class. An entry of source.body or source.only that fits nothing is an error, of source.skip a note.
void select_bodies(Assembly& assembly, const SourceOptions& options);
/// The rest of the selection, once classes are known; survey loses the same bodies.
void select_by_class(Assembly& assembly, Survey& survey, const SourceOptions& options);

}  // namespace halvo
