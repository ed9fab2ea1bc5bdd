// What ragdolls cost: planning one, and a frame of 1, 10 and 100 falling at once, each in a world of its own
// or together in one (`items` are ragdolls, so that the time an item tells whether the cost grows evenly: the
// same 100 falls of two seconds each, one after the other, ten at a time or all at once).
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/sim/drop.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <benchmark/benchmark.h>

namespace {

using namespace dendraxis;

constexpr int k_frames = 120;

const Character& diver() {
    static const Character character = io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb");
    return character;
}

void plan(benchmark::State& state) {
    const Chart chart = dendraxis::chart(diver());
    for (auto step : state) benchmark::DoNotOptimize(build_ragdoll(diver(), chart));
}
BENCHMARK(plan)->Unit(benchmark::kMillisecond);

void falling(benchmark::State& state) {
    const Chart chart = dendraxis::chart(diver());
    const RagdollBinding binding(build_ragdoll(diver(), chart), chart);
    const std::vector<Transform> rest = rest_in_model_space(diver().skeleton);
    std::vector<BodyState> bodies(binding.plan().bodies.size());
    std::vector<JointAnchor> anchors(binding.plan().joints.size());
    binding.anchors_of(rest, anchors);
    const auto count = state.range(0);
    const bool together = state.range(1) != 0;
    std::int64_t fallen = 0;
    const auto start = [&] {
        std::vector<sim::World> worlds(together ? 1 : static_cast<std::size_t>(count));
        for (sim::World& world : worlds) world.add_floor(Vec3::Zero(), Vec3::UnitY());
        for (std::int64_t i = 0; i < count; ++i) {
            Transform placement;
            placement.translation =
                Vec3(2.5f * static_cast<float>(i % 10), 1.0f, 2.5f * static_cast<float>(i / 10));
            placement.rotation =
                Quat(Eigen::AngleAxisf(0.7f * static_cast<float>(fallen++), Vec3(1, 2, 3).normalized()));
            binding.bodies_of(rest, placement, bodies);
            worlds[together ? 0 : static_cast<std::size_t>(i)].add(binding, bodies, anchors);
        }
        return worlds;
    };
    std::vector<sim::World> worlds = start();
    int frame = 0;
    for (auto step : state) {
        for (sim::World& world : worlds) world.step(1.0f / 60.0f);
        if (++frame % k_frames == 0) {  // in the air, on the ground, sliding to rest
            state.PauseTiming();
            worlds = start();
            state.ResumeTiming();
        }
    }
    state.SetItemsProcessed(state.iterations() * count);
}
void falling_as(benchmark::internal::Benchmark* one) {
    one->ArgNames({"ragdolls", "together"})->Unit(benchmark::kMillisecond);
}
BENCHMARK(falling)->Apply(falling_as)->ArgsProduct({{1}, {0, 1}})->Iterations(100 * k_frames);
BENCHMARK(falling)->Apply(falling_as)->ArgsProduct({{10}, {0, 1}})->Iterations(10 * k_frames);
BENCHMARK(falling)->Apply(falling_as)->ArgsProduct({{100}, {0, 1}})->Iterations(k_frames);

}  // namespace
