// Letting a ragdoll fall, with figures of how well it held together.
#pragma once

#include <dendraxis/sim/world.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <optional>

namespace dendraxis::sim {

struct Push {
    int body = 0;
    Vec3 impulse = Vec3::Zero();  ///< N s, upright frame: left, up, forward
};

/// Brings an impulse that would make its body faster than 20 m/s down to that, with a finding. Throws `Error`
/// where it is not finite.
std::optional<Finding> clamp_push(Push& push, const RagdollPlan& plan);

/// Lengths are metres, whatever the unit of the character's model space: `metres_in_unit`.
struct DropOptions {
    float seconds = 6.0f;
    float fps = 60.0f;
    float height = 0.0f;           ///< metres that the pose is lifted by
    Vec3 speed = Vec3::Zero();     ///< m/s more, upright frame: left, up, forward
    std::optional<unsigned> seed;  ///< turned as a whole at random, up to 6 rad/s and 5 m/s more
    bool until_settled = false;    ///< stop when it has come to rest, after 6 s at the earliest
    std::optional<Push> push;
    std::vector<std::vector<Vec3>> skin;  ///< of each body what touches the ground: `skin_of_bodies`; or none
    WorldSettings world;
};

/// How a fall went. Degrees, metres (as `metres_in_unit` has them), joules, seconds.
struct DropFigures {
    float separation = 0.0f;      ///< the most that the two ends of a joint were apart
    float overshoot = 0.0f;       ///< the most that a joint was beyond its range
    float overshoot_p999 = 0.0f;  ///< of all joints and frames
    float overshoot_at_rest = 0.0f;
    float penetration = 0.0f;  ///< the most that a body was in the ground or another body
    float penetration_at_rest = 0.0f;
    float energy_gained = 0.0f;    ///< kinetic, the most in the first half second beyond start and fall
    std::optional<float> settled;  ///< when all bodies had been nearly still for half a second
    bool finite = true;
};

struct Drop {
    Clip clip;            ///< named `drop`; the character's skeleton, model space where it stood
    DropFigures figures;  ///< in metres
    std::vector<std::vector<float>> overshoots;  ///< degrees, by frame and joint
};

/// Where the fall starts: a local pose, and the pose of the frame before (or the same) a `step` earlier, from
/// which bodies inherit their speed.
struct DropStart {
    std::vector<Transform> pose;
    std::vector<Transform> before;
    float step = 1.0f / 30.0f;
};

/// What the ragdoll falls onto: triangles in model space, or a level floor at the soles where there are none.
struct DropGround {
    std::vector<Vec3> positions;
    std::vector<std::array<unsigned, 3>> triangles;
};

/// Same options, same bits. Throws `Error` where an option is out of range.
Drop run_drop(const RagdollBinding& binding, const Chart& chart, const DropStart& start,
              const DropOptions& options = {}, const DropGround& ground = {});

/// The kinetic energy of bodies, joules.
float kinetic_energy(const RagdollPlan& plan, std::span<const BodyState> states) noexcept;

}  // namespace dendraxis::sim
