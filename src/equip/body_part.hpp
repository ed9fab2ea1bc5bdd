// A part of the body that a piece of clothing covers, laid straight.
#pragma once

#include "segments.hpp"

#include <array>
#include <string>
#include <vector>

namespace dendraxis::detail {

/// Straight coordinates: from the part's head, axes as on a body that stands straight with its arms level
/// out; so the part runs along one of the axes.
struct BodyPart {
    std::string name;
    std::vector<int> bones;
    Vec3 head = Vec3::Zero();      ///< upright
    Quat turn = Quat::Identity();  ///< from straight to upright
    float length = 0.0f;
    int axis = 1;
    float direction = 1.0f;  ///< along the axis, 1 or -1

    Vec3 straight(const Vec3& upright) const { return turn.conjugate() * (upright - head); }
    float share(const Vec3& straight_position) const { return direction * straight_position[axis] / length; }
    Vec3 on_axis(const Vec3& straight_position) const { return straight_position[axis] * Vec3::Unit(axis); }
};

/// The part of that name. Throws `Error`, naming the nearest.
BodyPart body_part(const std::string& name, const Character& character, const Chart& chart);

/// Of each bone the part that it belongs to (of the nearest bone above that has one), as in `parts_of_body`;
/// -1 for none.
std::vector<int> part_of_bones(const Chart& chart);

}  // namespace dendraxis::detail
