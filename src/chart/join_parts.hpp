// Parts of a body that the file leaves as roots of their own.
#pragma once

#include "body.hpp"

namespace dendraxis::detail {

inline constexpr float k_no_skin_shared = 0.02f;

/// They hang on what they share most skin with, else on the nearest bone of the heaviest part.
void join_parts(Body& body);

/// Turns a part around so that `bone` is its top.
void hang_from(Body& body, int bone);

/// Turns a body around so that its top is the bone on which no part hangs that is heavy: within the trunk.
void hang_on_middle(Body& body);

}  // namespace dendraxis::detail
