// Feet held pose by pose, while a game runs: what `Transfer::apply` does for a whole clip, from the past
// alone.
#pragma once

#include <dendraxis/base/workspace.hpp>
#include <dendraxis/chart/pairing.hpp>

#include <array>
#include <memory>
#include <span>
#include <vector>

namespace dendraxis {

namespace detail {
struct PassPlan;
}

/// What is remembered of one character from pose to pose. The caller owns it, one for each; a fresh one
/// starts anew (after a cut, or when the target is changed).
struct FootLockState {
    static constexpr std::size_t k_most_feet = 8;
    /// Where the parts of the source's foot were, in its model space.
    struct Past {
        std::array<Vec3, 3> parts;
        float ago = 0.0f;  ///< seconds
    };
    struct Foot {
        std::array<Past, 8> past;  ///< the last poses, the one before first
        std::size_t past_count = 0;
        std::array<Vec3, 3> target;  ///< of the target, from its ankle
        Vec3 ankle = Vec3::Zero();   ///< of the target, before it was held
        Vec3 correction = Vec3::Zero();
        std::array<bool, 3> stands{};
        Vec3 start = Vec3::Zero();    ///< where this contact began
        Vec3 strayed = Vec3::Zero();  ///< from there: the sum over its seconds
        float stood_seconds = 0.0f;
        /// Where the next contact begins, seen along the foot, so that it strays to both sides alike.
        Vec3 lead = Vec3::Zero();
        float still_seconds = 0.0f;  ///< how long it has rested high up
        float level = 0.0f;          ///< of what it stands on, over the floor
    };
    std::array<Foot, k_most_feet> feet;
    /// The caller's: how the floor runs under a source that walks on the spot, as `moving_floor` finds it in
    /// its clip, model units of the source a second. Feet stand on that floor then.
    Vec3 floor_velocity = Vec3::Zero();
    float hips_shift = 0.0f;
    bool started = false;
};

/// Immutable once made; shared by threads and characters freely.
class FootLock {
 public:
    explicit FootLock(const Pairing& pairing);

    /// Holds the feet of `target`, a local pose that `Transfer::apply` has made from `source`. `seconds` have
    /// passed since the pose before. A foot that stands rolls without slipping as the source's does; one that
    /// does not eases back to where the transfer has it. A body without knees is as high as its lowest foot
    /// wants it. Allocates nothing once `workspace` was reserved or used; throws nothing then.
    void apply(std::span<const Transform> source, std::span<Transform> target, float seconds,
               FootLockState& state, Workspace& workspace) const;

    /// Makes room for `apply`.
    void reserve(Workspace& workspace) const;

 private:
    std::shared_ptr<const detail::PassPlan> plan_;
};

}  // namespace dendraxis
