// Feet that stand on slopes, steps and decks that move, while a clip plays that was made for a flat floor.
#pragma once

#include <dendraxis/base/workspace.hpp>
#include <dendraxis/chart/joint_turn.hpp>
#include <dendraxis/ik/ground.hpp>
#include <dendraxis/ik/limb.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <array>
#include <optional>
#include <span>
#include <vector>

namespace dendraxis {

struct GroundOptions {
    float strength = 1.0f;    ///< 0: off, and costs nothing
    float full_below = 2.2f;  ///< leg lengths a second: up to this speed of the body feet are adapted wholly
    float none_above = 4.5f;  ///< from this on not at all
    float most_step = 0.6f;   ///< leg lengths: ground higher or deeper than that is no ground
    float most_tilt = 0.45f;  ///< radians, of a foot against the clip's
    float foot_seconds = 0.05f;  ///< in which a foot has mostly come to new ground
    float hips_seconds = 0.12f;
};

/// What is remembered of one character from pose to pose. The caller owns it; a fresh one starts anew.
struct GroundState {
    static constexpr std::size_t k_most_feet = 8;
    struct Eased {
        float value = 0.0f;
        float speed = 0.0f;
    };
    struct Foot {
        Eased rise;                    ///< of the foot over where the clip has it
        std::array<Eased, 2> tilt;     ///< of the ground's slope: forward, to the left
        Eased stands;                  ///< 1 with ground below, 0 without
        Vec3 position = Vec3::Zero();  ///< in the world, in the pose before
    };
    std::array<Foot, k_most_feet> feet;
    Eased hips;
    Eased pitch;
    Vec3 body = Vec3::Zero();  ///< in the world, in the pose before
    float speed = 0.0f;        ///< metres a second over the floor, eased
    bool started = false;
};

namespace detail {

class GroundPose;

struct GroundLeg {
    Limb limb;
    std::size_t sole = 0;
    bool front = false;
    bool ranged = false;
    Range range;  // of the foot
    JointFrame frame;
};

}  // namespace detail

/// Immutable once made; shared by threads and characters freely.
class GroundAdaptation {
 public:
    /// Legs are the chart's that have soles and three bones: two, four or more. Throws `Error` where there is
    /// none, or no hips.
    explicit GroundAdaptation(const Chart& chart);

    /// Of all legs on average, model units.
    float leg_length() const noexcept { return leg_length_; }

    /// Adapts a local pose. `placement` says where the character stands in the world (its floor is the
    /// clip's); `seconds` have passed since the pose before. Each foot is raised or lowered by what the
    /// ground below it differs from the floor, tilted with it, and kept as high over it as the clip has it
    /// over the floor; the hips go down for the foot that needs it most, and a body on four legs tilts from
    /// hind to front. On a flat floor the pose comes back as it was. Allocates nothing once
    /// `workspace` was reserved or used; throws nothing then unless `ground` does.
    void apply(std::span<Transform> pose, const Transform& placement, const Ground& ground, float seconds,
               GroundState& state, Workspace& workspace, const GroundOptions& options = {}) const;

    /// Makes room for `apply`.
    void reserve(Workspace& workspace) const;

 private:
    friend class detail::GroundPose;
    class Step;

    Chart chart_;
    std::vector<detail::GroundLeg> legs_;
    float leg_length_ = 0.0f;
    float wheelbase_ = 0.0f;  // between hind and front hips; 0: all stand side by side
};

/// A whole clip over this ground, at any speed: the character goes up and down with the ground below its
/// body, and each foot's height, tilt and the hips follow the smoothest curves that keep standing feet on the
/// ground and others clear of it, known beforehand, so that nothing lags. A clip that walks on the spot has
/// the slope below its hips running under it (see `slope_on_the_spot`), and stays a loop if it is one. Throws
/// `Error` as `GroundAdaptation` does.
Clip walk_over(const Chart& chart, const Clip& clip, const Ground& ground, GroundOptions options = {});

/// What a clip that walks on the spot is taken to walk on: the plane of the ground below its hips; nothing if
/// the clip goes over the floor or rests, or if there is no ground.
std::optional<GroundPoint> slope_on_the_spot(const Chart& chart, const Clip& clip, const Ground& ground);

}  // namespace dendraxis
