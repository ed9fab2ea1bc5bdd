// Which bone of one skeleton is which of another: the same build renamed, re-axed, resized, posed otherwise
// at rest, with bones added, split, merged or left out.
#pragma once

#include <dendraxis/skeleton/skeleton.hpp>

#include <vector>

namespace dendraxis {

/// What one bone of the target answers to.
struct BoneAnswer {
    int source = k_no_bone;  ///< no bone: the source has none that is it
    /// The rotation that lays the source bone's part of the body, at rest in the source's model space, onto
    /// the target bone's part, at rest in the target's.
    Quat turn = Quat::Identity();
};

/// Two bones count as being at one place within this share of the target's size, the diagonal of its joints.
inline constexpr float k_same_position = 0.004f;

/// Plain data.
struct Correspondence {
    std::vector<BoneAnswer> answers;  ///< one a bone of the target
    float scale = 1.0f;               ///< the target's lengths over the source's
    /// How much of each skeleton's bone length lies between bones that were matched, 0 to 1.
    float source_coverage = 0.0f;
    float target_coverage = 0.0f;

    std::size_t matched() const noexcept;

    /// Whether both are one build: nearly all of one of them is in the other, and a good part the other way
    /// around.
    bool is_same_build() const noexcept;

    /// The target's bone that answers to this one of the source, or `k_no_bone`.
    int target_of(int source) const noexcept;
};

/// A position that a bone carries without a joint being there: the middle of its skin. The first marks of two
/// bones are compared, and the second ones.
struct BoneMark {
    int bone = k_no_bone;
    Vec3 position = Vec3::Zero();  ///< model space, at rest
};

/// Lays `source` on `target` bone by bone. It asks for lengths between joints, and for where the joints of
/// one part of the body lie to each other; local axes and names only decide between bones at one place.
/// `hint` is the rotation from the source's model space to the target's that is tried first. It decides where
/// a body can be laid on in several ways (a figure that is flat and left as it is right). Marks, sorted by
/// bone, say how bones without children are turned. Allocates; safe to call from several threads.
Correspondence correspond(const Skeleton& source, const Skeleton& target, const Quat& hint = Quat::Identity(),
                          std::span<const BoneMark> source_marks = {},
                          std::span<const BoneMark> target_marks = {});

}  // namespace dendraxis
