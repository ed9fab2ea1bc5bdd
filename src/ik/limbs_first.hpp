// Reaching as people do: what is near by the limb alone; the body comes to help as an arm nears its full
// length.
#pragma once

#include <dendraxis/ik/body_setup.hpp>

namespace dendraxis::detail {

/// Solvers of parts of a body, made once for a character.
class LimbsFirst {
 public:
    LimbsFirst(const Chart& chart, const BodySolver& whole);

    /// Solves the effectors at ends of arms and legs by these limbs. If `body_helps`, spine and shoulders,
    /// and hips as far as the options let them, first bring the roots of arms nearer that would be stretched.
    /// `others` (feet that are held, say) are solved with the body. Turns `pose`; returns the report of the
    /// limbs. Never throws.
    SolveReport solve(std::span<const Effector> effectors, std::span<const Effector> others,
                      std::span<Transform> pose, bool body_helps, const SolveOptions& options);

    /// Whether the effector is at the end of an arm or leg.
    bool is_limb_end(const Effector& effector) const { return limb_of(effector) != nullptr; }

 private:
    struct LimbWay {
        std::vector<int> bones;
        bool is_arm = false;
    };
    const LimbWay* limb_of(const Effector& effector) const;
    Effector root_brought_near(const LimbWay& limb, const Effector& effector) const;

    const Chart& chart_;
    BodySolver limbs_;
    BodySolver trunk_;
    Workspace workspace_;
    std::vector<LimbWay> ways_;
    std::vector<Transform> model_;
};

}  // namespace dendraxis::detail
