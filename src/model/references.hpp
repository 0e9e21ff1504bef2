#pragma once
/// Everything in a model that refers to something else in it, in one place: whoever changes a model goes through these, so that nothing is
/// forgotten. Each calls `visit` with a reference to the id, const where the model is; ids that are not set are passed over.

#include <halvo/model.hpp>

namespace halvo {

/// Ids of vertices: of edges, points in regions, links, couplings, places.
template <class AnyModel, class Visit>
void each_vertex_reference(AnyModel& model, const Visit& visit) {
    const auto given = [&](auto& v) {
        if (v) visit(v);
    };
    for (auto& e : model.edges)
        for (auto& v : e.vertices) given(v);
    for (auto& s : model.sheets)
        for (auto& r : s.regions)
            for (auto& v : r.points) given(v);
    for (auto& l : model.links) given(l.a), given(l.b);
    for (auto& c : model.couplings) {
        given(c.centre);
        for (auto& v : c.vertices) given(v);
    }
    for (auto& v : model.places) given(v);
}

/// Ids of edges: of regions, members, edge links, ties, couplings, sets.
template <class AnyModel, class Visit>
void each_edge_reference(AnyModel& model, const Visit& visit) {
    for (auto& s : model.sheets)
        for (auto& r : s.regions) {
            for (auto& loop : r.loops)
                for (auto& u : loop) visit(u.edge);
            for (auto& e : r.embedded) visit(e);
        }
    for (auto& m : model.members)
        for (auto& u : m.chain) visit(u.edge);
    for (auto& l : model.edge_links) visit(l.a), visit(l.b);
    for (auto& t : model.ties)
        for (auto& e : t.edges) visit(e);
    for (auto& c : model.couplings)
        for (auto& e : c.edges) visit(e);
    for (auto& s : model.sets)
        for (auto& e : s.edges) visit(e);
}

/// Ids of sheets: of ties and sets.
template <class AnyModel, class Visit>
void each_sheet_reference(AnyModel& model, const Visit& visit) {
    for (auto& t : model.ties) visit(t.onto);
    for (auto& s : model.sets)
        for (auto& k : s.sheets) visit(k);
}

/// Ids of members: of sets.
template <class AnyModel, class Visit>
void each_member_reference(AnyModel& model, const Visit& visit) {
    for (auto& s : model.sets)
        for (auto& m : s.members) visit(m);
}

/// Ids of sections: of members.
template <class AnyModel, class Visit>
void each_section_reference(AnyModel& model, const Visit& visit) {
    for (auto& m : model.members)
        if (m.section) visit(m.section);
}

/// Numbers of joints: of links and ties.
template <class AnyModel, class Visit>
void each_joint_reference(AnyModel& model, const Visit& visit) {
    const auto given = [&](auto& j) {
        if (j) visit(j);
    };
    for (auto& l : model.links) given(l.joint);
    for (auto& l : model.edge_links) given(l.joint);
    for (auto& t : model.ties) given(t.joint);
}

/// Numbers of bodies: of sheets and their shares, members, couplings, roots, near contacts and joints.
template <class AnyModel, class Visit>
void each_body_reference(AnyModel& model, const Visit& visit) {
    const auto given = [&](auto& b) {
        if (b) visit(b);
    };
    for (auto& s : model.sheets) {
        given(s.body);
        for (auto& k : s.shares) given(k.body);
    }
    for (auto& m : model.members) given(m.body);
    for (auto& c : model.couplings) given(c.body);
    for (auto& r : model.roots) given(r.body);
    for (auto& n : model.near)
        for (auto& b : n.bodies) given(b);
    for (auto& j : model.joints)
        for (auto& b : j.bodies) given(b);
}

}  // namespace halvo
