// What retargeting costs, in the same run as copying the same bytes.
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/io/bvh/bvh.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/retarget/foot_lock.hpp>
#include <dendraxis/retarget/transfer.hpp>

#include "people.hpp"

#include <benchmark/benchmark.h>

#include <cstring>
#include <thread>

namespace {

using namespace dendraxis;

const Character& diver() {
    static const Character character = io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb");
    return character;
}

// The diver with some tassels and with all its bones' axes turned: 67 bones, every chain of as many bones.
Skeleton alike() {
    return harbour::scrambled_axes(harbour::with_tassels(diver().skeleton, 67), 3);
}

// Chains of as many bones (`spread` false), or the bosun: five spine bones for three, two a finger for three.
const Pairing& pairing(bool spread = false) {
    static const Pairing one_to_one = pair(chart(diver()), chart(alike()));
    static const Pairing other_counts =
        pair(chart(diver()), chart(io::load_character(DENDRAXIS_DEMO_FOLDER "/bosun.glb")));
    return spread ? other_counts : one_to_one;
}

std::vector<Transform> source_frames(std::size_t frames) {
    const Clip& stroll = diver().clip("stroll");
    std::vector<Transform> poses;
    poses.reserve(frames * stroll.bone_count);
    for (std::size_t f = 0; f < frames; ++f) {
        const auto pose = stroll.frame(f % stroll.frame_count());
        poses.insert(poses.end(), pose.begin(), pose.end());
    }
    return poses;
}

void count_poses(benchmark::State& state, std::size_t frames) {
    state.counters["bones"] = static_cast<double>(pairing().target.skeleton.size());
    state.counters["ns_a_bone"] =
        benchmark::Counter(static_cast<double>(frames * pairing().target.skeleton.size()) * 1e-9,
                           benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

void copy(benchmark::State& state) {
    const auto frames = static_cast<std::size_t>(state.range(0));
    const std::vector<Transform> from(frames * pairing().target.skeleton.size());
    std::vector<Transform> to(from.size());
    for (auto step : state) {
        std::memcpy(static_cast<void*>(to.data()), from.data(), from.size() * sizeof(Transform));
        benchmark::ClobberMemory();
    }
    count_poses(state, frames);
}
BENCHMARK(copy)->Arg(64)->Arg(1)->Arg(160'000);

void apply_to(benchmark::State& state, const Pairing& pairing) {
    const auto frames = static_cast<std::size_t>(state.range(0));
    const std::size_t bones = pairing.target.skeleton.size();
    const Transfer transfer(pairing);
    const std::vector<Transform> from = source_frames(frames);
    std::vector<Transform> to(frames * bones);
    Workspace workspace;
    for (auto step : state) {
        transfer.apply(from, to, workspace);
        benchmark::ClobberMemory();
    }
    state.counters["bones"] = static_cast<double>(bones);
}

void apply(benchmark::State& state) {
    apply_to(state, pairing());
}
BENCHMARK(apply)->Arg(64)->Arg(1)->Arg(160'000);

void apply_spread(benchmark::State& state) {
    apply_to(state, pairing(true));
}
BENCHMARK(apply_spread)->Arg(64)->Arg(1);

// Both hands and both feet brought to where the source's are in proportion.
void apply_reaching(benchmark::State& state) {
    Pairing reaching = pairing();
    for (ChainPair& entry : reaching.chains) entry.reach = 1.0f;
    apply_to(state, reaching);
}
BENCHMARK(apply_reaching)->Arg(64)->Arg(1);

void apply_on_threads(benchmark::State& state) {
    const std::size_t frames = 4096;
    static const Transfer transfer(pairing());
    const std::vector<Transform> from = source_frames(frames);
    std::vector<Transform> to(frames * pairing().target.skeleton.size());
    Workspace workspace;
    for (auto step : state) {
        transfer.apply(from, to, workspace);
        benchmark::ClobberMemory();
    }
    count_poses(state, frames);
}
BENCHMARK(apply_on_threads)->Threads(1)->Threads(2)->UseRealTime();

void foot_lock_a_pose(benchmark::State& state) {
    const Transfer transfer(pairing(true));
    const FootLock lock(pairing(true));
    const Clip& stroll = diver().clip("stroll");
    std::vector<Transform> pose(pairing(true).target.skeleton.size());
    Workspace workspace;
    FootLockState feet;
    std::size_t frame = 0;
    for (auto step : state) {
        transfer.apply(stroll.frame(frame), pose, workspace);
        lock.apply(stroll.frame(frame), pose, 1.0f / 30.0f, feet, workspace);
        frame = (frame + 1) % stroll.frame_count();
        benchmark::ClobberMemory();
    }
}
BENCHMARK(foot_lock_a_pose);

void all_passes_a_frame(benchmark::State& state) {
    const Transfer transfer(pairing(true));
    Clip clip = diver().clip("stroll");
    clip.transforms = source_frames(600);
    for (auto step : state) benchmark::DoNotOptimize(transfer.apply(clip));
    state.counters["us_a_frame"] = benchmark::Counter(
        600.0 * 1e-6, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}
BENCHMARK(all_passes_a_frame)->Unit(benchmark::kMillisecond);

void read_bvh_text(benchmark::State& state) {
    Clip clip = diver().clip("stroll");
    clip.transforms = source_frames(2000);
    const std::string text = io::bvh_text(diver().skeleton, clip);
    for (auto step : state) benchmark::DoNotOptimize(io::parse_bvh(text, "stroll"));
    state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * text.size()));
}
BENCHMARK(read_bvh_text)->Unit(benchmark::kMillisecond);

void write_bvh_text(benchmark::State& state) {
    Clip clip = diver().clip("stroll");
    clip.transforms = source_frames(2000);
    std::size_t size = 0;
    for (auto step : state) {
        const std::string text = io::bvh_text(diver().skeleton, clip);
        size = text.size();
        benchmark::DoNotOptimize(text);
    }
    state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * size));
}
BENCHMARK(write_bvh_text)->Unit(benchmark::kMillisecond);

}  // namespace
