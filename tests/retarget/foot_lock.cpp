// Feet held pose by pose while a game runs, measured as whole clips are.
#include "crowd.hpp"
#include "workshop.hpp"

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/retarget/foot_lock.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>

#include <doctest/doctest.h>

#include <cmath>

using namespace dendraxis;

namespace {

struct Held {
    Clip clip;
    std::vector<FootLockState> states;  // a frame
};

Held hold(const Pairing& pairing, const Clip& source, bool held = true) {
    const Transfer transfer(pairing);
    const FootLock lock(pairing);
    Held result{transfer.apply_turns(source), {}};
    FootLockState state;
    state.floor_velocity = moving_floor(pairing.source, source);
    Workspace workspace;
    for (std::size_t f = 0; held && f < source.frame_count(); ++f) {
        lock.apply(source.frame(f), result.clip.frame(f), 1.0f / source.fps, state, workspace);
        result.states.push_back(state);
    }
    return result;
}

Pairing onto_body(unsigned number) {
    return pair(workshop::diver_chart(), chart(crowd::make_body(number).character));
}

Clip at_rate(const Clip& clip, float fps) {
    Clip result = clip;
    result.fps = fps;
    const auto frames = static_cast<std::size_t>(std::lround(clip.seconds() * fps)) + 1;
    result.transforms.resize(frames * clip.bone_count);
    for (std::size_t f = 0; f < frames; ++f) sample(clip, static_cast<float>(f) / fps, result.frame(f));
    return result;
}

Vec3 level(const Vec3& v, const Vec3& up) {
    return v - v.dot(up) * up;
}

}  // namespace

TEST_CASE("feet are held pose by pose, from the past alone") {
    const Pairing pairing = pair(workshop::diver_chart(), chart(workshop::bosun()));
    for (const char* name : {"stroll", "stroll-in-place", "hop-down", "crouch", "idle"}) {
        CAPTURE(name);
        const Clip& clip = workshop::diver().clip(name);
        const ClipReview before = review_clip(pairing, clip, hold(pairing, clip, false).clip);
        const ClipReview after = review_clip(pairing, clip, hold(pairing, clip).clip);
        CHECK(after["foot_slide_mm"].value < std::max(1.0f, 0.2f * before["foot_slide_mm"].value));
        CHECK(after["ground_depth_mm"].value < 1.0f);
        CHECK(after["float_mm"].value < 5.0f);
        CHECK(after["bend_flips"].value == 0.0f);
        CHECK(after["pops"].value == 0.0f);
    }
}

TEST_CASE(
    "feet of bodies of all shapes stand from the first pose on, on floors that rest and floors that run") {
    for (const unsigned number : {700000u, 700002u, 700005u, 700006u, 700013u, 700017u, 700018u, 700020u}) {
        CAPTURE(number);
        const Pairing pairing = onto_body(number);
        const float size = pairing.target.height / 1.75f * metres_in_unit(pairing.target);
        for (const char* name : {"idle", "stroll", "stroll-in-place", "crouch", "hop-down"}) {
            CAPTURE(name);
            for (const float fps : {30.0f, 60.0f, 120.0f}) {
                CAPTURE(fps);
                const Clip clip = at_rate(workshop::diver().clip(name), fps);
                const ClipReview review = review_clip(pairing, clip, hold(pairing, clip).clip);
                CHECK(review["foot_slide_mm"].value < 4.0f * size);
                CHECK(review["float_mm"].value < 9.0f * size);
                CHECK(review["ground_depth_mm"].value < 1.0f * size);
                CHECK(review["pops"].value == 0.0f);
            }
        }
    }
}

TEST_CASE("feet stand on the floor though the source's soles are a little below its own at rest") {
    Chart source = workshop::diver_chart();
    source.floor += 0.03f * leg_length(source);
    const Pairing pairing = pair(source, chart(workshop::bosun()));
    const Clip& idle = workshop::diver().clip("idle");
    const ClipReview review = review_clip(pairing, idle, hold(pairing, idle).clip);
    CHECK(review["ground_depth_mm"].value < 1.0f);
    CHECK(review["float_mm"].value < 1.0f);
}

TEST_CASE("a foot that strays while it stands does so to both sides, once it has stood before") {
    const Pairing pairing = onto_body(700017);
    const Vec3& up = pairing.target.up;
    Clip rounds = workshop::diver().clip("stroll-in-place");
    const std::vector<Transform> once(
        rounds.transforms.begin(), rounds.transforms.end() - static_cast<std::ptrdiff_t>(rounds.bone_count));
    for (int round = 1; round < 3; ++round)
        rounds.transforms.insert(rounds.transforms.end() - static_cast<std::ptrdiff_t>(rounds.bone_count),
                                 once.begin(), once.end());
    const Held held = hold(pairing, rounds);
    std::size_t whole = 0;
    for (std::size_t foot = 0; foot < 2; ++foot) {
        std::vector<Vec3> corrections;  // of one contact
        std::size_t contacts = 0;
        for (const FootLockState& state : held.states) {
            const FootLockState::Foot& now = state.feet[foot];
            if (now.stands[0] || now.stands[1] || now.stands[2]) {
                corrections.push_back(level(now.correction, up));
                continue;
            }
            if (corrections.size() > 5 && ++contacts > 2) {
                const float strayed = (corrections.back() - corrections.front()).norm();
                Vec3 middle = Vec3::Zero();
                for (const Vec3& correction : corrections) middle += correction;
                middle /= static_cast<float>(corrections.size());
                CHECK(middle.norm() < 0.1f * strayed);
                ++whole;
            }
            corrections.clear();
        }
    }
    CHECK(whole >= 4);
}
