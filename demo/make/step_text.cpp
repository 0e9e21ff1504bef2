#include "step_text.hpp"

#include <halvo/types.hpp>

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <vector>

namespace make {
namespace {

using halvo::Vec3;

// Writes instances one by one and knows their numbers.
class StepText {
public:
    int add(const std::string& what) {
        lines_ += fmt::format("#{}={};\n", ++count_, what);
        return count_;
    }
    int point(const Vec3& p) { return add(fmt::format("CARTESIAN_POINT('',({:.9f},{:.9f},{:.9f}))", p.x(), p.y(), p.z())); }
    int direction(const Vec3& p) { return add(fmt::format("DIRECTION('',({:.9f},{:.9f},{:.9f}))", p.x(), p.y(), p.z())); }
    int placement(const Vec3& at, const Vec3& z, const Vec3& x) {
        const int o = point(at), a = direction(z), b = direction(x);
        return add(fmt::format("AXIS2_PLACEMENT_3D('',#{},#{},#{})", o, a, b));
    }
    int vertex(const Vec3& p) { return add(fmt::format("VERTEX_POINT('',#{})", point(p))); }
    int line(const Vec3& p, const Vec3& q) {
        const int o = point(p), v = add(fmt::format("VECTOR('',#{},1.)", direction((q - p).normalized())));
        return add(fmt::format("LINE('',#{},#{})", o, v));
    }
    int circle(const Vec3& c, double r, const Vec3& x) { return add(fmt::format("CIRCLE('',#{},{:.9f})", placement(c, Vec3::UnitZ(), x), r)); }
    int edge(int a, int b, int curve) { return add(fmt::format("EDGE_CURVE('',#{},#{},#{},.T.)", a, b, curve)); }
    int loop(const std::vector<std::pair<int, bool>>& edges) {
        std::vector<int> uses;
        uses.reserve(edges.size());
        for (const auto& [e, along] : edges) uses.push_back(add(fmt::format("ORIENTED_EDGE('',*,*,#{},.{}.)", e, along ? 'T' : 'F')));
        return add(fmt::format("FACE_BOUND('',#{},.T.)", add(fmt::format("EDGE_LOOP('',({}))", list(uses)))));
    }
    int face(const std::vector<int>& bounds, int surface, bool same) {
        return add(fmt::format("ADVANCED_FACE('',({}),#{},.{}.)", list(bounds), surface, same ? 'T' : 'F'));
    }
    static std::string list(const std::vector<int>& ids) {
        std::string out;
        for (const int id : ids) out += (out.empty() ? "#" : ",#") + std::to_string(id);
        return out;
    }
    // The whole file of one product of that name with one closed shell.
    std::string file(const std::vector<int>& faces, const std::string& name, const std::string& more_items) {
        const int solid = add(fmt::format("MANIFOLD_SOLID_BREP('',#{})", add(fmt::format("CLOSED_SHELL('',({}))", list(faces)))));
        const int mm = add("( LENGTH_UNIT() NAMED_UNIT(*) SI_UNIT(.MILLI.,.METRE.) )"), rad = add("( NAMED_UNIT(*) PLANE_ANGLE_UNIT() SI_UNIT($,.RADIAN.) )");
        const int context =
            add(fmt::format("( GEOMETRIC_REPRESENTATION_CONTEXT(3) GLOBAL_UNIT_ASSIGNED_CONTEXT((#{},#{})) REPRESENTATION_CONTEXT('','') )", mm, rad));
        const int shape = add(fmt::format("ADVANCED_BREP_SHAPE_REPRESENTATION('',(#{}{}),#{})", solid, more_items, context));
        const int app = add("APPLICATION_CONTEXT('mechanical design')"), pc = add(fmt::format("PRODUCT_CONTEXT('',#{},'mechanical')", app));
        const int formation = add(fmt::format("PRODUCT_DEFINITION_FORMATION('','',#{})", add(fmt::format("PRODUCT('{0}','{0}','',(#{1}))", name, pc))));
        const int pdc = add(fmt::format("PRODUCT_DEFINITION_CONTEXT('part definition',#{},'design')", app));
        const int definition = add(fmt::format("PRODUCT_DEFINITION('','',#{},#{})", formation, pdc));
        add(fmt::format("SHAPE_DEFINITION_REPRESENTATION(#{},#{})", add(fmt::format("PRODUCT_DEFINITION_SHAPE('','',#{})", definition)), shape));
        return "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('','2026-01-01T00:00:00',(''),(''),'','','');\n"
               "FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));\nENDSEC;\nDATA;\n" +
               lines_ + "ENDSEC;\nEND-ISO-10303-21;\n";
    }

private:
    std::string lines_;
    int count_ = 0;
};

}  // namespace

std::string perforated(int n, Bores kind, const std::string& name, const std::string& more_items) {
    StepText s;
    const double w = 10.0 * n, t = 2, r = 3;
    const std::array<Vec3, 4> c{Vec3(0, 0, 0), Vec3(w, 0, 0), Vec3(w, w, 0), Vec3(0, w, 0)};
    std::array<int, 4> vb{}, vt{}, eb{}, et{}, ev{};
    const Vec3 up(0, 0, t);
    for (std::size_t i = 0; i < 4; ++i) vb[i] = s.vertex(c[i]), vt[i] = s.vertex(c[i] + up);
    for (std::size_t i = 0; i < 4; ++i) {
        const std::size_t j = (i + 1) % 4;
        eb[i] = s.edge(vb[i], vb[j], s.line(c[i], c[j])), et[i] = s.edge(vt[i], vt[j], s.line(c[i] + up, c[j] + up));
        ev[i] = s.edge(vb[i], vt[i], s.line(c[i], c[i] + up));
    }
    std::vector<int> faces, top{s.loop({{et[0], true}, {et[1], true}, {et[2], true}, {et[3], true}})},
        bottom{s.loop({{eb[3], false}, {eb[2], false}, {eb[1], false}, {eb[0], false}})};
    for (int k = 0; k < n * n; ++k) {
        const Vec3 o(10.0 * (k % n) + 5, 10.0 * (k / n) + 5, 0), x = Vec3::UnitX(), other = kind == Bores::turned ? Vec3(0.6, 0.8, 0) : x;
        const int a = s.vertex(o + r * x), b = s.vertex(o + up + r * other);
        const int low = s.edge(a, a, s.circle(o, r, x)), high = s.edge(b, b, s.circle(o + up, r, other));
        const int round = s.add(fmt::format("CYLINDRICAL_SURFACE('',#{},{:.9f})", s.placement(o, Vec3::UnitZ(), x), r));
        if (kind == Bores::with_seam) {
            const int seam = s.edge(a, b, s.line(o + r * x, o + up + r * x));
            faces.push_back(s.face({s.loop({{seam, true}, {high, true}, {seam, false}, {low, false}})}, round, false));
        } else {
            faces.push_back(s.face({s.loop({{high, true}}), s.loop({{low, false}})}, round, false));
        }
        top.push_back(s.loop({{high, false}})), bottom.push_back(s.loop({{low, true}}));
    }
    faces.push_back(s.face(top, s.add(fmt::format("PLANE('',#{})", s.placement(up, Vec3::UnitZ(), Vec3::UnitX()))), true));
    faces.push_back(s.face(bottom, s.add(fmt::format("PLANE('',#{})", s.placement(Vec3::Zero(), Vec3::UnitZ(), Vec3::UnitX()))), false));
    for (std::size_t i = 0; i < 4; ++i) {
        const std::size_t j = (i + 1) % 4;
        const Vec3 d = (c[j] - c[i]).normalized(), out = d.cross(Vec3::UnitZ());
        faces.push_back(s.face({s.loop({{eb[i], true}, {ev[j], true}, {et[i], false}, {ev[i], false}})},
                               s.add(fmt::format("PLANE('',#{})", s.placement(c[i], out, d))), true));
    }
    return s.file(faces, name, more_items);
}

}  // namespace make
