// What secondary motion costs a frame: one chain of so many bones beside a body of twenty solids, and the
// whole deckhand, at 60 frames a second.
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/ragdoll/sway.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <benchmark/benchmark.h>

#include <cmath>

namespace {

using namespace dendraxis;

void play(benchmark::State& state, const SwayBinding& binding) {
    Sway sway(binding);
    const std::vector<Transform> rest = rest_pose(binding.skeleton());
    std::vector<Transform> pose = rest;
    int frame = 0;
    for (auto step : state) {
        Transform at;
        at.translation.x() = 0.2f * std::sin(0.05f * static_cast<float>(++frame));
        pose = rest;
        sway.step(pose, at, 1.0f / 60.0f);
    }
}

void sway_chain_of(benchmark::State& state) {
    const auto links = static_cast<int>(state.range(0));
    std::vector<Bone> bones(static_cast<std::size_t>(links) + 2);
    for (std::size_t b = 0; b < bones.size(); ++b) {
        bones[b].name = bones[b].label = "bone" + std::to_string(b);
        bones[b].parent = static_cast<int>(b) - 1;
        if (b > 1) bones[b].rest.translation.y() = -0.4f / static_cast<float>(links);
    }
    Chart chart;
    chart.skeleton = Skeleton(bones);
    chart.height = 1.7f;
    for (int s = 0; s < 20; ++s)
        chart.shape.solids.push_back(
            {"trunk",
             0,
             0.0f,
             {{0.15f, -0.04f * static_cast<float>(s), 0.0f}, {0.0f, 0.02f, 0.0f}, Vec3::Zero(), 0.1f}});
    SwayChain chain;
    chain.name = "chain";
    for (int link = 1; link <= links; ++link) chain.bones.push_back(link);
    play(state, SwayBinding({{chain}}, chart));
}
BENCHMARK(sway_chain_of)->Arg(1)->Arg(3)->Arg(5)->Arg(10)->Unit(benchmark::kMicrosecond);

void sway_deckhand(benchmark::State& state) {
    const Character deckhand = io::load_character(DENDRAXIS_DEMO_FOLDER "/deckhand.glb");
    const Chart chart = dendraxis::chart(deckhand);
    play(state, SwayBinding(plan_sway(deckhand, chart), chart));
}
BENCHMARK(sway_deckhand)->Unit(benchmark::kMicrosecond);

}  // namespace
