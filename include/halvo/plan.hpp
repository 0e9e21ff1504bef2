#pragma once
#include <halvo/loads.hpp>

namespace halvo {

/// What an analyst decided, stage by stage. Read from TOML; see docs/plan.md for the keys.
struct Plan {
    std::string file, text;        ///< the file it was read from, and what that holds; empty where there is none
    std::vector<std::string> set;  ///< what was set besides, "KEY=VALUE", in this order
    SourceOptions source;
    SurveyOptions survey;
    MendOptions mend;
    StripOptions strip;
    HalveOptions halve;
    JoinOptions join;
    MeshOptions mesh;
    ProveOptions prove;
    SolveOptions solve;
};

/// The known name next to a mistyped one, the first of equals; nothing where none is known.
[[nodiscard]] std::string nearest_name(const std::string& word, const std::vector<std::string>& known);

}  // namespace halvo
