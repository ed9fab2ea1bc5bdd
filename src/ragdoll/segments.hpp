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

/// Bones in a row that have no part in the body: a loose chain, or helpers of unknown kind.
struct LooseRow {
    std::vector<int> bones;  ///< each the parent of the next
    bool branch = false;     ///< it hangs from another row
};

/// All of them; what another one hangs from comes first.
std::vector<LooseRow> loose_rows(const Chart& chart);

}  // namespace dendraxis::detail
