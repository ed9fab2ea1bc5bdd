// Clips as captures are: no joint rests quite, and the last pose is a little off the first.
#include "crowd.hpp"
#include "gates.hpp"
#include "workshop.hpp"

#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/chart/loop.hpp>
#include <dendraxis/retarget/transfer.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>

using namespace dendraxis;

namespace {

// Every joint sways about where it is, by some tenths of a degree, one to three times a second.
Clip swaying(const Clip& clip, float radians) {
    Clip result = clip;
    std::mt19937 random(5);
    std::normal_distribution<float> any(0.0f, 3.0f);
    for (std::size_t bone = 0; bone < clip.bone_count; ++bone) {
        std::array<float, 6> phase{};
        for (float& one : phase) one = any(random);
        for (std::size_t f = 0; f < clip.frame_count(); ++f) {
            const float t = static_cast<float>(f) / clip.fps;
            const Vec3 sway(std::sin(7.0f * t + phase[0]) + std::sin(13.0f * t + phase[1]),
                            std::sin(8.0f * t + phase[2]) + std::sin(15.0f * t + phase[3]),
                            std::sin(6.0f * t + phase[4]) + std::sin(17.0f * t + phase[5]));
            const Quat turn(Eigen::AngleAxisf(radians * sway.norm(), sway.normalized()));
            Quat& rotation = result.frame(f)[bone].rotation;
            rotation = (rotation * turn).normalized();
        }
    }
    return result;
}

// At four times the rate, each joint off by some hundredths of a degree from frame to frame.
Clip captured(const Clip& clip, float radians) {
    Clip result;
    result.name = clip.name;
    result.fps = 4.0f * clip.fps;
    result.bone_count = clip.bone_count;
    std::mt19937 random(7);
    std::normal_distribution<float> noise(0.0f, radians);
    for (std::size_t f = 0; f <= 4 * (clip.frame_count() - 1); ++f) {
        const float share = 0.25f * static_cast<float>(f % 4);
        const auto from = clip.frame(f / 4);
        const auto to = clip.frame(std::min(f / 4 + 1, clip.frame_count() - 1));
        for (std::size_t bone = 0; bone < clip.bone_count; ++bone) {
            Transform pose = from[bone];
            pose.translation += share * (to[bone].translation - from[bone].translation);
            const Vec3 off(noise(random), noise(random), noise(random));
            const Quat turn(Eigen::AngleAxisf(off.norm(), off.normalized()));
            pose.rotation = (from[bone].rotation.slerp(share, to[bone].rotation) * turn).normalized();
            result.transforms.push_back(pose);
        }
    }
    return result;
}

// Where the heel of a leg is, over the floor.
Vec3 heel(const Chart& chart, const Clip& clip, const std::string& leg, std::size_t frame) {
    for (const FootTrack& foot : track_feet(chart, clip)) {
        if (foot.leg != leg) continue;
        const Vec3& at = foot.parts[frame][k_heel];
        return at - at.dot(chart.up) * chart.up;
    }
    FAIL("no such leg");
    return Vec3::Zero();
}

}  // namespace

TEST_CASE("feet stand and knees do not jerk while the source sways") {
    const Clip idle = swaying(workshop::diver().clip("idle"), 0.002f);
    for (unsigned number = 1; number <= 12; ++number) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
        const ClipReview review = review_clip(pairing, idle, Transfer(pairing).apply(idle));
        workshop::check_gates(pairing, review, {"foot_slide_mm", "ground_depth_mm", "float_mm", "pops"});
    }
}

TEST_CASE("a loop that ends a little off its start does so in proportion on any body") {
    const Chart& diver = workshop::diver_chart();
    Clip idle = workshop::diver().clip("idle");
    const auto thigh = static_cast<std::size_t>(diver.find("leg.left")->bones.front());
    const std::size_t last = idle.frame_count() - 1;
    for (std::size_t f = 0; f <= last; ++f) {
        const float share = static_cast<float>(f) / static_cast<float>(last);
        const Quat turn(Eigen::AngleAxisf(0.004f * share, diver.facing));
        Quat& rotation = idle.frame(f)[thigh].rotation;
        rotation = (rotation * turn).normalized();
    }
    REQUIRE(find_loop(diver, idle));
    REQUIRE(find_loop(diver, idle)->closes(idle));
    const Vec3 theirs = heel(diver, idle, "leg.left", last) - heel(diver, idle, "leg.left", 0);
    REQUIRE(theirs.norm() > 0.001f * diver.height);
    for (unsigned number = 1; number <= 4; ++number) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good);
        const Pairing pairing = pair(diver, chart(body.character));
        const Clip result = Transfer(pairing).apply(idle);
        const Vec3 ours =
            heel(pairing.target, result, "leg.left", last) - heel(pairing.target, result, "leg.left", 0);
        const Vec3 wanted = leg_ratio(pairing) * (source_to_target(pairing) * theirs);
        CHECK((ours - wanted).norm() < 0.2f * wanted.norm());
    }
}

TEST_CASE("a loop of few frames a second stays one") {
    const Pairing pairing = pair(workshop::diver_chart(), chart(workshop::deckhand()));
    for (const float fps : {0.25f, 0.5f, 1.0f, 2.0f}) {
        CAPTURE(fps);
        Clip idle = workshop::diver().clip("idle");
        idle.fps = fps;
        REQUIRE(find_loop(workshop::diver_chart(), idle));
        const ClipReview review = review_clip(pairing, idle, Transfer(pairing).apply(idle));
        workshop::check_gates(pairing, review, {"loop_gap_pct", "foot_slide_mm", "direction_error_deg"});
    }
}

TEST_CASE("feet of a noisy capture at 120 frames a second stand when those of the clean clip do") {
    const Chart& diver = workshop::diver_chart();
    const Clip& stroll = workshop::diver().clip("stroll");
    REQUIRE(stroll.fps == doctest::Approx(30.0f));
    const std::vector<FootTrack> clean = track_feet(diver, stroll);
    const std::vector<FootTrack> noisy = track_feet(diver, captured(stroll, 0.001f));
    REQUIRE(clean.size() == noisy.size());
    for (std::size_t i = 0; i < clean.size(); ++i) {
        std::size_t alike = 0;
        for (std::size_t f = 0; f < noisy[i].size(); ++f)
            alike += clean[i].stands(f / 4) == noisy[i].stands(f) ? 1 : 0;
        CHECK(20 * alike > 19 * noisy[i].size());
    }
}
