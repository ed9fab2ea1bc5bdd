// The segments of a body as they stand at rest, told alike for all characters.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <optional>

namespace dendraxis::detail {

/// One segment, upright frame. `turn` takes what is told of a body that stands with its arms level out, palms
/// down, to how this one stands.
struct BodySegment {
    const Chain* chain = nullptr;
    std::size_t index = 0;  ///< in its chain
    Vec3 head = Vec3::Zero();
    Vec3 along = Vec3::Zero();  ///< to its end
    Quat turn = Quat::Identity();
    float thickness = 0.0f;  ///< metres from the middle line to the skin, the median
};

/// All segments of a character, and which of them a bone belongs to.
class BodySegments {
 public:
    BodySegments(const Character& character, const Chart& chart);

    /// The segment of the bone, or of the nearest bone above it that has one.
    const BodySegment* of_bone(int bone) const noexcept;
    /// The segment at `index` of a chain, or null.
    const BodySegment* at(const Chain& chain, std::size_t index) const noexcept;

 private:
    void measure_thickness(const Character& character);

    const Chart& chart_;
    std::vector<BodySegment> segments_;
    std::vector<int> segment_of_bone_;
};

/// The side of the hand on which the thumb is, square to the hand's direction and in the palm's plane;
/// upright frame, unit length. Without fingers as in an arm that was let down from level with its palm down.
Vec3 thumb_direction(const Chart& chart, const BodySegment& hand);

}  // namespace dendraxis::detail
