// Falls: joints hold, limits hold, the ground holds, and the same seed gives the same bytes.
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/sim/drop.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <functional>

using namespace dendraxis;

namespace {

sim::DropStart at_rest(const Character& character) {
    sim::DropStart start;
    start.pose = start.before = rest_pose(character.skeleton);
    return start;
}

}  // namespace

TEST_CASE("every demo character falls, holds together and comes to rest") {
    for (const auto& person : std::vector<std::function<const Character&()>>{
             workshop::diver, workshop::bosun, workshop::deckhand, workshop::hound}) {
        const Character& character = person();
        CAPTURE(character.name);
        const Chart chart = dendraxis::chart(character);
        const RagdollBinding binding(build_ragdoll(character, chart), chart);
        std::vector<float> separations;
        std::vector<float> overshoots;
        int settled = 0;
        constexpr unsigned k_seeds = 12;
        for (unsigned seed = 1; seed <= k_seeds; ++seed) {
            sim::DropOptions options;
            options.seconds = 15.0f;
            options.height = 1.5f;
            options.seed = seed;
            options.until_settled = true;
            const sim::Drop drop = run_drop(binding, chart, at_rest(character), options);
            CHECK(drop.figures.finite);
            CHECK(drop.figures.penetration_at_rest < 1e-3f);
            CHECK(drop.figures.overshoot_at_rest < 0.2f);
            settled += drop.figures.settled ? 1 : 0;
            separations.push_back(drop.figures.separation);
            for (const auto& frame : drop.overshoots)
                overshoots.insert(overshoots.end(), frame.begin(), frame.end());
        }
        std::sort(separations.begin(), separations.end());
        std::sort(overshoots.begin(), overshoots.end());
        CHECK(separations.back() < 0.016f);
        CHECK(overshoots[overshoots.size() * 999 / 1000] < 0.4f);
        CHECK(settled == k_seeds);
    }
}

TEST_CASE("a coat tail that whips into the ground stays on the coat") {
    const Character& character = workshop::bosun();
    const Chart chart = dendraxis::chart(character);
    const RagdollBinding binding(build_ragdoll(character, chart), chart);
    sim::DropOptions options;
    options.seconds = 3.0f;
    options.height = 1.5f;
    options.seed = 61;
    const sim::Drop drop = run_drop(binding, chart, at_rest(character), options);
    CHECK(drop.figures.separation < 0.016f);
}

TEST_CASE("same seed, same bytes, another seed, another fall") {
    const Character& deckhand = workshop::deckhand();
    const Chart chart = dendraxis::chart(deckhand);
    const RagdollBinding binding(build_ragdoll(deckhand, chart), chart);
    sim::DropOptions options;
    options.seconds = 2.0f;
    options.seed = 5;
    options.height = 1.0f;
    const sim::Drop a = run_drop(binding, chart, at_rest(deckhand), options);
    const sim::Drop b = run_drop(binding, chart, at_rest(deckhand), options);
    const auto same = [](const Clip& one, const Clip& other) {
        const auto is_same = [](const Transform& x, const Transform& y) {
            return x.rotation.coeffs() == y.rotation.coeffs() && x.translation == y.translation &&
                   x.scale == y.scale;
        };
        return std::equal(one.transforms.begin(), one.transforms.end(), other.transforms.begin(),
                          other.transforms.end(), is_same);
    };
    CHECK(same(a.clip, b.clip));
    options.seed = 6;
    CHECK_FALSE(same(a.clip, run_drop(binding, chart, at_rest(deckhand), options).clip));
}

TEST_CASE("from a pose far outside of its ranges it is not thrown about") {
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    const RagdollBinding binding(build_ragdoll(diver, chart), chart);
    sim::DropStart start = at_rest(diver);
    std::vector<BoneTurn> turns;
    for (const char* bone : {"shin_left", "shin_right"}) turns.push_back({bone, Vec3(-40, 0, 0)});
    turns.push_back({"forearm_left", Vec3(0, 40, 0)});
    turns.push_back({"head", Vec3(0, 130, 0)});
    start.pose = start.before = turned_pose(chart, start.pose, turns);
    sim::DropOptions options;
    options.seconds = 1.0f;
    options.height = 3.0f;
    options.world.gravity.setZero();
    const sim::Drop drop = run_drop(binding, chart, start, options);
    CHECK(drop.overshoots
              .front()[static_cast<std::size_t>(binding.plan().joint_of(binding.plan().find("shin.left")))] >
          25.0f);
    MESSAGE("gained ", drop.figures.energy_gained, " J");
    CHECK(drop.figures.energy_gained < 10.0f);
    CHECK(drop.figures.overshoot_at_rest < 1.0f);
}

TEST_CASE("a fall from a clip starts in its frame and goes on as fast") {
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    const RagdollBinding binding(build_ragdoll(diver, chart), chart);
    const Clip& hop = diver.clip("hop-down");
    sim::DropStart start;
    const auto now = hop.frame(20);
    const auto before = hop.frame(19);
    start.pose.assign(now.begin(), now.end());
    start.before.assign(before.begin(), before.end());
    sim::DropOptions options;
    options.seconds = 0.5f;
    const sim::Drop drop = run_drop(binding, chart, start, options);
    std::vector<Transform> a(now.size());
    std::vector<Transform> b(now.size());
    to_model_space(diver.skeleton, now, a);
    to_model_space(diver.skeleton, drop.clip.frame(0), b);
    for (std::size_t i = 0; i < a.size(); ++i) {
        // What stands a little in the floor is lifted out of it.
        const Vec3 off = b[i].translation - a[i].translation;
        CHECK(std::hypot(off.x(), off.z()) < 1e-4f);
        CHECK(std::abs(off.y()) < 0.05f);
    }
}

TEST_CASE("settings out of range are refused, wild pushes are clamped") {
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    const RagdollBinding binding(build_ragdoll(diver, chart), chart);
    sim::DropOptions options;
    options.fps = 0.0f;
    CHECK_THROWS_AS(run_drop(binding, chart, at_rest(diver), options), Error);
    sim::WorldSettings settings;
    settings.step = 0.0f;
    CHECK_THROWS_AS(sim::World{settings}, Error);
    sim::Push push{0, Vec3(0, 0, 1e30f)};
    CHECK(sim::clamp_push(push, binding.plan()).has_value());
    CHECK(push.impulse.norm() < 1000.0f);
    options.fps = 60.0f;
    options.seconds = 1.0f;
    options.push = push;
    CHECK(run_drop(binding, chart, at_rest(diver), options).figures.finite);
}
