#pragma once
#include <halvo/options.hpp>

namespace halvo {

/// What an analyst decided, stage by stage. Read from TOML; see docs/plan.md for the keys.
struct Plan {
    SourceOptions source;
    SurveyOptions survey;
    HalveOptions halve;
    JoinOptions join;
    MeshOptions mesh;
    ProveOptions prove;
};

}  // namespace halvo
