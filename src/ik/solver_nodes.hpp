// What a solve works on: the bones on the way to its effectors, and what is asked of them.
#pragma once

#include "task_system.hpp"

#include <dendraxis/ik/body_solver.hpp>

namespace dendraxis::detail {

// A bone on the way to an effector.
struct Node {
    int bone = k_no_bone;
    int above = -1;  // node
    int joint = -1;
    unsigned goals = 0;  // bits of those below it
    Vec3 position;       // from the origin of the solve
    Quat turn;           // in model space
    Vec3 new_position;
    Quat new_turn;
    Vec3 best_position;
    Quat best_turn;
    Quat change;   // of this step, in model space
    Vec3 omega;    // its own turn in this step
    Effects free;  // the axes that it turns about
    std::size_t first_effect = 0;
    std::size_t last_effect = 0;
    float own_beyond = -1.0f;  // radians out of its range in the pose that is solved; below 0: not known
    float even_ease =
        -1.0f;  // it turns about all axes with this ease and moves positions alone; below 0: else
    bool at_limit = false;
    bool limited_now = false;  // by this step
};

// What turning a node does to a task; of an even node, where the point is from it, in `by[0]`.
struct Effect {
    int task = 0;
    Effects by;
};

// A rotation by about `v` radians, exact to the third order, without trigonometry (Cayley's map).
inline Quat small_turn(const Vec3& v) {
    const float scale = 1.0f / std::sqrt(1.0f + 0.25f * v.squaredNorm());
    return Quat(scale, 0.5f * scale * v.x(), 0.5f * scale * v.y(), 0.5f * scale * v.z());
}

// In vectors of four: the library's own product is a call.
inline Four four(const Quat& q) {
    Four values;
    std::memcpy(&values, q.coeffs().data(), sizeof(values));
    return values;
}

inline Quat product(const Quat& left, const Quat& right) {
    const Four a = four(left);
    const Four b = four(right);
    const Four x = a[0] * __builtin_shufflevector(b, b, 3, 2, 1, 0);
    const Four y = a[1] * __builtin_shufflevector(b, b, 2, 3, 0, 1);
    const Four z = a[2] * __builtin_shufflevector(b, b, 1, 0, 3, 2);
    const Four result = a[3] * b + x * Four{1.0f, -1.0f, 1.0f, -1.0f} + y * Four{1.0f, 1.0f, -1.0f, -1.0f} +
                        z * Four{-1.0f, 1.0f, 1.0f, -1.0f};
    Quat out;
    std::memcpy(out.coeffs().data(), &result, sizeof(result));
    return out;
}

inline Vec3 rotated(const Quat& q, const Vec3& v) {
    const Four axis = four(q);
    const Four point = four(v);
    const Four once = crossed(axis, point);
    const Four twice = once + once;
    return three(point + axis[3] * twice + crossed(axis, twice));
}

inline Quat middle_of(const Range& range) {
    const auto middle = [](const AngleSpan& span) { return 0.5f * (span.from + span.to); };
    const Vec3 swing = middle(range.bend) * range.about + middle(range.side) * range.bone.cross(range.about);
    return Quat(Eigen::AngleAxisf(swing.norm(), swing.stableNormalized())) *
           Quat(Eigen::AngleAxisf(middle(range.twist), range.bone));
}

struct Goal {
    const Effector* effector = nullptr;
    int node = 0;
    unsigned index = 0;
    bool moves_with_hips = false;
    int place_task = -1;
    int turn_task = -1;
    float position_weight = 0.0f;
    float turn_weight = 0.0f;
    Vec3 asked = Vec3::Zero();   // from the origin of the solve
    Vec3 target = Vec3::Zero();  // from the origin of the solve
    struct State {
        Vec3 point = Vec3::Zero();
        Vec3 position_error = Vec3::Zero();
        Vec3 turn_error = Vec3::Zero();
    };
    State now;
    State next;  // after the step that is tried
};

struct Errors {
    float weighted = 0.0f;  // sum of squares
    float position = 0.0f;  // the worst
    float turn = 0.0f;
};

struct SolveScratch final : Workspace::Part {
    std::vector<Transform> model;
    std::vector<int> node_of;
    std::vector<Node> nodes;
    std::vector<Effect> effects;
};

}  // namespace dendraxis::detail
