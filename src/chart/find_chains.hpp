// The parts that a chart is made of, found one after the other.
#pragma once

#include <dendraxis/chart/chart.hpp>

namespace dendraxis {

/// Fills hub, chains and helpers from the bones' names and their hierarchy.
void find_chains(Chart& chart);

/// Fills up, facing, height, floor, stance and ground bone; the chains must be there.
void find_bearings(Chart& chart, const Extents& extents);

}  // namespace dendraxis
