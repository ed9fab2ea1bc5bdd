// The joints of a limb: where shoulder, arm, forearm and hand begin, and hip, thigh, shin and foot.
#pragma once

#include "body.hpp"

namespace dendraxis::detail {

/// Where the parts of a limb begin on its path, as indices. `root` to `lower` is the upper part, `lower` to
/// `end` the lower one, the hand or foot begins at `end`; where it has none, `end` is the path's size.
struct LimbJoints {
    std::size_t root = 0;
    std::size_t lower = 1;
    std::size_t end = 2;
    float score = 0.0f;
    float margin = 0.0f;  ///< to the best other reading whose parts differ
};

struct LimbKind {
    bool leg = false;
    bool of_several_pairs = false;  ///< a quadruped's: the heel may stand high
    bool fore = false;              ///< a foreleg: a shoulder blade may lie above it
    float name_trust = 1.0f;
};

/// The best reading of a branch whose path has at least two bones.
LimbJoints find_joints(const Body& body, const Branch& branch, const LimbKind& kind);

/// The path without what lies on it but is no segment: bones named as twist, joints in the same
/// place as another.
std::vector<int> limb_path(const Body& body, const Branch& branch);

}  // namespace dendraxis::detail
