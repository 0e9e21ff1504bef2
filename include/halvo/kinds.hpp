#pragma once
/// Kinds of joints, seams, ledger entries and findings. Code tells them apart by these; files and people read their names.

#include <optional>
#include <string_view>

namespace halvo {

/// How two bodies, or two sheets of one, are joined. `star` and `smooth` are what a corner or tee has become where other joints meet it.
enum class JointKind {
    corner,
    tee,
    cross,
    star,
    smooth,
    butt,
    step,
    lap,
    line_contact,
    point_contact,
    tie,
    end_at_side,
    links,
    coupling,
    strip,
    member_ends,
    member_end_to_member,
    members_crossing,
    members_side_by_side,
    member_end_to_sheet,
    member_along_sheet,
    sheet_edge_to_member,
    sheet_edge_along_member,
    fastener,
};

/// What meets at an edge that sheets share.
enum class SeamKind {
    corner,
    tee,
    cross,
    star,
    smooth,
    butt,
};

/// The joint that sheets have along a seam.
[[nodiscard]] constexpr JointKind joint_of(SeamKind seam) {
    static_assert(static_cast<int>(SeamKind::corner) == static_cast<int>(JointKind::corner) &&
                  static_cast<int>(SeamKind::butt) == static_cast<int>(JointKind::butt));  // the same ones, first
    return static_cast<JointKind>(seam);
}

/// What was decided. For `joint`, LedgerEntry::joint says which.
enum class EntryKind {
    wall,
    opening,
    stray,
    stub,
    member,
    patch,
    patch_point,
    surface,
    bulk_region,
    root_fillets,
    reference,
    step_in_radius,
    trim,
    merge,
    meet,
    one_sheet,
    edges_bridged,
    short_element_edges,
    thickness,
    member_free_to_spin,
    fastener,
    touch_only,
    start_at_skin,
    hole,
    round,
    chamfer,
    raised,
    sunk,
    sliver,
    cut,
    sewn,
    filled,
    one_face,
    doubled_face,
    turned_face,
    void_in_solid,
    overlap_cut,
    doubled_body,
    face_moved,
    joint,
};

/// What was seen: by the survey, halving, joining and meshing, and the proof, in this order.
enum class FindingKind {
    open_body,
    unconnected_edges,
    missing_face,
    doubled_faces,
    inverted_orientation,
    self_intersection,
    needless_edges,
    short_edges,
    sliver_faces,
    small_holes,
    small_rounds,
    lettering,
    wall_too_thin,
    wall_too_thick,
    overlap,
    contact,
    near_miss,
    doubled_bodies,
    tiny_body,
    unit_not_stated,
    unit_suspicion,
    reader_note,
    not_idealized,
    wall_without_sheet,
    wall_outside_the_thickness_range,
    skin_without_sheet,
    method_not_possible,
    member_openings,
    frame_in_one_body,
    reference_at_the_middle,
    step_in_radius,
    rule_without_effect,
    mesh_outside_its_limits,
    contact_without_joint,
    free_edge_within_reach,
    edge_inside_the_solid,
    body_in_parts,
    hangs_on_by_point,
    mechanism,
    mesh_weighs_more,
    feature_stays,
    defect_stays,
    could_be_sewn,
    large_displacement,
    coarse_stress,
    carries_nothing,
};

[[nodiscard]] const char* kind_name(JointKind kind);
[[nodiscard]] const char* kind_name(SeamKind kind);
[[nodiscard]] const char* kind_name(EntryKind kind);
[[nodiscard]] const char* kind_name(FindingKind kind);

/// The kind of this name; empty for a name that is none. For JointKind, EntryKind and FindingKind.
template <class Kind>
[[nodiscard]] std::optional<Kind> kind_named(std::string_view name);

}  // namespace halvo
