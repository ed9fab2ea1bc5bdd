// What charting costs: a skeleton of 200 bones without surface, and the demo diver with it.
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/io/gltf/gltf.hpp>

#include "people.hpp"

#include <benchmark/benchmark.h>

namespace {

using namespace dendraxis;

void chart_200_bones(benchmark::State& state) {
    // Without its surface.
    const Skeleton skeleton =
        harbour::with_tassels(io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb").skeleton, 200);
    for (auto step : state) benchmark::DoNotOptimize(chart(skeleton));
    state.counters["bones"] = static_cast<double>(skeleton.size());
}
BENCHMARK(chart_200_bones)->Unit(benchmark::kMillisecond);

void chart_diver_with_surface_and_clips(benchmark::State& state) {
    const Character diver = io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb");
    for (auto step : state) benchmark::DoNotOptimize(chart(diver));
}
BENCHMARK(chart_diver_with_surface_and_clips)->Unit(benchmark::kMillisecond);

}  // namespace
