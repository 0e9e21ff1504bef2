// What mend did to the skins of a file.
#include "print.hpp"
#include "text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

using namespace halvo;

namespace {

struct Done {
    std::size_t count = 0;
    double sum = 0, largest = 0;
};

std::string said(EntryKind kind, const Done& d) {
    const auto several = [&](const char* one, const char* more) { return fmt::format("{} {}", d.count, d.count == 1 ? one : more); };
    switch (kind) {
        case EntryKind::sewn:
            return several("pair of edges", "pairs of edges") + fmt::format(" sewn, the widest gap {:.3g} mm", d.largest);
        case EntryKind::filled:
            return several("opening", "openings") + " filled";
        case EntryKind::one_face:
            return several("face", "faces") + fmt::format(" put together from pieces, {:.4g} mm of needless edges gone", d.sum);
        case EntryKind::doubled_face:
            return several("doubled face", "doubled faces") + " taken once";
        case EntryKind::doubled_body:
            return several("doubled body", "doubled bodies") + " taken once";
        case EntryKind::turned_face:
            return several("face", "faces") + " turned outward";
        case EntryKind::void_in_solid:
            return several("void", "voids") + fmt::format(" of {:.4g} mm3", d.sum);
        case EntryKind::face_moved:
            return several("face", "faces") + fmt::format(" moved to another body, {:.3g} mm at most", d.largest);
        default:
            return several("overlap", "overlaps") + fmt::format(" cut, {:.4g} mm3", d.sum);
    }
}

}  // namespace

std::string mend_text(const Job& job) {
    std::string out;
    const auto add = [&](const std::string& text) { out += (out.empty() ? "" : "; ") + text; };
    std::map<EntryKind, Done> done;
    std::size_t kept = 0, proposed = 0, stay = 0;
    for (const LedgerEntry& e : job.mend.ledger) {
        if (e.state == EntryState::refused) ++kept;
        if (e.state == EntryState::proposed) ++proposed;
        if (e.state != EntryState::applied) continue;
        Done& d = done[e.kind];
        ++d.count, d.sum += e.value, d.largest = std::max(d.largest, e.value);
    }
    for (const Finding& f : job.mend.findings) stay += f.kind == FindingKind::defect_stays ? 1 : 0;
    for (const auto& [kind, d] : done) add(said(kind, d));
    if (kept + proposed + stay > 0) add(fmt::format("{} left by the plan, {} only proposed, {} could not be mended", kept, proposed, stay));
    return out;
}

void list_repairs(const Job& job) {
    if (job.mend.ledger.empty()) return;
    fmt::print("\nrepairs: {}\n", job.mend.ledger.size());
    Table t({"#", "id", "kind", "state", "at mm", "about"});
    int n = 0;
    for (const LedgerEntry& e : job.mend.ledger)
        t.row({fmt::format("m{}", ++n), e.key, entry_name(e), state_name(e.state), at(e.place, job.solids.shift), e.about});
    t.print();
}
