// Positions and sizes of bones that were matched one by one. Their turns are the inner loop's; this comes
// after it and does nothing to a pose in which no joint slides and no bone changes its size.
#pragma once

#include <dendraxis/chart/pairing.hpp>

#include <array>
#include <span>
#include <string>
#include <vector>

namespace dendraxis::detail {

struct PositionProgram {
    /// A bone of the target. Where it goes is told from an anchor, the nearest bone above it that was
    /// matched.
    struct Step {
        int target = k_no_bone;
        int source = k_no_bone;
        int target_anchor = k_no_bone;  ///< no bone: told from the model's origin
        int source_anchor = k_no_bone;
        Quat frame = Quat::Identity();  ///< from the source anchor's frame to the target anchor's
        Vec3 left_over = Vec3::Zero();  ///< in the target anchor's frame: what lengths differ by at rest
        Vec3 rest = Vec3::Zero();       ///< the source's place at rest, in its anchor's frame
        float slide_scale = 1.0f;       ///< metres of the target for each that the source is off that
        bool keeps_size = false;
        bool always = false;               ///< bones of the source stand between it and its anchor
        std::array<int, 3> axes{0, 1, 2};  ///< of each axis of the target's bone the source's nearest
    };

    /// A bone of the source whose sliding or growing calls for the steps.
    struct Watch {
        int source = k_no_bone;
        std::array<Eigen::Array4f, 2>
            rest;  ///< translation and scale, in rows of four that share two numbers
        std::array<Eigen::Array4f, 2> limit;  ///< how far each may be off
    };

    std::vector<Step> steps;  ///< parents first
    std::vector<Watch> watched;
    bool always = false;  ///< one of the steps is
    float scale = 1.0f;   ///< the target's lengths over the source's
    std::vector<Vec3> target_size;
};

/// Of the bones that `follows` says for the target (a source bone, or none), by the rules for this clip
/// (empty: for any). `to_target` takes the source's model space to the target's.
PositionProgram compile_positions(const Pairing& pairing, std::span<const int> follows, const Quat& to_target,
                                  const std::string& clip = {});

/// Carries them from one local pose to another that has its turns already. The last two are scratch for one
/// pose of each in model space. Never allocates or throws.
void carry_positions(const PositionProgram& program, const Pairing& pairing,
                     std::span<const Transform> source, std::span<Transform> target,
                     std::span<Transform> source_model, std::span<Transform> target_model) noexcept;

}  // namespace dendraxis::detail
