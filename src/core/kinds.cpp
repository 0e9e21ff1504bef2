#include <halvo/kinds.hpp>

#include <array>

namespace halvo {

namespace {

constexpr std::array<const char*, 24> joint_names = {"corner",
                                                     "tee",
                                                     "cross",
                                                     "star",
                                                     "smooth",
                                                     "butt",
                                                     "step",
                                                     "lap",
                                                     "line contact",
                                                     "point contact",
                                                     "tie",
                                                     "end at side",
                                                     "links",
                                                     "coupling",
                                                     "strip",
                                                     "member ends",
                                                     "member end to member",
                                                     "members crossing",
                                                     "members side by side",
                                                     "member end to sheet",
                                                     "member along sheet",
                                                     "sheet edge to member",
                                                     "sheet edge along member",
                                                     "fastener"};
constexpr std::array<const char*, 6> seam_names = {"corner", "tee", "cross", "star", "smooth", "butt"};
constexpr std::array<const char*, 40> entry_names = {"wall",          "opening",
                                                     "stray",         "stub",
                                                     "member",        "patch",
                                                     "patch point",   "surface",
                                                     "bulk region",   "root fillets",
                                                     "reference",     "step in radius",
                                                     "trim",          "merge",
                                                     "meet",          "one sheet",
                                                     "edges bridged", "short element edges",
                                                     "thickness",     "member free to spin",
                                                     "fastener",      "touch only",
                                                     "start at skin", "hole",
                                                     "round",         "chamfer",
                                                     "raised",        "sunk",
                                                     "sliver",        "cut",
                                                     "sewn",          "filled",
                                                     "one face",      "doubled face",
                                                     "turned face",   "void in solid",
                                                     "overlap cut",   "doubled body",
                                                     "face moved",    "joint"};
constexpr std::array<const char*, 46> finding_names = {"open body",
                                                       "unconnected edges",
                                                       "missing face",
                                                       "doubled faces",
                                                       "inverted orientation",
                                                       "self-intersection",
                                                       "needless edges",
                                                       "short edges",
                                                       "sliver faces",
                                                       "small holes",
                                                       "small rounds",
                                                       "lettering",
                                                       "wall too thin",
                                                       "wall too thick",
                                                       "overlap",
                                                       "contact",
                                                       "near miss",
                                                       "doubled bodies",
                                                       "tiny body",
                                                       "unit not stated",
                                                       "unit suspicion",
                                                       "reader note",
                                                       "not idealized",
                                                       "wall without a sheet",
                                                       "wall outside the thickness range",
                                                       "skin without a sheet",
                                                       "method not possible",
                                                       "member openings",
                                                       "frame in one body",
                                                       "reference at the middle",
                                                       "step in radius",
                                                       "rule without effect",
                                                       "mesh outside its limits",
                                                       "contact without a joint",
                                                       "free edge within reach",
                                                       "edge inside the solid",
                                                       "body in parts",
                                                       "hangs on by a point",
                                                       "mechanism",
                                                       "mesh weighs more",
                                                       "feature stays",
                                                       "defect stays",
                                                       "could be sewn",
                                                       "large displacement",
                                                       "coarse stress",
                                                       "carries nothing"};

template <class Kind, std::size_t count>
std::optional<Kind> kind_in(const std::array<const char*, count>& names, std::string_view name) {
    for (std::size_t i = 0; i < count; ++i)
        if (name == names[i]) return static_cast<Kind>(i);
    return std::nullopt;
}

}  // namespace

const char* kind_name(JointKind kind) {
    return joint_names[static_cast<std::size_t>(kind)];
}
const char* kind_name(SeamKind kind) {
    return seam_names[static_cast<std::size_t>(kind)];
}
const char* kind_name(EntryKind kind) {
    return entry_names[static_cast<std::size_t>(kind)];
}
const char* kind_name(FindingKind kind) {
    return finding_names[static_cast<std::size_t>(kind)];
}

template <>
std::optional<JointKind> kind_named(std::string_view name) {
    return kind_in<JointKind>(joint_names, name);
}
template <>
std::optional<EntryKind> kind_named(std::string_view name) {
    return kind_in<EntryKind>(entry_names, name);
}
template <>
std::optional<FindingKind> kind_named(std::string_view name) {
    return kind_in<FindingKind>(finding_names, name);
}

}  // namespace halvo
