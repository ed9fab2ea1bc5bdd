// Volumes that can strike.
#pragma once

#include <dendraxis/geometry/shape.hpp>

#include <string>

namespace dendraxis {

/// A volume on a prop (or on anything that has a frame): a shape given in that frame. Metres.
struct SweepVolume {
    std::string name;
    Shape shape;
    Vec3 at = Vec3::Zero();
    Quat turn = Quat::Identity();
};

}  // namespace dendraxis
