#include "support.hpp"

#include <algorithm>

#include <sys/wait.h>
#include <unistd.h>
#include <array>
#include <cstdio>
#include <deque>
#include <fstream>
#include <optional>
#include <set>
#include <sstream>

namespace test {

Folder::Folder() {
    std::string name = (fs::temp_directory_path() / "halvo-test-XXXXXX").string();
    if (!mkdtemp(name.data())) throw std::runtime_error("no temporary folder");
    path_ = name;
}

Folder::~Folder() {
    std::error_code ec;
    fs::permissions(path_, fs::perms::owner_all, ec);
    fs::remove_all(path_, ec);
}

namespace {

// What the cases of one suite ask for again: a part is written, read and halved once.
class Memory {
public:
    template <class Make>
    Job job(const std::string& key, const Make& make) {
        for (auto& [known, job] : kept_)
            if (known == key) return job;
        if (kept_.size() == most) kept_.pop_front();
        kept_.emplace_back(key, make());
        return kept_.back().second;
    }

private:
    static constexpr std::size_t most = 8;
    std::deque<std::pair<std::string, Job>> kept_;
};

Memory& memory() {
    static Memory all;
    return all;
}

// The file without its time stamp.
std::string content_of(const std::string& step) {
    const auto data = step.find("DATA;");
    return data == std::string::npos ? step : step.substr(data);
}

// Plans whose first stages are plain are told apart by these; nothing for others, which are run whole.
std::optional<std::string> first_stages(const Plan& p) {
    // Bindings of all members: an option that is added does not compile until it is asked here.
    const auto plain_survey = [](const SurveyOptions& s) {
        const auto& [thickest, thinnest, slender, flat, near, tiny, narrow, holes, rounds, raised] = s;
        const SurveyOptions d;
        return thickest == d.thickest && thinnest == d.thinnest && slender == d.slender && flat == d.flat && near == d.near && tiny == d.tiny &&
               narrow == d.narrow && holes == d.holes && rounds == d.rounds && raised == d.raised;
    };
    const auto& [file, unit, body, only, skip, places] = p.source;
    const auto& [survey, slender, steps, openings, fill, keep, covered, thickness, draft, slimness, refuse, reference, method, bulk, walls, patches] = p.halve;
    const HalveOptions d;
    const bool plain = unit.empty() && body.empty() && only.empty() && skip.empty() && places.empty() && plain_survey(p.survey) && plain_survey(survey) &&
                       openings == d.openings && fill.empty() && keep.empty() && thickness == d.thickness && draft == d.draft && slimness == d.slimness &&
                       refuse.empty() && walls.empty() && patches.empty();
    if (!plain) return std::nullopt;
    return fmt::format("{} {} {} {} {} {} ", static_cast<int>(covered), static_cast<int>(slender), static_cast<int>(steps), static_cast<int>(reference),
                       static_cast<int>(method), static_cast<int>(bulk));
}

}  // namespace

Assembly solids_of(const std::vector<make::Item>& items, const std::string& unit) {
    const Folder folder;
    const std::string file = (folder / "part.step").string();
    make::write_step(file, items, unit);
    return memory()
        .job("read " + content_of(slurp(file)),
             [&] {
                 Job job;
                 job.solids = read(file);
                 return job;
             })
        .solids;
}

Job job_of(const std::vector<make::Item>& items, const Plan& plan, const std::string& unit) {
    const Folder folder;
    const std::string file = (folder / "part.step").string();
    make::write_step(file, items, unit);
    const auto halved = [&] {
        Job job;
        job.plan = plan;
        job.plan.source.file = file;
        run(job, Stage::read, Stage::halve);
        return job;
    };
    const auto first = first_stages(plan);
    Job job = first ? memory().job(*first + content_of(slurp(file)), halved) : halved();
    job.plan = plan;
    job.plan.source.file = file;
    run(job, Stage::join);
    expect_valid(job.halved, "halve"), expect_valid(job.model, "join");
    return job;
}

Job job_of(const make::Solid& solid, const Plan& plan) {
    return job_of(std::vector<make::Item>{{"part", solid}}, plan);
}

Job job_of_shells(const make::Solid& solid, bool moved) {
    Plan plan;
    plan.halve.slender = SlenderAs::shells;
    return job_of(moved ? make::moved(solid, anywhere()) : solid, plan);
}

void expect_valid(const Model& model, const char* stage) {
    const auto found = validate(model);
    for (std::size_t k = 0; k < std::min<std::size_t>(found.size(), 3); ++k)
        ADD_FAILURE() << stage << ": " << violation_name(found[k].kind) << ": " << found[k].about << " (" << found.size() << " in all)";
}

std::size_t count_findings(const Job& job, const std::string& kind) {
    return static_cast<std::size_t>(std::ranges::count_if(findings_of(job), [&](const Finding& f) { return kind_name(f.kind) == kind; }));
}

Eigen::Isometry3d anywhere() {
    return Eigen::Translation3d(61234.5, -58765.4, 52345.6) * Eigen::Isometry3d(Eigen::AngleAxisd(37 * pi / 180, Vec3(0.3, -0.8, 0.52).normalized()));
}

double seam_length(const Model& model, const std::string& kind) {
    double sum = 0;
    for (const Seam& s : seams(model))
        if (kind_name(s.kind) == kind) sum += model.length(s.edge);
    return sum;
}

int seam_count(const Model& model, const std::string& kind) {
    int n = 0;
    for (const Seam& s : seams(model)) n += kind_name(s.kind) == kind;
    return n;
}

int joint_count(const Model& model, const std::string& kind) {
    int n = 0;
    for (const JointRecord& j : model.joints) n += kind_name(j.kind) == kind && j.state == EntryState::applied;
    return n;
}

double total_area(const Model& model) {
    double sum = 0;
    for (const Sheet& s : model.sheets) sum += s.area();
    return sum;
}

namespace {

Vec3 element_normal(const Mesh& mesh, const Element& e) {
    Vec3 n = Vec3::Zero();
    for (std::size_t k = 1; k + 1 < e.count; ++k)
        n += 0.5 * (mesh.nodes[static_cast<std::size_t>(e.nodes[k])] - mesh.nodes[static_cast<std::size_t>(e.nodes[0])])
                       .cross(mesh.nodes[static_cast<std::size_t>(e.nodes[k + 1])] - mesh.nodes[static_cast<std::size_t>(e.nodes[0])]);
    return n;
}

// Area between the arcs of a sheet's boundary and the chords the mesh puts there: bounded by the largest step of 46 degrees.
bool has_arcs(const Model& model, const Sheet& s) {
    for (const Region& r : s.regions)
        for (const auto& loop : r.loops)
            for (const EdgeUse& u : loop)
                if (!model.edges[u.edge.index()].curve.is_line()) return true;
    return false;
}

}  // namespace

void check_mesh(const Model& model, const Mesh& mesh) {
    std::vector<double> area(model.sheets.size(), 0.0);
    std::map<std::pair<int, int>, std::map<SheetId, int>> on_edge;  // node pair -> sheet -> elements
    std::vector<bool> used(mesh.nodes.size(), false);
    for (const Element& e : mesh.elements) {
        for (std::size_t k = 0; k < e.count; ++k) used.at(static_cast<std::size_t>(e.nodes[k])) = true;
        if (e.kind != ElementKind::shell) continue;
        const Sheet& s = model.sheets.at(e.sheet.index());
        const Vec3 n = element_normal(mesh, e);
        Vec3 c = Vec3::Zero();
        for (std::size_t k = 0; k < e.count; ++k) c += mesh.nodes[static_cast<std::size_t>(e.nodes[k])] / e.count;
        ASSERT_GT(n.dot(s.chart.normal(c)), 0) << "element turned against its sheet";
        ASSERT_GT(e.quality, 0);
        ASSERT_GT(e.thickness, 0);
        area[e.sheet.index()] += n.norm();
        for (std::size_t k = 0; k < e.count; ++k) ++on_edge[std::minmax(e.nodes[k], e.nodes[(k + 1) % e.count])][e.sheet];
    }
    for (std::size_t i = 0; i < used.size(); ++i) ASSERT_TRUE(used[i]) << "node " << i << " belongs to nothing";
    for (std::size_t s = 0; s < area.size(); ++s) {
        const double want = model.sheets[s].area();
        if (has_arcs(model, model.sheets[s])) EXPECT_NEAR(area[s], want, 0.02 * want) << model.sheets[s].key;
        else EXPECT_NEAR(area[s], want, 1e-9 * want) << model.sheets[s].key;
    }
    // An element edge belongs to at most two elements of one sheet.
    for (const auto& [edge, sheets] : on_edge)
        for (const auto& [sheet, n] : sheets) ASSERT_LE(n, 2);
    // No two nodes at one place.
    std::set<std::array<long long, 3>> places;
    for (const Vec3& p : mesh.nodes) {
        const auto q = [&](double v) { return std::llround(v / (20 * model.tolerance.point) + 0.317); };
        ASSERT_TRUE(places.insert({q(p.x()), q(p.y()), q(p.z())}).second) << "doubled node at " << p.transpose();
    }
    // The boundary of the mesh of all sheets together is as long as the model's free edges: nothing hangs.
    const auto sides = sides_at_edges(model);
    double free = 0, found = 0;
    bool straight = true;
    for (std::size_t i = 0; i < sides.size(); ++i)
        if (sides[i] == 1) free += model.length(EdgeId(i)), straight = straight && model.edges[i].curve.is_line();
    for (const auto& [edge, sheets] : on_edge) {
        int n = 0;
        for (const auto& [sheet, k] : sheets) n += k;
        if (n == 1) found += (mesh.nodes[static_cast<std::size_t>(edge.first)] - mesh.nodes[static_cast<std::size_t>(edge.second)]).norm();
    }
    EXPECT_NEAR(found, free, (straight ? 1e-9 : 0.03) * std::max(free, 1.0));
}

void expect_whole(const Job& job) {
    EXPECT_EQ(connected_parts(job.model).count, 1);
    EXPECT_EQ(job.mesh.parts, 1);
    EXPECT_TRUE(job.proof.within_bounds) << (job.proof.outside.empty() ? "" : job.proof.outside[0]);
    for (const ContactProof& c : job.proof.contacts)
        EXPECT_TRUE(c.joined) << job.solids.bodies[c.a.index()].name << " and " << job.solids.bodies[c.b.index()].name;
    check_mesh(job.model, job.mesh);
}

Ran command(const std::string& line, const fs::path& where) {
    const Folder folder;
    const fs::path out = folder / "out", err = folder / "err";
    std::string whole = line + " >'" + out.string() + "' 2>'" + err.string() + "' </dev/null";
    if (!where.empty()) whole = "cd '" + where.string() + "' && " + whole;
    const int status = std::system(whole.c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, slurp(out), slurp(err)};
}

Ran halvo_command(const std::string& arguments, const fs::path& where) {
    return command("'" HALVO_PROGRAM "' " + arguments, where);
}

std::string slurp(const fs::path& file) {
    std::ifstream in(file, std::ios::binary);
    std::ostringstream text;
    text << in.rdbuf();
    return text.str();
}

void spit(const fs::path& file, const std::string& text) {
    std::ofstream(file, std::ios::binary) << text;
}

}  // namespace test
