#pragma once
/// The solids as read: bodies of faces and edges with exact surfaces and curves, and facets as an index.

#include <halvo/geometry.hpp>

#include <array>
#include <memory>

namespace halvo {

class FacetTree;

using BodyPair = std::pair<BodyId, BodyId>;  ///< of Assembly::bodies, the lower one first

/// Edge of a body; `vertices` index Body::vertices. A degenerate edge is a point (cone apex, sphere pole).
struct BodyEdge {
    Curve curve;
    std::array<int, 2> vertices{-1, -1};
    bool degenerate = false;
};

/// One use of an edge by a face, in the sense that keeps the face's material on its left seen from outside.
struct Coedge {
    BodyEdgeId edge;
    bool reversed = false;
    Vec2 uv_start = Vec2::Zero(), uv_end = Vec2::Zero();  ///< surface parameters at both ends, in the sense of use
    std::vector<Vec2> path;                               ///< on spline faces: parameters along the edge, corners of facets and points between
};

struct Face {
    Surface surface;
    bool reversed = false;  ///< outward normal is minus the surface's own
    std::vector<std::vector<Coedge>> loops;
    std::size_t first_facet = 0, facet_count = 0;
    double area = 0;       ///< from the exact surface; from the facets on faces of facet bodies
    double fit_error = 0;  ///< of facet bodies: root mean square distance of the facets' corners from `surface` (mm)
    Vec3 outward_or(const Vec3& p, const Vec3& fallback) const {
        const auto n = surface_normal(surface, p);
        return n ? Vec3(reversed ? -*n : *n) : fallback;
    }
};

struct Facet {
    std::array<int, 3> corners{};
    int face = -1;
};

/// How a body is built, measured by `classify` (see survey.hpp for the thresholds).
enum class BodyClass { thin, slender, bulk, mixed, open };
[[nodiscard]] const char* class_name(BodyClass c);

struct MassProperties {
    double volume = 0, area = 0;
    Vec3 centre = Vec3::Zero();  ///< centre of volume
};

/// What a body is called, by files, plans and messages.
struct BodyNames {
    std::string key;    ///< stable id: from name and measures, not from order or position
    std::string name;   ///< product name, "solid" where the file gives none
    std::string label;  ///< as messages call it: its name, with "(body 3)" where others have that name too
    std::string path;   ///< names from the root of the assembly tree, separated by '/'
    std::string layer;
    int number = 0;  ///< 1-based place among all bodies of the file, as survey lists them
};

/// One solid (or one open shell) of the assembly.
struct Body : BodyNames {
    std::array<double, 3> colour{0.62, 0.66, 0.70};
    std::vector<Vec3> vertices;
    std::vector<BodyEdge> edges;
    std::vector<Face> faces;
    std::vector<Vec3> points;                                 ///< corners of the facets
    std::vector<Vec2> parameters;                             ///< of the points on their spline face; empty where no face is a spline
    std::vector<Facet> facets;                                ///< outward oriented, grouped by face
    bool closed = true;                                       ///< every edge bounds two faces
    bool faceted = false;                                     ///< read from facets: surfaces are fitted to them, figures are those of the facets
    int turned = 0;                                           ///< facets or faces that looked inward in the file and were turned
    int part = 0;                                             ///< bodies with the same part are one shape in several places
    Eigen::Isometry3d place = Eigen::Isometry3d::Identity();  ///< from the part's own coordinates to this body's
    MassProperties mass;
    Box3 box;
    std::shared_ptr<const FacetTree> tree;

    [[nodiscard]] Vec3 facet_normal(std::size_t i) const;
    [[nodiscard]] double facet_area(std::size_t i) const;
    /// The point of the exact surface behind a facet that is nearest to `p`, which lies on or near that facet.
    [[nodiscard]] SkinPoint on_skin(std::size_t facet, const Vec3& p) const;
};

/// A body of the file that the plan leaves out.
struct LeftOut {
    int number = 0;
    std::string name, path, why;
    Vec3 size = Vec3::Zero();
};

struct Assembly {
    std::string file;
    std::string sha256;
    std::string asked;          ///< what the plan asked of the file, in one text: the same file asked the same gives the same solids
    std::string unit = "mm";    ///< unit of the file
    double precision = 0;       ///< to which the file says its places are given (mm); 0 where it does not say
    Vec3 shift = Vec3::Zero();  ///< added to Halvo's coordinates to get those of the file (mm)
    Tolerance tolerance;
    std::string format = "STEP";
    bool unit_stated = true;         ///< by the file or by the plan
    std::vector<Body> bodies;        ///< in canonical order: by name, then size; not by order in the file
    std::vector<LeftOut> left_out;   ///< by the plan's source.body, source.only and source.skip
    std::vector<std::string> notes;  ///< what the reader had to pass over, one line each
    Box3 box;
};

/// Fills mass, face areas, box, facet tree and key of a body from its exact geometry and facets.
/// Volume and centre come from boundary integrals over the exact surfaces (Green's theorem in the parameter
/// plane, divergence theorem over the skin), on spline faces by quadrature over the facets in the parameter plane;
/// from the facets alone where they are all there is.
void finish_body(Body& body);
/// The tree over the body's facets, which most questions about places are asked of.
void index_facets(Body& body);
/// The stable id of a body, from its name and measures.
void name_body(Body& body);
/// The body in another place: everything finish_body made is carried along.
[[nodiscard]] Body moved(const Body& body, const Eigen::Isometry3d& m);
/// Puts bodies in canonical order and sets box, tolerance and labels; those without a number are numbered on.
void finish_assembly(Assembly& assembly);
/// Sets the labels of bodies from their names and numbers.
void label_bodies(std::vector<Body>& bodies);

/// Outline of a face projected on a plane, arcs within `chord`.
[[nodiscard]] std::vector<std::vector<Vec2>> face_outline(const Body& body, FaceId face, const Frame& chart, double chord);

}  // namespace halvo
