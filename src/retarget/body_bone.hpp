// The bone that goes where the body goes.
#pragma once

#include <dendraxis/chart/chart.hpp>

namespace dendraxis::detail {

/// The lowest bone above all legs, if it is the hips or hangs below them; else the hips. A control may be
/// turned at rest and its children turned back: what the legs hang on is what the body does.
inline int body_bone(const Chart& chart) {
    int above = k_no_bone;
    for (const Chain& chain : chart.chains) {
        if (chain.role() != ChainRole::leg || chain.bones.empty()) continue;
        const int root = chart.skeleton.parent(chain.bones.front());
        if (root == k_no_bone) return chart.hips;
        above = above == k_no_bone ? root : chart.skeleton.common_ancestor(above, root);
        if (above == k_no_bone) return chart.hips;
    }
    return above != k_no_bone && chart.skeleton.is_above(chart.hips, above) ? above : chart.hips;
}

}  // namespace dendraxis::detail
