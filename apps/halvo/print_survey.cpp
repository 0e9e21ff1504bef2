// The page an analyst reads first.
#include "print.hpp"
#include "text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>

using namespace halvo;

namespace {

struct Row {
    std::size_t body = 0;  // the first of them
    int count = 1;
    std::string numbers;
};

std::string parent_of(const std::string& path) {
    const auto cut = path.rfind('/');
    return cut == std::string::npos ? "" : path.substr(0, cut);
}

// One row for each part under each parent of the tree.
std::vector<Row> rows_of(const Assembly& solids) {
    std::vector<Row> rows;
    std::map<std::pair<int, std::string>, std::size_t> known;
    for (std::size_t i = 0; i < solids.bodies.size(); ++i) {
        const Body& b = solids.bodies[i];
        const auto [it, fresh] = known.try_emplace({b.part, b.path}, rows.size());
        if (fresh) rows.push_back({i, 1, std::to_string(b.number)});
        else {
            Row& r = rows[it->second];
            ++r.count;
            r.numbers = fmt::format("{}-{}", solids.bodies[r.body].number, b.number);
        }
    }
    return rows;
}

std::string body_name(const Body& b, int count) {
    return count > 1 ? fmt::format("{} ({} places)", b.name, count) : b.name;
}

void print_tree(const Assembly& solids, const Survey& survey, const std::vector<Row>& rows) {
    Table t({"#", "body", "class", "volume mm3", "area mm2", "size mm", "centre mm", "why"});
    std::vector<std::string> open;
    for (const Row& r : rows) {
        const Body& b = solids.bodies[r.body];
        const BodySurvey& s = survey.bodies[r.body];
        // Headings of the assembly tree as the path goes deeper; the name of the part itself is the row.
        std::vector<std::string> path;
        std::string rest = parent_of(b.path);
        for (std::size_t cut = rest.find('/'); !rest.empty(); cut = rest.find('/')) {
            path.push_back(rest.substr(0, cut));
            rest = cut == std::string::npos ? "" : rest.substr(cut + 1);
        }
        std::size_t same = 0;
        while (same < path.size() && same < open.size() && path[same] == open[same]) ++same;
        for (std::size_t k = same; k < path.size(); ++k) t.row({"", std::string(2 * k, ' ') + path[k], "", "", "", "", "", ""});
        open = path;
        const Vec3 d = b.box.isEmpty() ? Vec3(0, 0, 0) : Vec3(b.box.sizes());
        t.row({r.numbers, std::string(2 * path.size(), ' ') + body_name(b, r.count), class_name(s.kind), number(b.mass.volume), number(b.mass.area),
               fmt::format("{:.0f} x {:.0f} x {:.0f}", d.x(), d.y(), d.z()), at(b.mass.centre, solids.shift), s.why});
    }
    t.print();
}

void print_thicknesses(const Assembly& solids, const Survey& survey, const std::vector<Row>& rows) {
    Table t({"#", "body", "thicknesses mm (share of the walls)", "thinnest", "at mm", "thickest", "at mm"});
    for (const Row& r : rows) {
        const BodySurvey& s = survey.bodies[r.body];
        if (s.bands.empty()) continue;
        std::string bands;
        for (std::size_t k = 0; k < s.bands.size() && k < 4; ++k)
            bands += fmt::format("{}{} ({:.0f} %)", bands.empty() ? "" : ", ", thickness(s.bands[k].from, s.bands[k].to), 100 * s.bands[k].share);
        if (s.bands.size() > 4) bands += fmt::format(", {} more", s.bands.size() - 4);
        t.row({r.numbers, body_name(solids.bodies[r.body], r.count), bands, number(s.thinnest), at(s.thinnest_at, solids.shift), number(s.thickest),
               at(s.thickest_at, solids.shift)});
    }
    if (t.empty()) return;
    fmt::print("\nwalls\n");
    t.print();
}

void print_slender(const Assembly& solids, const Survey& survey, const std::vector<Row>& rows) {
    Table t({"#", "body", "profile", "dimensions mm", "length mm", "length / depth"});
    for (const Row& r : rows) {
        const BodySurvey& s = survey.bodies[r.body];
        if (s.length <= 0) continue;
        std::string dimensions;
        for (const auto& [name, value] : s.dimensions) dimensions += fmt::format("{}{} {}", dimensions.empty() ? "" : ", ", name, number(value));
        t.row({r.numbers, body_name(solids.bodies[r.body], r.count), s.profile, dimensions, number(s.length), number(s.length / s.depth)});
    }
    if (t.empty()) return;
    fmt::print("\nslender bodies\n");
    t.print();
}

void print_bulk(const Assembly& solids, const Survey& survey, const std::vector<Row>& rows) {
    Table t({"#", "body", "skin in walls and rims mm2", "skin in bulk mm2", "bulk region", "across mm", "at mm"});
    for (const Row& r : rows) {
        const BodySurvey& s = survey.bodies[r.body];
        for (std::size_t k = 0; k < s.bulk.size() && k < 5; ++k) {
            const BulkRegion& q = s.bulk[k];
            t.row({r.numbers, solids.bodies[r.body].name, number(s.wall_area + s.rim_area), number(q.area),
                   fmt::format("{:.0f} x {:.0f} x {:.0f}", q.size.x(), q.size.y(), q.size.z()), number(q.across), at(q.place, solids.shift)});
        }
    }
    if (t.empty()) return;
    fmt::print("\nthin and bulk regions of mixed bodies\n");
    t.print();
}

void print_left_out(const Assembly& solids) {
    if (solids.left_out.empty()) return;
    fmt::print("\nleft out ({})\n", solids.left_out.size());
    Table t({"#", "body", "size mm", "by"});
    for (const LeftOut& l : solids.left_out)
        t.row({std::to_string(l.number), l.path, fmt::format("{:.0f} x {:.0f} x {:.0f}", l.size.x(), l.size.y(), l.size.z()), l.why});
    t.print();
}

// Contacts as a table, other notes as they are.
void print_notes(const Survey& survey, const Vec3& shift) {
    std::vector<const Finding*> contacts;
    std::vector<Finding> others;
    for (const Finding& f : survey.findings)
        if (f.level == FindingLevel::note) f.kind == FindingKind::contact ? contacts.push_back(&f) : others.push_back(f);
    if (!others.empty()) {
        fmt::print("\nnotes: {}\n", others.size());
        print_findings(others, shift);
    }
    if (contacts.empty()) return;
    fmt::print("\ncontacts: {}\n", contacts.size());
    constexpr std::size_t most = 40;
    Table t({"id", "between", "area", "at mm"});
    for (std::size_t i = 0; i < contacts.size() && i < most; ++i)
        t.row({contacts[i]->key, contacts[i]->body, fmt::format("{} mm2", number(contacts[i]->size * contacts[i]->size)), at(contacts[i]->place, shift)});
    t.print();
    if (contacts.size() > most) fmt::print("  and {} more; --json gives them all\n", contacts.size() - most);
}

void print_head(const Assembly& solids) {
    const Vec3 size = solids.box.isEmpty() ? Vec3(0, 0, 0) : Vec3(solids.box.sizes());
    fmt::print("{}: {}, {} {}, unit {}{}, {:.0f} x {:.0f} x {:.0f} mm\n\n", solids.file, solids.format, solids.bodies.size(),
               solids.bodies.size() == 1 ? "body" : "bodies", solids.unit, solids.unit_stated ? "" : " (not stated)", size.x(), size.y(), size.z());
}

void print_total(const Assembly& solids, const Survey& survey, bool rule) {
    double volume = 0;
    std::array<int, 5> of{};
    for (std::size_t i = 0; i < solids.bodies.size(); ++i) {
        volume += solids.bodies[i].mass.volume;
        ++of[static_cast<std::size_t>(survey.bodies[i].kind)];
    }
    fmt::print("\ntotal {} mm3;", number(volume));
    for (int k = 0; k < 5; ++k)
        if (of[static_cast<std::size_t>(k)] > 0) fmt::print(" {} {}", of[static_cast<std::size_t>(k)], class_name(static_cast<BodyClass>(k)));
    if (survey.solid_nodes > 0) {
        fmt::print("\nnodes: about {} as a solid mesh", count(survey.solid_nodes));
        if (survey.model_nodes > 0)
            fmt::print(", {} as shells and beams: {:.0f} times fewer", count(survey.model_nodes), survey.solid_nodes / survey.model_nodes);
        if (rule) fmt::print("\n  ({})", survey.rule);
    }
}

// Thicknesses of a wall body, profile of a slender one.
std::string made_of(const BodySurvey& s) {
    if (s.length > 0) {
        std::string dimensions;
        for (const auto& [name, value] : s.dimensions) dimensions += fmt::format("{}{} {}", dimensions.empty() ? "" : ", ", name, number(value));
        return fmt::format("{}, {}, {} long", s.profile, dimensions, number(s.length));
    }
    std::string bands;
    for (std::size_t k = 0; k < s.bands.size() && k < 3; ++k)
        bands += fmt::format("{}{} ({:.0f} %)", bands.empty() ? "walls " : ", ", thickness(s.bands[k].from, s.bands[k].to), 100 * s.bands[k].share);
    if (s.bands.size() > 3) bands += fmt::format(", {} more", s.bands.size() - 3);
    return bands.empty() ? s.why : bands;
}

}  // namespace

