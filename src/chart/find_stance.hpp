// Height, floor, stance and root of a chart whose chains are there.
#pragma once

#include <dendraxis/chart/chart.hpp>

namespace dendraxis::detail {

void find_stance(Chart& chart, const Extents& extents);

}  // namespace dendraxis::detail
