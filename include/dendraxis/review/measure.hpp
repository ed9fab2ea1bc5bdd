// One figure about a clip, with where it is worst.
#pragma once

#include <dendraxis/base/finding.hpp>

#include <string>

namespace dendraxis {

/// One figure about one clip, the worst of all frames, and where that was.
struct Measure {
    std::string name;  ///< with its unit: `foot_slide_mm`
    float value = 0.0f;
    int frame = -1;     ///< -1: nothing to measure
    std::string where;  ///< a bone, chain or body
};

}  // namespace dendraxis
