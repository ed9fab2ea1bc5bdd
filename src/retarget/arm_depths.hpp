// How deep arms are in the body: balls along forearm and hand against the solids of trunk, head and legs.
#pragma once

#include "pass_plan.hpp"

#include <dendraxis/geometry/capsule.hpp>

namespace dendraxis::detail {

class ArmDepths {
 public:
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

    /// Where balls are deepest: by how much beyond what the source's own may be, and the way out.
    struct Deepest {
        float depth = 0.0f;
        std::size_t probe = 0;
        Vec3 outward = Vec3::Zero();
    };

    explicit ArmDepths(const PassRun& run);

    /// Places the target's solids as they stand in a pose in model space.
    void place(std::span<const Transform> model) { place_solids(shape_, model, solids_); }
    /// The balls of an arm in a pose in model space.
    std::array<Vec3, k_arm_probes> balls(std::size_t arm, std::span<const Transform> model) const;
    /// The ball that is deepest in the solids that were placed.
    Deepest deepest(std::size_t arm, std::size_t frame, const std::array<Vec3, k_arm_probes>& balls) const;

 private:
    using Solids = std::vector<PlacedSolid>;

    static void place_solids(const BodyShape& shape, std::span<const Transform> model, Solids& solids);

    const PassPlan& plan_;
    const BodyShape& shape_;
    std::vector<std::vector<Depths>> allowed_;  // by arm and frame
    Solids solids_;
};

}  // namespace dendraxis::detail
