// Several whole bodies in one file.
#pragma once

#include "search.hpp"

namespace dendraxis::detail {

/// The topmost bones of the bodies, if the file holds more than one; the largest body first. `body` has its
/// facts, but is not hung yet, and is left as it was.
std::vector<int> find_bodies(Body& body, const Weights& weights);

/// The same, with only the first of `tops` alive; all of it if there are none.
Body one_body(Body body, const std::vector<int>& tops);

}  // namespace dendraxis::detail
