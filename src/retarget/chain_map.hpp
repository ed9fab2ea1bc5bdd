// Which stretch of a source chain each bone of a target chain answers to.
#pragma once

#include <dendraxis/chart/pairing.hpp>

#include <span>
#include <vector>

namespace dendraxis::detail {

/// How far along the chain each joint lies, 0 at the first, 1 at `tail`; one more than bones. An arm or leg
/// has its elbow or knee at one half, so that elbow answers to elbow whatever the bones' lengths.
std::vector<float> joint_shares(const Chain& chain, std::span<const Transform> model, const Vec3& tail);

/// The source bones whose stretch a target bone overlaps: turned by what `first` does, on toward what
/// `second` does by `share`. Indices into the source chain.
struct SegmentOverlap {
    std::size_t first = 0;
    std::size_t second = 0;
    float share = 0.0f;
};

/// For every bone of a target chain; shares as `joint_shares` gives them.
std::vector<SegmentOverlap> overlaps(std::span<const float> target_shares,
                                     std::span<const float> source_shares);

/// Fingers and grip of an arm, or toes of a leg, that both characters have but that is left unpaired: they
/// rest with it.
bool is_left_out(const Pairing& pairing, const Chain& chain);

}  // namespace dendraxis::detail
