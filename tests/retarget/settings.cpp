// What a person may set in a pairing or a sheet, and what comes of it.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/mend.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <limits>

using namespace dendraxis;

namespace {

Pairing lowered_pairing() {
    return pair(chart(workshop::diver()), chart(variants::arms_lowered(workshop::diver(), 40.0f)));
}

Vec3 position(const Chart& chart, std::span<const Transform> pose, const char* chain, std::size_t index) {
    std::vector<Transform> model(chart.skeleton.size());
    to_model_space(chart.skeleton, pose, model);
    return model[static_cast<std::size_t>(chart.find(chain)->bones[index])].translation;
}

// How far the left upper arm hangs below level.
float arm_drop(const Chart& chart, std::span<const Transform> pose) {
    const Vec3 upper = position(chart, pose, "arm.left", 1) - position(chart, pose, "arm.left", 0);
    return -std::asin(upper.normalized().dot(chart.up)) * k_degrees;
}

Clip rest_clip(const Chart& chart) {
    return {"rest", 30.0f, chart.skeleton.size(), rest_pose(chart.skeleton)};
}

}  // namespace

TEST_CASE("a chain's strength says how much of the stance is matched") {
    Pairing pairing = lowered_pairing();
    const Clip rest = rest_clip(pairing.source);
    CHECK(arm_drop(pairing.target, Transfer(pairing).apply(rest).frame(0)) ==
          doctest::Approx(0.0).epsilon(0.5));
    for (ChainPair& entry : pairing.chains) entry.strength = entry.target == "arm.left" ? 0.5f : 1.0f;
    CHECK(arm_drop(pairing.target, Transfer(pairing).apply(rest).frame(0)) ==
          doctest::Approx(20.0).epsilon(0.05));
    for (ChainPair& entry : pairing.chains) entry.strength = entry.target == "arm.left" ? 0.0f : 1.0f;
    CHECK(arm_drop(pairing.target, Transfer(pairing).apply(rest).frame(0)) ==
          doctest::Approx(40.0).epsilon(0.05));
}

TEST_CASE("fingers of an arm that is left out rest with it") {
    Pairing pairing = pair(workshop::diver_chart(), chart(workshop::bosun()));
    std::erase_if(pairing.chains, [](const ChainPair& entry) { return entry.target == "arm.right"; });
    const Clip result = Transfer(pairing).apply(workshop::diver().clip("wave-lantern"));
    const Chart& target = pairing.target;
    for (const char* chain : {"arm.right", "thumb.right", "index.right"}) {
        REQUIRE(target.find(chain) != nullptr);
        for (const int bone : target.find(chain)->bones) {
            const Quat& rest = target.skeleton.bone(bone).rest.rotation;
            for (std::size_t f = 0; f < result.frame_count(); ++f)
                CHECK(result.frame(f)[static_cast<std::size_t>(bone)].rotation.angularDistance(rest) < 0.01f);
        }
    }
    const int thumb = target.find("thumb.left")->bones.front();
    CHECK(result.frame(30)[static_cast<std::size_t>(thumb)].rotation.angularDistance(
              target.skeleton.bone(thumb).rest.rotation) > 0.01f);
}

TEST_CASE("bones turned by hand, in the pairing or as a stance of the sheet") {
    Pairing pairing = lowered_pairing();
    const Clip rest = rest_clip(pairing.source);
    const std::string upper = pairing.target.skeleton.bone(pairing.target.find("arm.left")->bones[0]).label;
    pairing.settings.turns = {{upper, Vec3(0, 0, 15)}};
    CHECK(arm_drop(pairing.target, Transfer(pairing).apply(rest).frame(0)) ==
          doctest::Approx(-15.0).epsilon(0.05));
    pairing.settings.turns.clear();
    pairing.target.stances["carry"] = {{upper, Vec3(0, 0, -25)}};
    pairing.settings.target_stance = "carry";
    CHECK(arm_drop(pairing.target, Transfer(pairing).apply(rest).frame(0)) ==
          doctest::Approx(25.0).epsilon(0.05));
    pairing.settings.target_stance = "cary";
    CHECK_THROWS_AS(Transfer{pairing}, Error);
    pairing.settings.target_stance = "";
    pairing.settings.turns = {{"no_bone", Vec3::Zero()}};
    CHECK_THROWS_AS(Transfer{pairing}, Error);
}

