// Arms kept out of the body, over a whole clip.
#pragma once

#include "pass_plan.hpp"

#include <dendraxis/geometry/capsule.hpp>

namespace dendraxis::detail {

/// Remembers which frames are clear, so that looking again costs only what was moved since.
class ArmClearer {
 public:
    /// Arms begin to turn `ease` seconds before they must.
    ArmClearer(PassRun& run, float ease);

    /// Turns arms out of the body where they are deeper in it than the source's. Returns how deep they were,
    /// a mean over frames and arms in lengths of the arm; 0 if none had to be turned.
    float clear();
    /// An arm was moved in this frame: it is looked at again.
    void moved(std::size_t frame) { clear_[frame] = 0; }

 private:
    using Depths = std::array<float, k_arm_probes>;

    // A solid where it stands, and the ball around it, outside of which nothing touches it.
    struct PlacedSolid {
        Capsule capsule;
        float bound;

        bool may_touch(const Vec3& position, float radius) const {
            const float reach = bound + radius;
            return (position - capsule.center).squaredNorm() < reach * reach;
        }
    };
    using Solids = std::vector<PlacedSolid>;

    /// What brings an arm out of the body: a turn about its shoulder, then a move of its hand.
    struct Relief {
        Vec3 turn = Vec3::Zero();
        Vec3 shift = Vec3::Zero();
    };

    static Depths depths_of(const ArmShape& arm, const Solids& solids, std::span<const Transform> model);
    static void place_solids(const BodyShape& shape, std::span<const Transform> model, Solids& solids);
    const ArmShape& shape(std::size_t arm) const;
    void find_allowed();
    Relief least_relief(std::size_t arm, std::size_t frame, const Solids& solids, float& depth) const;
    bool clear_once(float& depth);
    void turn_arm(std::size_t arm, const std::vector<Vec3>& turns);
    void shift_hand(std::size_t arm, const std::vector<Vec3>& shifts);
    std::vector<Vec3> eased(const std::vector<Vec3>& values) const;

    PassRun& run_;
    float ease_;
    const Chart& source_;
    const Chart& target_;
    std::vector<std::vector<Depths>> allowed_;  // by arm and frame
    std::vector<char> clear_;                   // by frame
};

}  // namespace dendraxis::detail
