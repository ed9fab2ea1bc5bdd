// Work over threads, for calls of the core that hand it out.
#pragma once

#include <cstddef>
#include <functional>

namespace dendraxis::pipeline {

/// Runs `work(i)` for every i below `count` over the machine's cores, and returns when all is done. Made for
/// `Cast::play`.
void on_threads(std::size_t count, const std::function<void(std::size_t)>& work);

}  // namespace dendraxis::pipeline