TEST_CASE("a source that rests oddly is matched by a pose of its own") {
    // The same diver whose rest has hanging arms, as source: matched by the frame of a clip in which she
    // stands in the T stance, she moves the diver as the diver moves.
    const Character lowered = variants::arms_lowered(workshop::diver(), 60.0f);
    const Clip& clip = workshop::diver().clip("stroll");
    const Clip own = Transfer(pair(chart(workshop::diver()), chart(lowered))).apply(clip);
    Pairing pairing = pair(chart(lowered), chart(workshop::diver()));
    const Clip t_stance =
        Transfer(pair(chart(workshop::diver()), chart(lowered))).apply(rest_clip(chart(workshop::diver())));
    pairing.source_stance.assign(t_stance.frame(0).begin(), t_stance.frame(0).end());
    const Clip back = Transfer(pairing).apply(own);
    CHECK(variants::worst_distance(workshop::diver().skeleton, clip, workshop::diver().skeleton, back) <
          1e-3f);
}

TEST_CASE("travel by rule: scaled, copied, in place") {
    Pairing pairing = pair(chart(workshop::diver()), chart(workshop::deckhand()));
    const Clip& stroll = workshop::diver().clip("stroll");
    const auto distance = [&](const Clip& clip, const Chart& who) {
        std::vector<Transform> model(who.skeleton.size());
        to_model_space(who.skeleton, clip.frame(0), model);
        const Vec3 start = model[static_cast<std::size_t>(who.hips)].translation;
        to_model_space(who.skeleton, clip.frame(66), model);
        const Vec3 moved = model[static_cast<std::size_t>(who.hips)].translation - start;
        return moved.dot(who.facing);
    };
    const float source_path = distance(stroll, pairing.source);
    CHECK(distance(Transfer(pairing).apply(stroll), pairing.target) ==
          doctest::Approx(leg_ratio(pairing) * source_path).epsilon(1e-3));
    pairing.settings.root_motion = {{"str*", RootMotion::copied}};
    CHECK(distance(Transfer(pairing).apply(stroll), pairing.target) ==
          doctest::Approx(source_path).epsilon(1e-3));
    pairing.settings.root_motion = {{"idle", RootMotion::copied}, {"*", RootMotion::in_place}};
    const Clip placed = Transfer(pairing).apply(stroll);
    CHECK(std::abs(distance(placed, pairing.target)) < 0.1e-3f);
    // Its feet run backward with the floor: no slide is seen.
    const ClipReview review = review_clip(pairing, stroll, placed);
    CHECK(review["foot_slide_mm"].value < 3.0f);
    CHECK(review["root_motion_error_pct"].value < 0.1f);
    CHECK(fits_pattern("walk-01", "w*k-*1"));
    CHECK_FALSE(fits_pattern("walk-01", "w*x"));
}

TEST_CASE("a root that the source does not have follows a smooth path under the hips") {
    const Clip carried = Transfer(pair(chart(workshop::diver()), chart(workshop::deckhand())))
                             .apply(workshop::diver().clip("stroll"));
    const Pairing pairing = pair(chart(workshop::deckhand()), chart(workshop::bosun()));
    const Clip result = Transfer(pairing).apply(carried);
    const Chart& who = pairing.target;
    std::vector<Transform> model(who.skeleton.size());
    float before = 0.0f;
    for (std::size_t f = 0; f < result.frame_count(); ++f) {
        to_model_space(who.skeleton, result.frame(f), model);
        const Vec3 ground = model[static_cast<std::size_t>(who.root)].translation;
        const Vec3 hips = model[static_cast<std::size_t>(who.hips)].translation;
        const Vec3 apart = hips - ground;
        CHECK((apart - apart.dot(who.up) * who.up).norm() < 0.12f);
        const float along = ground.dot(who.facing);
        if (f > 0) CHECK(along - before == doctest::Approx(0.0228).epsilon(0.12));
        before = along;
    }
}

