#pragma once
/// Which nodes, elements and stretches of edges a rule means.

#include <halvo/loads.hpp>
#include "model/frames.hpp"
#include "solve/shell.hpp"

#include <halvo/loads.hpp>
#include <halvo/mesh_index.hpp>

#include <map>

namespace halvo {

class Picker {
public:
    Picker(const Model& model, const Mesh& mesh, const JoinOptions& names);

    /// Nodes of [[point]]s, behind those of the mesh.
    void name_point(const std::string& name, std::int32_t node) { points_[name] = node; }

    /// Rising. For rules about nodes.
    [[nodiscard]] std::vector<std::int32_t> nodes(const Selection& of) const;
    /// Shells and beams, rising.
    [[nodiscard]] std::vector<std::size_t> elements(const Selection& of) const;
    /// Pairs of nodes next to each other on edges of sheets and on members.
    [[nodiscard]] std::vector<std::array<std::int32_t, 2>> stretches(const Selection& of) const;
    /// How nodes share what is given in all: by area where they hold whole shells, else by the length of sides between them, else evenly.
    [[nodiscard]] std::vector<double> shares(const Selection& of, const std::vector<std::int32_t>& nodes) const;

    [[nodiscard]] LocalFrame frame(const std::string& name) const { return frame_named(name, names_.frames, model_); }
    [[nodiscard]] const Model& model() const { return model_; }
    [[nodiscard]] const Mesh& mesh() const { return mesh_; }
    [[nodiscard]] const MeshIndex& index() const { return index_; }
    /// What the rule means, in words, for messages.
    [[nodiscard]] static std::string words(const Selection& of);

private:
    struct Chosen {
        std::vector<std::int32_t> nodes;
        std::vector<std::size_t> elements;
        std::vector<EdgeId> edges;
    };
    [[nodiscard]] const Chosen& chosen(const std::string& set) const;
    [[nodiscard]] Chosen make(const std::string& set) const;
    [[nodiscard]] bool of_body(BodyId body, const std::vector<std::string>& patterns) const;
    [[nodiscard]] bool meant(const Element& e, const std::vector<std::string>& ids) const;
    [[nodiscard]] bool any_edges(const std::vector<std::string>& ids) const;

    const Model& model_;
    const Mesh& mesh_;
    const JoinOptions& names_;
    MeshIndex index_;
    std::map<std::string, std::int32_t> points_;
    mutable std::map<std::string, Chosen> sets_;
};

}  // namespace halvo
