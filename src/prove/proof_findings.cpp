#include "prove/proof_findings.hpp"

#include "core/index.hpp"
#include "core/keys.hpp"
#include "prove/audit.hpp"
#include "prove/mechanisms.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo {
namespace {

std::vector<Finding> contact_findings(const Proof& proof, const Assembly& solids) {
    std::vector<Finding> out;
    for (const ContactProof& c : proof.contacts) {
        if (c.joined) continue;
        const Body &a = solids.bodies[ix(c.a)], &b = solids.bodies[ix(c.b)];
        out.push_back({make_key("finding", "contact " + a.key + b.key, {c.gap}),
                       FindingKind::contact_without_joint,
                       fmt::format("{} and {} touch (gap {:.2f} mm) but share nothing in the model", a.label, b.label, c.gap),
                       "raise join.reach, or check the parts there",
                       c.place,
                       c.gap,
                       a.label + " + " + b.label,
                       FindingLevel::warning,
                       {},
                       {a.key, b.key}});
    }
    return out;
}

std::vector<Finding> part_findings(const Proof& proof, const Assembly& solids) {
    std::vector<Finding> out;
    for (const BodyId b : proof.split_bodies) {
        const Body& body = solids.bodies[ix(b)];
        out.push_back({make_key("finding", "parts " + body.key, {}), FindingKind::body_in_parts,
                       fmt::format("{}: one solid, but its sheets do not hang together", body.label),
                       "see its other findings: what joins them has no sheet yet", body.mass.centre, body.box.diagonal().norm(), body.label});
    }
    return out;
}

// What an analysis program weighs: material that slabs hold twice at junctions counts there, of closely set ribs by the tenth.
std::vector<Finding> weight_findings(const Proof& proof, const Assembly& solids, const std::vector<double>& doubled) {
    constexpr double worth_saying = 0.04, of_all = 0.01;  // of the body, and of all bodies together
    double all = 0;
    for (const BodyProof& p : proof.bodies) all += p.solid;
    std::vector<Finding> out;
    for (std::size_t b = 0; b < doubled.size(); ++b) {
        const BodyProof& p = proof.bodies[b];
        if (p.solid <= 0 || p.meshed <= 0) continue;
        const double more = doubled[b] / p.solid;
        if (more < worth_saying || doubled[b] < of_all * all) continue;
        const Body& body = solids.bodies[b];
        out.push_back({own_key(make_key("finding", "mesh weighs more", {}), body.key), FindingKind::mesh_weighs_more,
                       fmt::format("{}: its mesh weighs {:+.1f} % of the solid, since its walls overlap where they meet; counted once they hold {:+.2f} %",
                                   body.label, 100 * more, 100 * p.mesh_error),
                       "scale its density by the ratio where mass matters", body.mass.centre, body.box.diagonal().norm(), body.label});
    }
    return out;
}

}  // namespace

void add_proof_findings(Proof& proof, const Assembly& solids, const Model& model, double reach, const std::set<BodyPair>& held,
                        const std::vector<double>& doubled) {
    const Mobility free = mobility(model, solids);
    proof.rigid_body_modes = free.rigid_body_modes, proof.mechanisms = free.mechanisms;
    proof.ledger = free.notes;
    const auto open = contact_findings(proof, solids);
    // Where a contact without a joint is reported already, its edges say nothing new.
    auto edges = free_edge_findings(model, solids, reach);
    std::set<std::pair<std::string, std::string>> pressed;
    for (const auto& [a, b] : held) pressed.insert(std::minmax(solids.bodies[a.index()].key, solids.bodies[b.index()].key));
    std::erase_if(edges, [&](const Finding& f) {
        if (pressed.contains(std::minmax(f.body_keys[0], f.body_keys[1]))) return true;
        return std::any_of(open.begin(), open.end(), [&](const Finding& k) {
            const auto pair = [](const Finding& x) { return std::minmax(x.body_keys[0], x.body_keys[1]); };
            return pair(k) == pair(f) && (k.place - f.place).norm() <= f.size;
        });
    });
    for (const auto& some : {part_findings(proof, solids), open, weight_findings(proof, solids, doubled), hanging_findings(model, solids), free.findings, edges,
                             buried_edge_findings(model, solids)})
        proof.findings.insert(proof.findings.end(), some.begin(), some.end());
}

}  // namespace halvo
