// The plan over a range of values.
#include <halvo/job.hpp>
#include <halvo/study.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <fstream>
#include <map>

namespace halvo {
namespace {

class Collector {
public:
    explicit Collector(Study& study) : study_(study) {}

    void add(const Job& job, std::size_t run) {
        for (const CaseResult& c : job.solution.cases) {
            put(fmt::format("largest displacement, {}", c.name), "mm", c.max_displacement, run);
            put(fmt::format("largest von Mises, {}", c.name), "MPa", c.max_von_mises, run);
        }
        for (const ProbeResult& p : job.solution.probes) {
            const std::string name = fmt::format("{}: {}, {}", p.name, p.of, p.load_case);
            if (p.of.starts_with("reaction")) put(name + ", sum", p.unit, p.sum, run);
            else if (p.count == 1) put(name, p.unit, p.mean, run);
            else put(name + ", least", p.unit, p.min, run), put(name + ", most", p.unit, p.max, run), put(name + ", mean", p.unit, p.mean, run);
        }
        for (std::size_t i = 0; i < job.solution.modes.size(); ++i) put(fmt::format("mode {}", i + 1), "Hz", job.solution.modes[i].frequency, run);
        put("mass", "kg", 1000 * job.solution.mass, run);
        put("unknowns", "", static_cast<double>(job.solution.unknowns), run);
    }

private:
    void put(const std::string& name, const std::string& unit, double value, std::size_t run) {
        auto it = std::find_if(study_.figures.begin(), study_.figures.end(), [&](const StudyFigure& f) { return f.name == name; });
        if (it == study_.figures.end()) {
            StudyFigure f;
            f.name = name, f.unit = unit, f.values.assign(study_.runs.size(), std::numeric_limits<double>::quiet_NaN());
            it = study_.figures.insert(study_.figures.end(), std::move(f));
        }
        it->values[run] = value;
    }
    Study& study_;
};

// Value and order p of f(h) = limit + c h^p through the three finest sizes; nothing where they do not approach.
void extrapolate(StudyFigure& f, const std::vector<double>& sizes) {
    std::vector<std::pair<double, double>> points;
    for (std::size_t i = 0; i < sizes.size(); ++i)
        if (std::isfinite(f.values[i]) && sizes[i] > 0) points.emplace_back(sizes[i], f.values[i]);
    if (points.size() < 3) return;
    std::sort(points.begin(), points.end());
    const auto [h1, f1] = points[0];
    const auto [h2, f2] = points[1];
    const auto [h3, f3] = points[2];
    const double near = f2 - f1, far = f3 - f2, scale = std::abs(f1) + std::abs(f2) + std::abs(f3);
    if (h1 == h2 || h2 == h3 || near * far <= 0 || std::abs(near) < 1e-12 * scale) return;
    // (h3^p - h2^p) / (h2^p - h1^p) rises with p: halving an interval finds it.
    const auto ratio = [&, a = h1, b = h2, c = h3](double p) { return (std::pow(c, p) - std::pow(b, p)) / (std::pow(b, p) - std::pow(a, p)); };
    double low = 0.25, high = 4;  // what elements of this kind can do: other powers are not yet where the error is one
    const double wanted = far / near;
    if (wanted < ratio(low) || wanted > ratio(high)) return;
    for (int i = 0; i < 100; ++i) {
        const double middle = 0.5 * (low + high);
        (ratio(middle) < wanted ? low : high) = middle;
    }
    const double c = near / (std::pow(h2, low) - std::pow(h1, low));
    f.order = low, f.limit = f1 - c * std::pow(h1, low);
}

}  // namespace

Variation variation_of(const std::string& text) {
    const auto wrong = [&](const std::string& what) { throw Error(ErrorKind::usage, fmt::format("--vary {}: {}", text, what)); };
    const std::size_t at = text.find('=');
    if (at == std::string::npos || at == 0 || at + 1 == text.size()) wrong("give KEY=A,B,C or KEY=FROM..TO/COUNT, such as mesh.size=20mm,10mm,5mm");
    Variation v;
    v.key = text.substr(0, at);
    const std::string list = text.substr(at + 1);
    if (const std::size_t dots = list.find(".."); dots != std::string::npos) {
        const std::size_t slash = list.find('/', dots);
        if (slash == std::string::npos) wrong("a range needs a count, such as 2mm..6mm/5");
        const std::string from = list.substr(0, dots), to = list.substr(dots + 2, slash - dots - 2);
        const int count = std::atoi(list.c_str() + slash + 1);
        char *end_from = nullptr, *end_to = nullptr;
        const double a = std::strtod(from.c_str(), &end_from), b = std::strtod(to.c_str(), &end_to);
        if (count < 2 || end_from == from.c_str() || end_to == to.c_str()) wrong("a range is FROM..TO/COUNT with two values or more, such as 2mm..6mm/5");
        if (std::string(end_from) != end_to) wrong("both ends of a range have the same unit");
        for (int i = 0; i < count; ++i) v.values.push_back(fmt::format("{:.10g}{}", a + (b - a) * i / (count - 1), end_from));
        return v;
    }
    std::size_t start = 0;
    for (;;) {
        const std::size_t comma = list.find(',', start);
        v.values.push_back(list.substr(start, comma == std::string::npos ? comma : comma - start));
        if (v.values.back().empty()) wrong("a value is empty");
        if (comma == std::string::npos) return v;
        start = comma + 1;
    }
}

Study study(const Plan& plan, const std::vector<Variation>& varied, const Observer& observer) {
    if (varied.empty()) throw Error(ErrorKind::usage, "nothing is varied; give --vary KEY=A,B,C");
    if (!plan.solve.any()) throw Error(ErrorKind::usage, "the plan has nothing to solve; give it [[support]] and [[load]], or [modes]");
    Study out;
    out.varied = varied, out.runs = {{}};
    Stage first = Stage::solve;
    for (const Variation& v : varied) {
        std::vector<std::vector<std::string>> more;
        for (const auto& run : out.runs)
            for (const std::string& value : v.values) more.push_back(run), more.back().push_back(value);
        out.runs = std::move(more);
        first = std::min(first, stage_of_key(v.key));
    }
    // Every plan is made before the first one is run: a wrong key or value stops here.
    std::vector<Plan> plans(out.runs.size(), plan);
    for (std::size_t i = 0; i < plans.size(); ++i)
        for (std::size_t k = 0; k < varied.size(); ++k) set_plan_value(plans[i], varied[k].key + "=" + out.runs[i][k]);
    Job base;
    base.plan = plan;
    if (first > Stage::read) run(base, Stage::read, static_cast<Stage>(static_cast<int>(first) - 1), observer);
    // Thicknesses alone leave the mesh, the order of elimination and the matrix's pattern as they are: one run hands them to the next.
    const bool one_mesh = std::all_of(varied.begin(), varied.end(), [](const Variation& v) { return v.key.starts_with("thickness"); });
    if (first >= Stage::mesh) base.solve_memory = std::make_shared<SolveMemory>();
    Collector collector(out);
    for (std::size_t i = 0; i < plans.size(); ++i) {
        const auto start = std::chrono::steady_clock::now();
        Job job = base;
        job.plan = plans[i];
        out.failures.emplace_back();
        try {
            if (first <= Stage::mesh) run(job, first, Stage::mesh, observer);
            run(job, Stage::solve, Stage::solve, observer);
            collector.add(job, i);
            if (one_mesh) base.mesh = std::move(job.mesh), base.meshed_with = std::move(job.meshed_with);
        } catch (const Error& e) {
            if (e.kind() == ErrorKind::cancelled) throw;
            out.failures.back() = e.what();
        }
        out.seconds.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
    }
    if (varied.size() == 1 && varied[0].key == "mesh.size") {
        std::vector<double> sizes;
        for (const Plan& p : plans) sizes.push_back(p.mesh.size.value_or(0));
        for (StudyFigure& f : out.figures)
            if (f.name != "unknowns") extrapolate(f, sizes);
    }
    return out;
}

std::string study_csv(const Study& s) {
    const auto text = [](const std::string& t) {
        if (t.find_first_of(",\"\n") == std::string::npos) return t;
        std::string quoted = "\"";
        for (const char c : t) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
        return quoted + "\"";
    };
    std::string out;
    for (const Variation& v : s.varied) out += text(v.key) + ",";
    for (const StudyFigure& f : s.figures) out += text(f.unit.empty() ? f.name : f.name + " (" + f.unit + ")") + ",";
    out += "seconds,failure\n";
    for (std::size_t i = 0; i < s.runs.size(); ++i) {
        for (const std::string& v : s.runs[i]) out += text(v) + ",";
        for (const StudyFigure& f : s.figures) out += std::isfinite(f.values[i]) ? fmt::format("{:.9g},", f.values[i]) : ",";
        out += fmt::format("{:.3f},{}\n", s.seconds[i], text(s.failures[i]));
    }
    const auto last = [&](const char* name, const auto& value) {
        out += name;
        for (std::size_t k = 0; k < s.varied.size(); ++k) out += ",";
        for (const StudyFigure& f : s.figures) out += value(f) ? fmt::format("{:.9g},", *value(f)) : ",";
        out += ",\n";
    };
    if (std::any_of(s.figures.begin(), s.figures.end(), [](const StudyFigure& f) { return f.limit.has_value(); })) {
        last("extrapolated", [](const StudyFigure& f) { return f.limit; });
        last("order", [](const StudyFigure& f) { return f.order; });
    }
    return out;
}

namespace {

// Cells of one line; quotes as study_csv sets them.
std::vector<std::string> cells_of(const std::string& line) {
    std::vector<std::string> out(1);
    bool quoted = false;
    for (std::size_t i = 0; i < line.size(); ++i) {
        const char c = line[i];
        if (quoted && c == '"' && i + 1 < line.size() && line[i + 1] == '"') out.back() += '"', ++i;
        else if (c == '"') quoted = !quoted;
        else if (c == ',' && !quoted) out.emplace_back();
        else if (c != '\r') out.back() += c;
    }
    return out;
}

}  // namespace

Study read_study(const std::filesystem::path& file) {
    std::ifstream in(file);
    const auto bad = [&](const char* what) { throw Error(ErrorKind::input, fmt::format("{}: {}; take the study.csv of halvo study", file.string(), what)); };
    std::string line;
    if (!in || !std::getline(in, line)) bad("no table can be read there");
    const std::vector<std::string> head = cells_of(line);
    Study s;
    // Keys have a dot and no unit or blank; figures follow them.
    std::size_t keys = 0;
    while (keys < head.size() && head[keys].find('.') != std::string::npos && head[keys].find_first_of(" ,") == std::string::npos) ++keys;
    if (keys == 0 || head.size() < keys + 2 || head[head.size() - 2] != "seconds" || head.back() != "failure") bad("its first line is not that of a study");
    for (std::size_t k = 0; k < keys; ++k) s.varied.push_back({head[k], {}});
    for (std::size_t k = keys; k + 2 < head.size(); ++k) {
        StudyFigure f;
        const std::size_t open = head[k].rfind(" (");
        const bool unit = open != std::string::npos && head[k].back() == ')';
        f.name = head[k].substr(0, unit ? open : std::string::npos), f.unit = unit ? head[k].substr(open + 2, head[k].size() - open - 3) : "";
        s.figures.push_back(std::move(f));
    }
    while (std::getline(in, line)) {
        if (line.empty()) continue;
        const std::vector<std::string> cells = cells_of(line);
        if (cells.size() != head.size()) bad("a line has another number of cells than the first");
        const bool limit = cells[0] == "extrapolated", order = cells[0] == "order";
        if (!limit && !order) {
            s.runs.emplace_back(cells.begin(), cells.begin() + static_cast<std::ptrdiff_t>(keys));
            s.seconds.push_back(std::atof(cells[cells.size() - 2].c_str())), s.failures.push_back(cells.back());
        }
        for (std::size_t k = 0; k < s.figures.size(); ++k) {
            const std::string& cell = cells[keys + k];
            StudyFigure& f = s.figures[k];
            if (!limit && !order) f.values.push_back(cell.empty() ? std::numeric_limits<double>::quiet_NaN() : std::atof(cell.c_str()));
            else if (!cell.empty()) (limit ? f.limit : f.order) = std::atof(cell.c_str());
        }
    }
    return s;
}

}  // namespace halvo
