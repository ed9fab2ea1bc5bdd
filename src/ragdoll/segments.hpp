// Which bones a ragdoll's bodies stand for.
#pragma once

#include <dendraxis/chart/chart.hpp>

namespace dendraxis::detail {

/// The bones of one body: the first carries it.
struct Segment {
    std::string name;
    std::vector<int> bones;   ///< those of its own chain, root side first
    Vec3 end = Vec3::Zero();  ///< where it ends, model space at rest
    bool loose = false;       ///< of hair or cloth
    bool tip = false;         ///< a hand or foot
};

/// Parents before children, the hips first.
std::vector<Segment> segments_of(const Chart& chart);

}  // namespace dendraxis::detail
