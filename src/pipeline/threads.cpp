#include <dendraxis/pipeline/threads.hpp>

#include <oneapi/tbb/parallel_for.h>

namespace dendraxis::pipeline {

void on_threads(std::size_t count, const std::function<void(std::size_t)>& work) {
    tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) { work(i); });
}

}  // namespace dendraxis::pipeline