TEST_CASE("contacts set by hand, an offset, passes switched off") {
    Pairing pairing = pair(chart(workshop::diver()), chart(workshop::bosun()));
    const Clip& stroll = workshop::diver().clip("stroll");
    pairing.settings.contacts = {{"stroll", "leg.left", 5, 12}};
    const auto feet = track_feet(pairing.source, stroll, pairing.settings.contacts);
    for (std::size_t f = 0; f < stroll.frame_count(); ++f) CHECK(feet[0].stands(f) == (f >= 5 && f <= 12));
    // The other foot is still found: it neither always stands nor never.
    std::size_t standing = 0;
    for (std::size_t f = 0; f < stroll.frame_count(); ++f) standing += feet[1].stands(f) ? 1 : 0;
    CHECK(standing > stroll.frame_count() / 2);
    CHECK(standing < stroll.frame_count());

    const Clip& idle = workshop::diver().clip("idle");
    const Clip plain = Transfer(pairing).apply(idle);
    pairing.settings.offsets = {{"arm.left", Vec3(0.03f, 0.06f, 0.02f)}};
    const Clip moved = Transfer(pairing).apply(idle);
    const Vec3 by = position(pairing.target, moved.frame(30), "arm.left", 2) -
                    position(pairing.target, plain.frame(30), "arm.left", 2);
    CHECK((pairing.target.to_upright() * by - Vec3(0.03f, 0.06f, 0.02f)).norm() < 0.002f);

    pairing.settings = {};
    pairing.settings.feet = pairing.settings.hands = pairing.settings.clearance = pairing.settings.ranges =
        false;
    const Transfer bare(pairing);
    const Clip a = bare.apply(stroll);
    const Clip b = bare.apply_turns(stroll);
    for (std::size_t i = 0; i < a.transforms.size(); ++i)
        CHECK(angle_between(a.transforms[i].rotation, b.transforms[i].rotation) < 1e-4f);
}

TEST_CASE("a hand on the body stays on it when proportions change") {
    const Pairing pairing = pair(chart(workshop::diver()), chart(workshop::deckhand()));
    const Clip& crouch = workshop::diver().clip("crouch");
    const Clip result = Transfer(pairing).apply(crouch);
    const auto gap = [](const Chart& who, const Clip& clip) {
        std::vector<Transform> model(who.skeleton.size());
        to_model_space(who.skeleton, clip.frame(48), model);
        float least = 1e30f;
        for (const ArmShape& arm : who.shape.arms) {
            if (arm.arm != "arm.right") continue;
            for (const Solid& solid : who.shape.solids) {
                if (solid.part != "thigh.right") continue;
                const Capsule capsule = placed(solid.capsule, model[static_cast<std::size_t>(solid.bone)]);
                least = std::min(least,
                                 nearest_on(capsule, position_of(arm.palm(), model)).gap - arm.palm().radius);
            }
        }
        return least;
    };
    CHECK(std::abs(gap(pairing.source, crouch)) < 0.01f);
    CHECK(std::abs(gap(pairing.target, result)) < 0.01f);
    CHECK(std::abs(gap(pairing.target, Transfer(pairing).apply_turns(crouch))) > 0.02f);
}

TEST_CASE("ranges of the sheet are kept, softly") {
    Pairing pairing = pair(chart(workshop::diver()), chart(workshop::deckhand()));
    const int forearm = pairing.target.find("arm.left")->bones[1];
    const float degree = 1.0f / k_degrees;
    pairing.target.ranges = {
        {forearm, range_of(pairing.target, forearm, {-10 * degree, 10 * degree}, {-12 * degree, 12 * degree},
                           {-12 * degree, 12 * degree}, Vec3::Zero())}};
    const Clip& clip = workshop::diver().clip("stroll");
    const ClipReview kept = review_clip(pairing, clip, Transfer(pairing).apply(clip));
    CHECK(kept["range_overshoot_deg"].value < 0.1f);
    pairing.settings.ranges = false;
    const ClipReview beyond = review_clip(pairing, clip, Transfer(pairing).apply(clip));
    CHECK(beyond["range_overshoot_deg"].value > 5.0f);
    CHECK(beyond["range_overshoot_deg"].where == pairing.target.skeleton.bone(forearm).label);
}

