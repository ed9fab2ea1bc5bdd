// Flesh where none should be: in the body itself, in the other leg, in the floor.
#pragma once

#include <dendraxis/chart/body_tree.hpp>
#include <dendraxis/review/review.hpp>

namespace dendraxis::detail {

/// Two clips in model space, all frames, and what their bodies hang together by.
struct TwoClips {
    const Pairing& pairing;
    const BodyTree& source_body;
    const BodyTree& target_body;
    std::span<const Transform> source;
    std::span<const Transform> target;
    std::size_t frames = 0;

    std::span<const Transform> source_at(std::size_t frame) const {
        const std::size_t bones = pairing.source.skeleton.size();
        return source.subspan(frame * bones, bones);
    }
    std::span<const Transform> target_at(std::size_t frame) const {
        const std::size_t bones = pairing.target.skeleton.size();
        return target.subspan(frame * bones, bones);
    }
};

/// Keeps the larger value, with its frame and position; below zero is zero.
void keep_worst(Measure& measure, float value, std::size_t frame, const std::string& where);

/// `clipping_mm` of a clip.
Measure clipping(const TwoClips& clips);

/// `body_depth_mm` of a clip.
Measure body_depth(const TwoClips& clips);

}  // namespace dendraxis::detail