void print_survey(const Assembly& solids, const Survey& survey) {
    print_head(solids);
    const auto rows = rows_of(solids);
    print_tree(solids, survey, rows);
    print_thicknesses(solids, survey, rows);
    print_slender(solids, survey, rows);
    print_bulk(solids, survey, rows);
    print_left_out(solids);
    print_total(solids, survey, true);
    std::vector<Finding> warnings;
    for (const Finding& f : survey.findings)
        if (f.level == FindingLevel::warning) warnings.push_back(f);
    fmt::print("\n\nfindings: {}\n", warnings.empty() ? "none" : std::to_string(warnings.size()));
    print_findings(warnings, solids.shift);
    print_notes(survey, solids.shift);
}

void print_short_survey(const Assembly& solids, const Survey& survey, const Job& job) {
    constexpr std::size_t most_rows = 20, most_groups = 5;  // one screen in all
    print_head(solids);
    const auto rows = rows_of(solids);
    Table t({"#", "body", "class", "size mm", "made of, mm"});
    for (std::size_t i = 0; i < rows.size() && i < most_rows; ++i) {
        const Body& b = solids.bodies[rows[i].body];
        const BodySurvey& s = survey.bodies[rows[i].body];
        const Vec3 d = b.box.isEmpty() ? Vec3(0, 0, 0) : Vec3(b.box.sizes());
        t.row({rows[i].numbers, body_name(b, rows[i].count), class_name(s.kind), fmt::format("{:.0f} x {:.0f} x {:.0f}", d.x(), d.y(), d.z()), made_of(s)});
    }
    t.print();
    if (rows.size() > most_rows) fmt::print("  and {} more parts\n", rows.size() - most_rows);
    if (!solids.left_out.empty()) fmt::print("left out by the plan: {}\n", solids.left_out.size());
    print_total(solids, survey, false);
    fmt::print("\n");
    if (const std::string text = mend_text(job); !text.empty()) fmt::print("mended: {}\n", text);
    if (const std::string text = features_text(job); text != "none") fmt::print("features: {}\n", text);
    std::size_t contacts = 0, notes = 0;
    std::vector<Finding> warnings;
    for (const Finding& f : survey.findings) {
        if (f.level == FindingLevel::warning) warnings.push_back(f);
        else ++(f.kind == FindingKind::contact ? contacts : notes);
    }
    if (contacts + notes > 0) fmt::print("contacts: {}; other notes: {}\n", contacts, notes);
    const auto groups = grouped(warnings);
    fmt::print("findings: {}\n", warnings.empty()                  ? "none"
                                 : groups.size() < warnings.size() ? fmt::format("{}, of {} kinds and places", warnings.size(), groups.size())
                                                                   : std::to_string(warnings.size()));
    for (std::size_t i = 0; i < groups.size() && i < most_groups; ++i)
        fmt::print("  {}. {}: {}\n     at {}; {}  [{}]\n", i + 1, kind_name(groups[i].findings[0].kind), groups[i].about,
                   at(groups[i].findings[0].place, solids.shift), groups[i].findings[0].advice, groups[i].findings[0].key);
    if (groups.size() > most_groups) fmt::print("  and {} more kinds\n", groups.size() - most_groups);
    fmt::print("more: halvo survey --all (places, areas, contacts, features), --draw FIGURE.png, --json\n");
}
