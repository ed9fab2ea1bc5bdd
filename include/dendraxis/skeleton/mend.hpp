// Clips as they come from files that went wrong somewhere.
#pragma once

#include <dendraxis/base/finding.hpp>
#include <dendraxis/skeleton/clip.hpp>

namespace dendraxis {

/// Makes a clip fit to work with, telling what was done: values that are no numbers are held from the frame
/// before (from the rest in the first one), rotations get unit length, a rate that makes no sense becomes 30
/// frames a second. Returns the findings; none where the clip was sound. Throws `Error` where it has no
/// frames or is no clip of `skeleton`.
Findings mend_clip(const Skeleton& skeleton, Clip& clip);

}  // namespace dendraxis
