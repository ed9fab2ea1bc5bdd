// What a cast costs beside single transfers, and a swap beside one evaluation.
#include <benchmark/benchmark.h>

#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/pipeline/threads.hpp>
#include <dendraxis/retarget/cast.hpp>

#include <fmt/format.h>

#include <filesystem>
#include <map>

namespace {

using namespace dendraxis;

constexpr std::size_t k_members = 1000;

const io::Rig& rig(const char* name) {
    static std::map<std::string, io::Rig> rigs;
    const auto found = rigs.find(name);
    if (found != rigs.end()) return found->second;
    return rigs.emplace(name, io::load_rig(std::filesystem::path(DENDRAXIS_DEMO_FOLDER) / name))
        .first->second;
}

// A body of 59 bones for each member, so that none shares its pose with another.
std::vector<CastBody> bodies() {
    const Pairing pairing = pair(rig("diver.glb").chart, rig("bosun.rig.json").chart);
    std::vector<CastBody> all;
    for (std::size_t i = 0; i < k_members; ++i) all.push_back({fmt::format("{}", i), pairing});
    return all;
}

Cast& whole_cast() {
    static Cast cast(bodies(), k_members);
    if (cast.size() == 0) {
        for (std::size_t i = 0; i < k_members; ++i) cast.add(i);
    }
    return cast;
}

const Clip& stroll() {
    return rig("diver.glb").character.clip("stroll");
}

void cast_single_transfers(benchmark::State& state) {
    struct One {
        Transfer transfer;
        Workspace workspace;
        std::vector<Transform> pose;
    };
    static std::vector<One> all = [] {
        const Pairing pairing = pair(rig("diver.glb").chart, rig("bosun.rig.json").chart);
        std::vector<One> made;
        for (std::size_t i = 0; i < k_members; ++i)
            made.push_back({Transfer(pairing), {}, std::vector<Transform>(pairing.target.skeleton.size())});
        return made;
    }();
    std::size_t frame = 0;
    for (auto _ : state) {
        const auto pose = stroll().frame(frame++ % stroll().frame_count());
        for (One& one : all) one.transfer.apply(pose, one.pose, one.workspace);
    }
}
BENCHMARK(cast_single_transfers)->UseRealTime()->Unit(benchmark::kMillisecond);

void cast_one_thread(benchmark::State& state) {
    Cast& cast = whole_cast();
    std::size_t frame = 0;
    for (auto _ : state) cast.play(stroll().frame(frame++ % stroll().frame_count()), 0.033f);
}
BENCHMARK(cast_one_thread)->UseRealTime()->Unit(benchmark::kMillisecond);

void cast_all_threads(benchmark::State& state) {
    Cast& cast = whole_cast();
    std::size_t frame = 0;
    for (auto _ : state)
        cast.play(stroll().frame(frame++ % stroll().frame_count()), 0.033f, pipeline::on_threads);
}
BENCHMARK(cast_all_threads)->UseRealTime()->Unit(benchmark::kMillisecond);

Cast& two_bodies() {
    static Cast cast({{"bosun", pair(rig("diver.glb").chart, rig("bosun.rig.json").chart)},
                      {"deckhand", pair(rig("diver.glb").chart, rig("deckhand.rig.json").chart)}},
                     4);
    return cast;
}

// One evaluation is a thousandth of the lines above.
void cast_swap(benchmark::State& state) {
    static const CastMember member = two_bodies().add(0);
    std::size_t body = 0;
    for (auto _ : state) benchmark::DoNotOptimize(two_bodies().swap(member, body = 1 - body));
}
BENCHMARK(cast_swap)->Unit(benchmark::kMicrosecond);

// The same and the frame that follows it, in which the other body is played.
void cast_swap_and_play(benchmark::State& state) {
    static const CastMember member = two_bodies().add(0);
    std::size_t body = 0;
    for (auto _ : state) {
        two_bodies().swap(member, body = 1 - body, 0.2f);
        two_bodies().play(stroll().frame(5), 0.033f);
    }
}
BENCHMARK(cast_swap_and_play)->Unit(benchmark::kMicrosecond);

}  // namespace
