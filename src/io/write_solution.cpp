// results.vtu: the mesh with what was solved on it, one set of arrays a case.
#include "io/vtu_array.hpp"

#include <halvo/io.hpp>

#include <fmt/format.h>

namespace halvo {
namespace {

class Results {
public:
    Results(const Mesh& mesh, const Solution& solution, const Vec3& shift) : mesh_(mesh), solution_(solution) {
        piece_ = io::start_grid(doc_, solution.nodes.size(), mesh.elements.size());
        std::vector<double> points;
        for (const Vec3& p : solution.nodes)
            for (int k = 0; k < 3; ++k) points.push_back(p[k] + shift[k]);
        io::add_array(piece_.append_child("Points"), "Float64", "Points", points, 3);
        cells();
        at_points_ = piece_.append_child("PointData"), at_cells_ = piece_.append_child("CellData");
        entities();
        for (const CaseResult& c : solution.cases) nodes_of(c), elements_of(c);
        for (std::size_t i = 0; i < solution.modes.size(); ++i)
            vectors(fmt::format("mode {} ({:.5g} Hz)", i + 1, solution.modes[i].frequency), solution.modes[i].movement, 0);
    }
    [[nodiscard]] std::string text() const { return io::text_of(doc_); }

private:
    void cells() {
        std::vector<std::int64_t> connectivity, offsets;
        std::vector<std::uint8_t> types;
        for (const Element& e : mesh_.elements) {
            for (std::size_t k = 0; k < e.count; ++k) connectivity.push_back(e.nodes[k]);
            offsets.push_back(static_cast<std::int64_t>(connectivity.size()));
            types.push_back(e.count == 4 ? 9 : e.count == 3 ? 5 : 3);
        }
        auto node = piece_.append_child("Cells");
        io::add_array(node, "Int64", "connectivity", connectivity), io::add_array(node, "Int64", "offsets", offsets);
        io::add_array(node, "UInt8", "types", types);
    }
    void entities() {
        std::vector<std::uint8_t> kind;
        std::vector<std::int32_t> sheet, member, body;
        std::vector<double> thickness;
        for (const Element& e : mesh_.elements) {
            kind.push_back(static_cast<std::uint8_t>(e.kind)), thickness.push_back(e.thickness);
            sheet.push_back(e.sheet.value), member.push_back(e.member.value), body.push_back(!e.body ? -1 : e.body.value + 1);
        }
        io::add_array(at_cells_, "UInt8", "kind", kind), io::add_array(at_cells_, "Float64", "thickness", thickness);
        io::add_array(at_cells_, "Int32", "sheet", sheet), io::add_array(at_cells_, "Int32", "member", member), io::add_array(at_cells_, "Int32", "body", body);
    }
    void vectors(const std::string& name, const Eigen::VectorXd& of, Eigen::Index from) {
        std::vector<double> out;
        out.reserve(3 * solution_.nodes.size());
        for (std::size_t n = 0; n < solution_.nodes.size(); ++n)
            for (Eigen::Index k = 0; k < 3; ++k) out.push_back(of[static_cast<Eigen::Index>(6 * n) + from + k]);
        io::add_array(at_points_, "Float64", name.c_str(), out, 3);
    }
    void nodes_of(const CaseResult& c) {
        vectors("displacement " + c.name, c.movement, 0), vectors("rotation " + c.name, c.movement, 3);
        vectors("reaction " + c.name, c.reaction, 0), vectors("reaction moment " + c.name, c.reaction, 3);
        for (const auto& [name, k] : {std::pair("von Mises top ", 0), std::pair("von Mises bottom ", 1), std::pair("von Mises ", 2)}) {
            std::vector<double> out;
            for (const auto& v : c.node_von_mises) out.push_back(v[static_cast<std::size_t>(k)]);
            io::add_array(at_points_, "Float64", (name + c.name).c_str(), out);
        }
    }
    // `put` fills the numbers of one shell, or of one beam; others are zero.
    template <class Shell, class Beam>
    void on_elements(const std::string& name, int components, const Shell& shell, const Beam& beam) {
        std::vector<double> out(mesh_.elements.size() * static_cast<std::size_t>(components), 0.0);
        const auto at = [&](std::int32_t e) { return out.data() + static_cast<std::ptrdiff_t>(e) * components; };
        for (std::size_t i = 0; i < solution_.shell_elements.size(); ++i) shell(i, at(solution_.shell_elements[i]));
        for (std::size_t i = 0; i < solution_.beam_elements.size(); ++i) beam(i, at(solution_.beam_elements[i]));
        io::add_array(at_cells_, "Float64", name.c_str(), out, components);
    }
    void elements_of(const CaseResult& c) {
        const auto none = [](std::size_t, double*) {};
        on_elements(
            "shell force " + c.name, 3, [&](std::size_t i, double* to) { Eigen::Map<Eigen::Vector3d>{to} = c.shells[i].force; }, none);
        on_elements(
            "shell moment " + c.name, 3, [&](std::size_t i, double* to) { Eigen::Map<Eigen::Vector3d>{to} = c.shells[i].moment; }, none);
        on_elements(
            "shell shear " + c.name, 2, [&](std::size_t i, double* to) { Eigen::Map<Eigen::Vector2d>{to} = c.shells[i].shear; }, none);
        for (const std::size_t side : {std::size_t{0}, std::size_t{1}})
            on_elements((side == 0 ? "stress top " : "stress bottom ") + c.name, 6,
                        [&](std::size_t i, double* to) {
                            const std::size_t count = mesh_.elements[static_cast<std::size_t>(solution_.shell_elements[i])].count;
                            for (std::size_t k = 0; k < count; ++k)
                                for (std::size_t s = 0; s < 6; ++s) to[s] += c.shells[i].corner[side][k][s] / static_cast<double>(count);
                        },
                        none);
        if (solution_.beam_elements.empty()) return;
        on_elements("beam forces start " + c.name, 6, none,
                    [&](std::size_t i, double* to) { Eigen::Map<Eigen::Matrix<double, 6, 1>>{to} = c.beams[i].force[0]; });
        on_elements("beam forces end " + c.name, 6, none,
                    [&](std::size_t i, double* to) { Eigen::Map<Eigen::Matrix<double, 6, 1>>{to} = c.beams[i].force[1]; });
    }

    const Mesh& mesh_;
    const Solution& solution_;
    pugi::xml_document doc_;
    pugi::xml_node piece_, at_points_, at_cells_;
};

}  // namespace

void write_solution_vtu(const std::filesystem::path& file, const Mesh& mesh, const Solution& solution, const Vec3& shift) {
    write_text(file, Results(mesh, solution, shift).text());
}

}  // namespace halvo
