#pragma once
/// The ledger: every decision with its id, figures and state; and findings: defects and gaps that were seen.

#include <halvo/kinds.hpp>
#include <halvo/types.hpp>

#include <array>

namespace halvo {

enum class EntryState { proposed, applied, refused };
[[nodiscard]] inline const char* state_name(EntryState s) {
    constexpr const char* names[] = {"proposed", "applied", "refused"};
    return names[static_cast<int>(s)];
}

struct LedgerEntry {
    std::string key;    ///< stable id
    std::string stage;  ///< survey, halve, join, mesh
    EntryKind kind{};
    EntryState state = EntryState::applied;
    std::string about;  ///< one line for people, with figures and units
    double value = 0;   ///< the leading figure (mm, mm2 as `about` says)
    Vec3 place = Vec3::Zero();
    std::string body;                ///< name of the body, or "a + b"
    std::optional<JointKind> joint;  ///< for EntryKind::joint
};

/// The name of what was decided: of its joint for joints.
[[nodiscard]] inline const char* entry_name(const LedgerEntry& e) {
    return e.joint ? kind_name(*e.joint) : kind_name(e.kind);
}

/// Something an analyst should know: a defect, a part that could not be idealized, a contact without a joint.
/// Notes are worth knowing and nothing to mend: bodies that share a contact, edges without meaning.
enum class FindingLevel { warning, note };

struct Finding {
    std::string key;
    FindingKind kind{};
    std::string about;   ///< what, with figures
    std::string advice;  ///< what can be done about it
    Vec3 place = Vec3::Zero();
    double size = 0;   ///< mm
    std::string body;  ///< name, or "a + b"
    FindingLevel level = FindingLevel::warning;
    FaceId face;                           ///< of the (first) body; none where it is not about one
    std::array<std::string, 2> body_keys;  ///< of the bodies it is about
};

}  // namespace halvo
