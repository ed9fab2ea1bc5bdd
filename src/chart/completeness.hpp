// What a chart lacks, and what in it is doubtful.
#pragma once

#include <dendraxis/chart/chart.hpp>

namespace dendraxis::detail {

/// Takes out of the chart's findings what this function has told before, and tells anew what is missing,
/// short, or doubtful: so that what an edit has mended goes away. Sets `Chart::confidence`.
void judge_completeness(Chart& chart);

}  // namespace dendraxis::detail