TEST_CASE("clips that are broken are mended and told, or refused") {
    const Skeleton& skeleton = workshop::diver().skeleton;
    Clip clip = workshop::diver().clip("idle");
    CHECK(mend_clip(skeleton, clip).empty());
    clip.fps = 0.0f;
    clip.frame(3)[5].translation.x() = std::numeric_limits<float>::quiet_NaN();
    clip.frame(4)[6].rotation.coeffs() *= 1.5f;
    const Findings findings = mend_clip(skeleton, clip);
    REQUIRE(findings.size() == 3);
    CHECK(clip.fps == 30.0f);
    CHECK(clip.frame(3)[5].translation == clip.frame(2)[5].translation);
    CHECK(clip.frame(4)[6].rotation.norm() == doctest::Approx(1.0));
    CHECK(mend_clip(skeleton, clip).empty());
    Clip none{"none", 30.0f, skeleton.size(), {}};
    CHECK_THROWS_AS(mend_clip(skeleton, none), Error);
    // One frame is a clip too.
    const Pairing pairing = pair(chart(workshop::diver()), chart(workshop::bosun()));
    const Clip one = Transfer(pairing).apply(rest_clip(pairing.source));
    CHECK(one.frame_count() == 1);
    CHECK(review_clip(pairing, rest_clip(pairing.source), one)["foot_slide_mm"].value < 1.0f);
}

TEST_CASE("a source without legs, a target without arms") {
    Character legless = workshop::diver();
    Pairing pairing = pair(chart(legless), chart(workshop::bosun()));
    std::erase_if(pairing.source.chains, [](const Chain& chain) {
        return chain.name.starts_with("leg") || chain.name.starts_with("toes");
    });
    pairing.source.shape.soles.clear();
    std::erase_if(pairing.target.chains, [](const Chain& chain) { return chain.name.starts_with("arm"); });
    pairing.target.shape.arms.clear();
    pairing = pair(pairing.source, pairing.target);
    CHECK(std::count_if(pairing.findings.begin(), pairing.findings.end(),
                        [](const Finding& f) { return f.code == "pair.leftover"; }) == 4);
    const Clip result = Transfer(pairing).apply(workshop::diver().clip("crouch"));
    for (const Transform& transform : result.transforms) CHECK(transform.rotation.coeffs().allFinite());
}

TEST_CASE("twist bones share their limb's twist, and go on over half a turn") {
    const Pairing pairing = pair(chart(workshop::diver()), chart(workshop::bosun()));
    const Skeleton& source = workshop::diver().skeleton;
    const auto hand = static_cast<std::size_t>(source.find("hand_left"));
    const auto bone = [&](const char* name) {
        return static_cast<std::size_t>(pairing.target.skeleton.find(name));
    };
    Clip clip{"twist", 30.0f, source.size(), {}};
    // The wrist is turned about the forearm (its local +Y) up to 200 degrees.
    for (int f = 0; f <= 20; ++f) {
        std::vector<Transform> pose = rest_pose(source);
        const Vec3 axis = pose[hand].translation.normalized();
        pose[hand].rotation =
            Quat(Eigen::AngleAxisf(static_cast<float>(10 * f) / k_degrees, axis)) * pose[hand].rotation;
        clip.transforms.insert(clip.transforms.end(), pose.begin(), pose.end());
    }
    const Clip result = Transfer(pairing).apply(clip);
    const auto turned = [&](std::size_t f, const char* name) {
        return angle_between(result.frame(0)[bone(name)].rotation, result.frame(f)[bone(name)].rotation) *
               k_degrees;
    };
    CHECK(turned(9, "Bo.L.LoArmTwist") == doctest::Approx(45.0).epsilon(0.05));
    CHECK(turned(17, "Bo.L.LoArmTwist") == doctest::Approx(85.0).epsilon(0.05));
    CHECK(turned(20, "Bo.L.LoArmTwist") == doctest::Approx(100.0).epsilon(0.05));
    CHECK(turned(20, "Bo.R.LoArmTwist") < 0.1f);
    CHECK(turned(20, "Bo.L.UpArmTwist") < 0.1f);
}
