#include <halvo/survey.hpp>

#include "core/keys.hpp"
#include "core/parallel.hpp"
#include "model/shapes.hpp"
#include "survey/finders.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

void name_profile(const Prism& p, BodySurvey& s) {
    Section section;
    section.profile = p.profile;
    fill_area_values(section);
    name_shape(section);
    s.length = p.length(), s.depth = p.depth, s.profile = section.shape;
    for (const auto& [name, value] : section.dimensions) s.dimensions.emplace_back(name, value);
}

void survey_body(const Body& body, const SurveyOptions& options, double tol, BodySurvey& s, Findings& findings) {
    WallLimits limits;
    limits.thinnest = options.thinnest, limits.thickest = options.thickest;
    const Skin skin = analyse_skin(body, probe(body, tol), limits);
    const Build b = classify(body, skin, options.slender, options.flat, tol);
    s.kind = b.kind, s.why = b.why, s.thin_share = b.thin_share;
    measure_thickness(body, skin, s);
    if (s.bands.empty()) s.thinnest = b.thinnest, s.thickest = b.thickest;
    if (b.kind == BodyClass::slender && b.prism) name_profile(*b.prism, s);
    const Surveyed view{body, options, skin, s, tol};
    find_open_skin(view, findings);
    find_poor_faces(view, findings);
    find_self_intersection(view, findings);
    find_details(view, findings);
}

// The same figures at another place of the part.
BodySurvey placed(BodySurvey s, const Eigen::Isometry3d& m) {
    s.thinnest_at = m * s.thinnest_at, s.thickest_at = m * s.thickest_at;
    for (BulkRegion& r : s.bulk) r.place = m * r.place;
    return s;
}

}  // namespace

double extent(const Body& body) {
    double r = 0;
    for (const Vec3& p : body.points) r = std::max(r, (p - body.mass.centre).norm());
    return 2 * r;
}

double extent(const Assembly& solids) {
    Vec3 centre = Vec3::Zero();
    double weight = 0, r = 0;
    for (const Body& b : solids.bodies) centre += b.mass.area * b.mass.centre, weight += b.mass.area;
    if (weight > 0) centre /= weight;
    for (const Body& b : solids.bodies)
        for (const Vec3& p : b.points) r = std::max(r, (p - centre).norm());
    return 2 * r;
}

double Surveyed::wall() const {
    if (!summary.bands.empty()) return summary.bands[0].mean;
    return body.mass.area > 0 ? 2 * std::abs(body.mass.volume) / body.mass.area : 0;
}

double Surveyed::narrow() const {
    if (options.narrow) return *options.narrow;
    return std::max(10 * tol, summary.bands.empty() ? 1e-4 * extent(body) : 0.05 * wall());
}

Finding Surveyed::finding(FindingKind kind, std::string about, std::string advice, const Vec3& place, double size, int face,
                          std::initializer_list<double> measures) const {
    Finding f;
    f.key = make_key("finding", std::string(kind_name(kind)) + " " + body.key, measures);
    f.kind = kind, f.about = body.label + ": " + std::move(about), f.advice = std::move(advice);
    f.place = place, f.size = size, f.body = body.label, f.face = FaceId(face), f.body_keys = {body.key, ""};
    return f;
}

Survey survey(const Assembly& solids, const SurveyOptions& options, const Observer& observer) {
    Survey out;
    const std::size_t n = solids.bodies.size();
    out.bodies.resize(n);
    // The first body of each part stands for the others.
    std::map<int, std::vector<std::size_t>> parts;
    for (std::size_t i = 0; i < n; ++i) parts[solids.bodies[i].part].push_back(i);
    std::vector<std::vector<std::size_t>> uses;
    for (auto& [part, list] : parts) uses.push_back(std::move(list));
    std::sort(uses.begin(), uses.end());
    std::vector<Findings> findings(uses.size());
    const std::size_t chunk = std::max<std::size_t>(1, uses.size() / 20);
    for (std::size_t first = 0; first < uses.size(); first += chunk) {
        observer.tell("survey", 0.7 * static_cast<double>(first) / static_cast<double>(uses.size()));
        parallel_for(std::min(chunk, uses.size() - first), [&](std::size_t k) {
            const std::size_t i = uses[first + k][0];
            survey_body(solids.bodies[i], options, solids.tolerance.point, out.bodies[i], findings[first + k]);
        });
    }
    for (std::size_t k = 0; k < uses.size(); ++k) {
        const std::size_t i = uses[k][0];
        for (std::size_t u = 1; u < uses[k].size(); ++u)
            out.bodies[uses[k][u]] = placed(out.bodies[i], solids.bodies[uses[k][u]].place * solids.bodies[i].place.inverse());
        for (Finding& f : findings[k]) {
            if (uses[k].size() > 1)
                f.about += fmt::format(" (and in {} more {} of the same part)", uses[k].size() - 1, uses[k].size() == 2 ? "place" : "places");
            out.findings.push_back(std::move(f));
        }
    }
    observer.tell("survey", 0.7);
    find_between_bodies(solids, out, options, observer, out.findings);
    std::stable_sort(out.findings.begin(), out.findings.end(), [](const Finding& a, const Finding& b) { return a.level < b.level; });
    KeySet keys;
    for (Finding& f : out.findings) f.key = keys.unique(f.key);
    estimate_nodes(solids, out);
    observer.tell("survey", 1);
    return out;
}

}  // namespace halvo
