#pragma once
/// Bolts, rivets and pins between what they hold.
#include "body/fasteners.hpp"
#include "join/steps.hpp"

namespace halvo {

/// A place along a fastener at which it holds a sheet, a member, or a block.
struct FastenerStop {
    double at = 0;  ///< along the axis of the shank
    BodyId body;
    int sheet = -1, member = -1;  ///< neither: a block
    double radius = 0;            ///< of the hole
};

struct HeldFastener {
    Fastener fastener;
    std::vector<FastenerStop> stops;  ///< in order
    int member = -1;                  ///< of the model, for a line
};

/// Joins by fasteners, in three steps between those of the other joints.
class Fastening {
public:
    /// Recognises them in the solids; those for which halving made a sheet or a member are none.
    Fastening(const Assembly& solids, const JoinOptions& options) : solids_(solids), options_(options) {}
    /// Finds what each holds and gives the model their lines; before `prepare`.
    void lines(Model& model);
    /// Takes contacts out of the table: of the fasteners themselves, and between the bodies they clamp where these lie on
    /// each other, unless the plan says how these laps are joined.
    [[nodiscard]] std::vector<Contact> others(std::vector<Contact> contacts, const JointRules& rules);
    /// Couples each to the rims of its holes; before the couplings of blocks.
    void hold(const Model& model, JoinWork& work) const;
    /// And to blocks, once these have couplings of their own.
    void hold_blocks(JoinWork& work) const;
    /// Entries of the ledger, and findings for those that hold on to nothing in the model.
    void record(Model& model) const;

private:
    [[nodiscard]] std::vector<FastenerStop> stops_of(const Model& model, const Fastener& f) const;
    [[nodiscard]] Vec3 place(const HeldFastener& h, double at) const { return h.fastener.axis.at(0, 0, at); }
    const Assembly& solids_;
    const JoinOptions& options_;
    std::vector<HeldFastener> held_;
    [[nodiscard]] bool lapped_by_plan(BodyId a, BodyId b, const Vec3& place, const JointRules& rules) const;
    std::set<BodyPair> pressed_;   ///< bodies that only touch where they lie on each other
    std::vector<Fastener> loose_;  ///< what fewer than two of the bodies they hold are in the model
};

}  // namespace halvo
