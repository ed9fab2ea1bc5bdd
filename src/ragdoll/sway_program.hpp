// What `SwayBinding` makes of a plan, for `Sway`.
#pragma once

#include <dendraxis/ragdoll/sway.hpp>

namespace dendraxis::detail {

/// One bone of a chain. Its end is the head of the next one, or where its own skin or bones end.
struct SwayLink {
    int bone = k_no_bone;
    Vec3 end = Vec3::Zero();       ///< in the bone's own frame at rest
    Quat rest = Quat::Identity();  ///< how it is turned at rest, seen from the one before it
    Vec3 held_up = Vec3::Zero();   ///< in the same: the gravity that its shape at rest carries, units/s2
    std::size_t first_gap = 0;     ///< in `least_gaps`: one a solid
};

struct SwayRow {
    std::size_t first = 0;  ///< of its links
    std::size_t count = 0;
    int hangs_from = k_no_bone;
    float spring = 0.0f;     ///< angular frequency of one link, 1/s
    std::vector<int> below;  ///< it, and all bones that hang from it, parents before children
};

struct SwayProgram {
    SwayPlan plan;
    Skeleton skeleton;
    Vec3 gravity = Vec3::Zero();  ///< units/s2, in the world
    std::vector<Solid> solids;
    std::vector<float> sizes;  ///< of the solids' bones at rest: their scale in model space
    std::vector<SwayLink> links;
    std::vector<SwayRow> rows;      ///< of the plan's chains
    std::vector<float> least_gaps;  ///< of links and solids; `k_within`: it may be anywhere in it
    std::size_t longest = 0;        ///< links of a row, at most
    float widest = 0.0f;            ///< radius of a chain, at most
};

inline constexpr float k_within = -1e30f;

/// The mean scale of a bone, mirrored or not.
inline float size_of(const Transform& bone) noexcept {
    return bone.scale.cwiseAbs().mean();
}

}  // namespace dendraxis::detail
