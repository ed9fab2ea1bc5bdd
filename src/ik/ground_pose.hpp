// One pose over ground: how its feet stand, what the ground asks of them, and the pose that does it.
#pragma once

#include <dendraxis/ik/ground_adaptation.hpp>

#include <algorithm>
#include <array>
#include <optional>
#include <span>

namespace dendraxis::detail {

/// The ground's slope: how much the sole tilts, forward and to the left, radians.
using Slope = std::array<float, 2>;

class GroundPose {
 public:
    struct Foot {
        LimbJoints joints;       ///< of the clip
        float clearance = 0.0f;  ///< of the clip, over its floor
        Quat clip_turn = Quat::Identity();
        float own_beyond = 0.0f;  ///< of the clip, out of the ankle's range
        Quat tilt = Quat::Identity();
        float rise = 0.0f;
        float stands = 0.0f;  ///< 1 with ground below, 0 without
    };

    /// `pose` is the clip's, local; `model` gets it in model space.
    GroundPose(const GroundAdaptation& adaptation, std::span<Transform> pose, std::span<Transform> model,
               const Transform& placement, const Ground& ground, const GroundOptions& options);

    const std::vector<GroundLeg>& legs() const { return self_.legs_; }
    float leg_length() const { return self_.leg_length_; }
    Foot& foot(std::size_t leg) { return feet_[leg]; }
    const Vec3& world_up() const { return world_up_; }
    float size() const { return size_; }
    Vec3 hips() const;                 ///< in the world
    Vec3 ball(std::size_t leg) const;  ///< in the world

    /// Asked from the floor's height: the clip's own height over it does not count.
    std::optional<GroundPoint> below(const Vec3& position) const;
    Slope slope_of(const GroundPoint& ground) const;

    /// Tilts a foot; `stands` says by how much.
    void tilt_foot(std::size_t leg, const Slope& slope, float stands);

    /// How far the tilted foot must go up for all of its sole to be as high over the ground as the clip has
    /// it over the floor, here and `ahead`; nothing where there is no ground.
    std::optional<float> needed_rise(std::size_t leg, const Vec3& ahead = Vec3::Zero()) const;

    /// The height that the hips of these legs go to: with the lowest foot; a lifted one has room to spare.
    template <class Counts>
    float lowest_rise(const Counts& counts) const {
        float lowest = 1e30f;
        float least_spare = 1e30f;
        for (std::size_t i = 0; i < legs().size(); ++i) {
            const Foot& foot = feet_[i];
            if (!counts(legs()[i]) || foot.stands < 0.01f) continue;
            const float spare = foot.stands * std::clamp(2.0f * foot.clearance, 0.0f, 0.5f * leg_length());
            lowest = std::min(lowest, foot.rise + spare);
            least_spare = std::min(least_spare, spare);
        }
        return lowest < 1e29f ? lowest - least_spare : 0.0f;
    }

    /// How far the hips go up, and how the trunk tilts, if front and hind legs' hips go up by so much; legs
    /// that stand side by side all count as hind ones.
    float hips_between(float front, float hind) const;
    float pitch_of(float front, float hind) const;

    /// Puts hips and feet where they belong.
    void lay(float hips, float pitch);

 private:
    bool differs(float hips, float pitch) const;
    Vec3 middle_of_roots(bool front) const;
    Vec3 carried(const Vec3& position) const { return pivot_ + turn_ * (position - pivot_) + hips_ * up_; }
    void keep_ankle_in_range(const GroundLeg& leg, const Foot& foot, const LimbGoal& goal);

    const GroundAdaptation& self_;
    const Chart& chart_;
    std::span<Transform> pose_;
    std::span<Transform> model_;
    const Transform& placement_;
    const Ground& ground_;
    const GroundOptions& options_;
    Vec3 up_;
    Vec3 left_;
    Vec3 world_up_;
    float size_;
    float floor_height_;
    float hips_ = 0.0f;
    Vec3 pivot_ = Vec3::Zero();
    Quat turn_ = Quat::Identity();
    std::array<Foot, GroundState::k_most_feet> feet_;
};

}  // namespace dendraxis::detail
