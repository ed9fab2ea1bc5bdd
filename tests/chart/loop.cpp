// Clips that repeat themselves, and that they still do when they were carried.
#include "sticks.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/chart/loop.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace dendraxis;

namespace {

// A figure that swings its arms and goes round a circle: so far and about so much in a round.
Clip walk_round(const Character& character, std::size_t frames, float meters, float degrees) {
    return sticks::clip(character, frames, [&](std::size_t f, std::vector<Transform>& pose) {
        const float share = static_cast<float>(f) / 30.0f;
        const Quat turn(Eigen::AngleAxisf(share * degrees / k_degrees, Vec3::UnitY()));
        Transform& hips = sticks::bone(character, pose, "hips");
        hips.translation +=
            turn * Vec3(0.0f, 0.02f * std::sin(4.0f * k_pi * share), 0.0f) + Vec3(0.0f, 0.0f, share * meters);
        hips.rotation = turn * hips.rotation;
        Transform& arm = sticks::bone(character, pose, "upper_arm_left");
        arm.rotation =
            Quat(Eigen::AngleAxisf(0.5f * std::sin(2.0f * k_pi * share), Vec3::UnitX())) * arm.rotation;
    });
}

}  // namespace

TEST_CASE(
    "a loop is found with what it goes by, whether its last pose is its first again or comes before it") {
    const Character figure = sticks::figure({});
    const Chart chart = dendraxis::chart(figure);
    for (const auto& [frames, closes] :
         {std::pair(std::size_t{31}, true), std::pair(std::size_t{30}, false)}) {
        for (const auto& [meters, degrees] :
             {std::pair(0.0f, 0.0f), std::pair(1.2f, 0.0f), std::pair(0.8f, 40.0f)}) {
            CAPTURE(frames);
            CAPTURE(meters);
            const Clip clip = walk_round(figure, frames, meters, degrees);
            const auto loop = find_loop(chart, clip);
            REQUIRE(loop.has_value());
            CHECK(loop->closes(clip) == closes);
            CHECK(loop->period == 30);
            CHECK(angle_between(loop->step.rotation, Quat::Identity()) * k_degrees ==
                  doctest::Approx(degrees).epsilon(0.03));
            const Vec3 hips = figure.skeleton.bone(chart.hips).rest.translation;
            CHECK((apply(loop->step, hips) - hips).norm() == doctest::Approx(meters).epsilon(0.03));
        }
    }
    CHECK_FALSE(find_loop(chart, walk_round(figure, 20, 1.2f, 0.0f)).has_value());
    CHECK_FALSE(find_loop(chart, walk_round(figure, 2, 0.0f, 0.0f)).has_value());
    const Character& diver = workshop::diver();
    for (const Clip& clip : diver.clips) {
        CAPTURE(clip.name);
        CHECK(find_loop(workshop::diver_chart(), clip).has_value() == (clip.name != "hop-down"));
    }
}

TEST_CASE("unrolled, a loop goes on without a step, before and after") {
    const Character& diver = workshop::diver();
    const Chart& chart = workshop::diver_chart();
    const Clip& stroll = diver.clip("stroll");
    const auto loop = find_loop(chart, stroll);
    REQUIRE(loop.has_value());
    const Clip longer = unrolled(chart, stroll, *loop, 100, 40);
    REQUIRE(longer.frame_count() == stroll.frame_count() + 140);
    std::vector<Transform> model(longer.bone_count);
    Vec3 before = Vec3::Zero();
    float most = 0.0f;
    float least = 1.0f;
    for (std::size_t f = 0; f < longer.frame_count(); ++f) {
        to_model_space(diver.skeleton, longer.frame(f), model);
        const Vec3& hips = model[static_cast<std::size_t>(chart.hips)].translation;
        const float way = (hips - before).norm();
        if (f > 0) most = std::max(most, way), least = std::min(least, way);
        before = hips;
    }
    CHECK(most < 0.06f);
    CHECK(least > 0.02f);
}

TEST_CASE("a loop that was carried to another body is a loop, and the review tells one that is not") {
    const Character& diver = workshop::diver();
    for (const Character* target : {&workshop::bosun(), &workshop::deckhand()}) {
        const Pairing pairing = pair(workshop::diver_chart(), chart(*target));
        const Transfer transfer(pairing);
        for (const char* name : {"stroll", "stroll-in-place", "haul-rope"}) {
            CAPTURE(name);
            Clip result = transfer.apply(diver.clip(name));
            CHECK(loop_gap(pairing.target, result).distance < 1e-3f * pairing.target.height);
            CHECK(review_clip(pairing, diver.clip(name), result)["loop_gap_pct"].value < 0.1f);
            Transform& thigh =
                result.frame(result.frame_count() -
                             1)[static_cast<std::size_t>(pairing.target.find("leg.left")->bones.front())];
            thigh.rotation =
                thigh.rotation * Quat(Eigen::AngleAxisf(0.3f, Vec3(1.0f, 1.0f, 1.0f).normalized()));
            const ClipReview open = review_clip(pairing, diver.clip(name), result);
            CHECK(open["loop_gap_pct"].value > 1.0f);
            CHECK(over_gate(pairing, open, open["loop_gap_pct"]).has_value());
        }
        const Clip hop = transfer.apply(diver.clip("hop-down"));
        CHECK(review_clip(pairing, diver.clip("hop-down"), hop)["loop_gap_pct"].frame < 0);
    }
}

TEST_CASE("contacts set by hand count in the frames that they name, in a loop as in a clip that is none") {
    const Clip& stroll = workshop::diver().clip("stroll");
    Clip cut = stroll;  // no loop any more
    cut.transforms.resize((stroll.frame_count() - 12) * stroll.bone_count);
    Pairing pairing = pair(workshop::diver_chart(), chart(workshop::bosun()));
    REQUIRE_FALSE(find_loop(pairing.source, cut).has_value());
    const std::vector<FootTrack> feet = track_feet(pairing.source, stroll);
    const FootTrack& left = feet.front();
    int last = 20;
    while (!left.stands(static_cast<std::size_t>(last)) || left.stands(static_cast<std::size_t>(last + 1)))
        ++last;
    const int toes = pairing.target.find("toes.left")->bones.front();
    const auto toes_in = [&](const Clip& clip) {
        const Clip result = Transfer(pairing).apply(clip);
        std::vector<Transform> model(result.bone_count);
        to_model_space(pairing.target.skeleton, result.frame(static_cast<std::size_t>(last)), model);
        return model[static_cast<std::size_t>(toes)].translation;
    };
    const Vec3 found = toes_in(stroll);
    // The foot leaves the floor four frames later than it does.
    for (int f = 0; f < static_cast<int>(stroll.frame_count()); ++f) {
        if (left.stands(static_cast<std::size_t>(f)) || (f > last && f <= last + 4))
            pairing.settings.contacts.push_back({"stroll", left.leg, f, f});
    }
    CHECK((toes_in(stroll) - found).norm() > 0.003f);
    CHECK((toes_in(stroll) - toes_in(cut)).norm() < 0.0005f);
}
