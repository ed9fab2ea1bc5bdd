// What charting costs: a skeleton of 200 bones without surface, and the demo diver with it.
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/io/gltf.hpp>

#include <benchmark/benchmark.h>

namespace {

using namespace dendraxis;

// The diver with tassels of five bones hung on its trunk and limbs until there are 200 bones.
Skeleton large_skeleton() {
    const Character diver = io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb");
    std::vector<Bone> bones(diver.skeleton.bones().begin(), diver.skeleton.bones().end());
    const int body = static_cast<int>(bones.size());
    for (int i = 0; bones.size() < 200; ++i) {
        Bone bone;
        bone.name = bone.label = "tassel_" + std::to_string(i);
        bone.parent = i % 5 == 0 ? 1 + (7 * i) % (body - 1) : static_cast<int>(bones.size()) - 1;
        bone.rest.translation = Vec3(0.01f * static_cast<float>(i % 3), -0.02f, 0.01f);
        bones.push_back(bone);
    }
    return Skeleton(std::move(bones));
}

void chart_200_bones(benchmark::State& state) {
    const Skeleton skeleton = large_skeleton();
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
