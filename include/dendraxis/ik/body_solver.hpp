// A whole body, or any chain of it, brought to any number of targets at once.
#pragma once

#include <dendraxis/base/workspace.hpp>
#include <dendraxis/chart/joint_turn.hpp>

#include <cstddef>
#include <span>
#include <vector>

namespace dendraxis {

namespace detail {
class Solve;
}

/// A point of a bone that is to come to a position, a bone that is to get an orientation, or both.
struct Effector {
    int bone = k_no_bone;
    Vec3 offset = Vec3::Zero();           ///< of the point, metres, in the bone's frame without its scale
    Vec3 target = Vec3::Zero();           ///< in model space
    Quat orientation = Quat::Identity();  ///< in model space
    float position_weight = 1.0f;         ///< 0: the position does not matter
    float turn_weight = 0.0f;             ///< 0: the orientation does not matter
    int priority = 0;                     ///< 0 is served first, then 1, then 2
};

/// A bone that may turn.
struct SolverJoint {
    int bone = k_no_bone;
    float stiffness = 0.0f;  ///< 0: turns freely; near 1: hardly; 1: not at all
    bool ranged = false;     ///< whether `range` holds
    Range range;
    JointFrame frame;          ///< in which the range is given
    Vec3 bend = Vec3::Zero();  ///< in the bone's frame: what a straight chain starts to bend about; zero: any
};

struct SolveOptions {
    float tolerance = 0.5e-3f;      ///< metres, of positions
    float turn_tolerance = 0.002f;  ///< radians, of orientations
    int most_iterations = 30;
    /// A joint stays within its range; one that the pose has beyond it goes no farther beyond.
    bool ranges = true;
    /// When stuck, joints are drawn off their limits and all is tried again. That finds more; but from one
    /// frame to the next it may find another way, so leave it off for motion.
    bool persistent = true;
    float hips_freedom =
        0.0f;  ///< 0: the hips stay as they are; 1: they move as easily as one joint far away turns
    std::span<const Transform> rest;  ///< a local pose; empty: none
    float rest_pull = 0.0f;           ///< 0 to 1: how far the pose is drawn to `rest` before it is solved
};

struct SolveReport {
    int iterations = 0;
    float worst_position = 0.0f;  ///< metres
    float worst_turn = 0.0f;      ///< radians
    int held_back = 0;            ///< joints that stand at a limit of their range
    bool reached = false;         ///< all effectors within the tolerances
};

/// Damped least squares in task space: all targets are neared at once, by the smallest turns that do it,
/// weighted by how easily each joint turns. The damping grows with the error that is left, and a step that
/// does not near the targets is taken back and tried smaller, so that what cannot be reached is neared as far
/// as it goes and held there. The pose that is solved is the pose it starts from: what is not asked for stays
/// as near to it as can be. Sources: C. W. Wampler, "Manipulator inverse kinematic solutions based on vector
/// formulations and damped least-squares methods", IEEE Trans. Systems, Man, and Cybernetics 16 (1986); S. R.
/// Buss, "Introduction to inverse kinematics with Jacobian transpose, pseudoinverse and damped least squares
/// methods" (2004).
///
/// Immutable once made; shared by threads freely.
class BodySolver {
 public:
    static constexpr int k_most_effectors = 8;

    BodySolver() = default;
    /// Throws `Error` where a joint's bone is none of the skeleton. `hips` may be no bone.
    BodySolver(const Skeleton& skeleton, std::vector<SolverJoint> joints, int hips = k_no_bone);

    /// Turns `local`, a whole pose. More effectors than `k_most_effectors`, and those whose target is not
    /// finite, are left out. Allocates nothing once `workspace` was reserved or used; throws nothing then.
    SolveReport solve(std::span<const Effector> effectors, std::span<Transform> local, Workspace& workspace,
                      const SolveOptions& options = {}) const;

    /// Makes room for `solve`.
    void reserve(Workspace& workspace) const;

    std::span<const SolverJoint> joints() const noexcept { return joints_; }
    const Skeleton& skeleton() const noexcept { return skeleton_; }
    int hips() const noexcept { return hips_; }

 private:
    friend class detail::Solve;

    // A range as the solver uses it.
    struct Limit {
        Quat from_upright;
        Quat undo_rest;
        Vec3 bone;  // in the bone's frame
        Vec3 side;
        Vec3 eases;  // square roots of how easily it twists, bends and goes sideways
    };
    const Limit& limit_of(int joint) const { return limits_[static_cast<std::size_t>(joint)]; }

    Skeleton skeleton_;
    std::vector<SolverJoint> joints_;
    std::vector<Limit> limits_;  // by joint
    std::vector<int> joint_of_;  // by bone
    int hips_ = k_no_bone;
};

/// A solver for a run of bones, each below the one before: all turn freely, without ranges.
BodySolver chain_solver(const Skeleton& skeleton, std::span<const int> bones);

}  // namespace dendraxis
