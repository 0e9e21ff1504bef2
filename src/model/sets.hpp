#pragma once
/// Named choices of sheets, members and edges.

#include <halvo/assembly.hpp>
#include <halvo/model.hpp>
#include <halvo/options.hpp>

namespace halvo {

/// The name in an id of the form "set=NAME"; nothing in other ids.
[[nodiscard]] std::optional<std::string> set_named(const std::string& id);

/// What a rule of the plan picks of a model, without the sets it is put together with.
[[nodiscard]] ModelSet picked(const SetRule& rule, const Model& model, const std::vector<FrameRule>& frames = {});

/// The plan's sets, in the model as it is now; a finding for each that picks nothing.
void make_sets(Model& model, const std::vector<SetRule>& rules, const std::vector<FrameRule>& frames = {});
/// Puts sets together as the rules say; again where the model has got more sets since.
void combine_sets(Model& model, const std::vector<SetRule>& rules);

/// Is the sheet meant by one of the ids: its own, its wall's, or that of a set of the model that holds it?
[[nodiscard]] bool is_meant(const Model& model, SheetId sheet, const std::vector<std::string>& ids);
[[nodiscard]] bool is_meant(const Model& model, MemberId member, const std::vector<std::string>& ids);

/// Edges of the sets among the ids, in the model's order.
[[nodiscard]] std::vector<EdgeId> edges_meant(const Model& model, const std::vector<std::string>& ids);

/// The edge that a point lies on or next to (in Halvo's own coordinates); none in a model without edges.
[[nodiscard]] EdgeId edge_next_to(const Model& model, const Vec3& p);

}  // namespace halvo
