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

// A character and what makes it fall.
struct Bound {
    const Character& character;
    Chart chart = dendraxis::chart(character);
    RagdollBinding binding{build_ragdoll(character, chart), chart};

    sim::Drop drop(const sim::DropStart& start, const sim::DropOptions& options) const {
        return run_drop(binding, chart, start, options);
    }
    sim::Drop drop(const sim::DropOptions& options) const { return drop(at_rest(character), options); }
};

}  // namespace

TEST_CASE("every demo character falls, holds together and comes to rest") {
    for (const auto& person : std::vector<std::function<const Character&()>>{
             workshop::diver, workshop::bosun, workshop::deckhand, workshop::hound}) {
        const Bound body{person()};
        CAPTURE(body.character.name);
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
            const sim::Drop drop = body.drop(options);
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
    const Bound bosun{workshop::bosun()};
    sim::DropOptions options;
    options.seconds = 3.0f;
    options.height = 1.5f;
    options.seed = 61;
    const sim::Drop drop = bosun.drop(options);
    CHECK(drop.figures.separation < 0.016f);
}

TEST_CASE("same seed, same bytes, another seed, another fall") {
    const Bound deckhand{workshop::deckhand()};
    sim::DropOptions options;
    options.seconds = 2.0f;
    options.seed = 5;
    options.height = 1.0f;
    const sim::Drop a = deckhand.drop(options);
    const sim::Drop b = deckhand.drop(options);
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
    CHECK_FALSE(same(a.clip, deckhand.drop(options).clip));
}

TEST_CASE("from a pose far outside of its ranges it is not thrown about") {
    const Bound diver{workshop::diver()};
    sim::DropStart start = at_rest(diver.character);
    std::vector<BoneTurn> turns;
    for (const char* bone : {"shin_left", "shin_right"}) turns.push_back({bone, Vec3(-40, 0, 0)});
    turns.push_back({"forearm_left", Vec3(0, 40, 0)});
    turns.push_back({"head", Vec3(0, 130, 0)});
    start.pose = start.before = turned_pose(diver.chart, start.pose, turns);
    sim::DropOptions options;
    options.seconds = 1.0f;
    options.height = 3.0f;
    options.world.gravity.setZero();
    const sim::Drop drop = diver.drop(start, options);
    const RagdollPlan& plan = diver.binding.plan();
    CHECK(drop.overshoots.front()[static_cast<std::size_t>(plan.joint_of(plan.find("shin.left")))] > 25.0f);
    MESSAGE("gained ", drop.figures.energy_gained, " J");
    CHECK(drop.figures.energy_gained < 10.0f);
    CHECK(drop.figures.overshoot_at_rest < 1.0f);
}

TEST_CASE("a fall from a clip starts in its frame and goes on as fast") {
    const Bound diver{workshop::diver()};
    const Clip& hop = diver.character.clip("hop-down");
    sim::DropStart start;
    const auto now = hop.frame(20);
    const auto before = hop.frame(19);
    start.pose.assign(now.begin(), now.end());
    start.before.assign(before.begin(), before.end());
    sim::DropOptions options;
    options.seconds = 0.5f;
    const sim::Drop drop = diver.drop(start, options);
    std::vector<Transform> a(now.size());
    std::vector<Transform> b(now.size());
    to_model_space(diver.character.skeleton, now, a);
    to_model_space(diver.character.skeleton, drop.clip.frame(0), b);
    for (std::size_t i = 0; i < a.size(); ++i) {
        // What stands a little in the floor is lifted out of it.
        const Vec3 off = b[i].translation - a[i].translation;
        CHECK(std::hypot(off.x(), off.z()) < 1e-4f);
        CHECK(std::abs(off.y()) < 0.05f);
    }
}

TEST_CASE("settings out of range are refused, wild pushes are clamped") {
    const Bound diver{workshop::diver()};
    sim::DropOptions options;
    options.fps = 0.0f;
    CHECK_THROWS_AS(diver.drop(options), Error);
    sim::WorldSettings settings;
    settings.step = 0.0f;
    CHECK_THROWS_AS(sim::World{settings}, Error);
    sim::Push push{0, Vec3(0, 0, 1e30f)};
    CHECK(sim::clamp_push(push, diver.binding.plan()).has_value());
    CHECK(push.impulse.norm() < 1000.0f);
    options.fps = 60.0f;
    options.seconds = 1.0f;
    options.push = push;
    CHECK(diver.drop(options).figures.finite);
}
