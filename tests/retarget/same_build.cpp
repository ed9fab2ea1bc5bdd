// Onto another copy of one build every bit of a clip arrives: slides, sizes, helpers.
#include "sticks.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/retarget/lost_motion.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace dendraxis;

namespace {

// Everything that a plain walk does not: a sliding forearm, a head that grows, a root that turns.
Clip wild(const Character& character) {
    return sticks::clip(character, 24, [&](std::size_t f, std::vector<Transform>& pose) {
        const float t = static_cast<float>(f) / 23.0f;
        const auto bone = [&](const char* name) -> Transform& { return sticks::bone(character, pose, name); };
        bone("root").rotation = sticks::turned(40.0f * t, Vec3::UnitY());
        bone("root").translation += Vec3(0.0f, 0.0f, t);
        bone("hips").translation += Vec3(0.1f * t, -0.2f * std::sin(3.0f * t), 0.0f);
        bone("spine_1").rotation = sticks::turned(30.0f * t, Vec3::UnitX());
        bone("spine_2").rotation = sticks::turned(-15.0f * t, Vec3::UnitZ());
        bone("forearm_left").translation += Vec3(0.1f * t, 0.0f, 0.03f);
        bone("forearm_left").rotation = sticks::turned(70.0f * t, Vec3::UnitY());
        bone("thigh_right").rotation = sticks::turned(-50.0f * t, Vec3::UnitX());
        bone("head").scale = Vec3::Constant(1.0f + 0.3f * t);
        bone("toes_left").rotation = sticks::turned(20.0f * t, Vec3::UnitX());
    });
}

// The worst distance between bones of the same name, the result seen `scale` times as large.
float worst(const Character& source, const Clip& clip, const Character& target, const Clip& result,
            float scale = 1.0f) {
    std::vector<Transform> from(source.skeleton.size());
    std::vector<Transform> to(target.skeleton.size());
    float most = 0.0f;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(source.skeleton, clip.frame(f), from);
        to_model_space(target.skeleton, result.frame(f), to);
        for (std::size_t i = 0; i < from.size(); ++i) {
            const int other = target.skeleton.find(source.skeleton.bones()[i].label);
            if (other == k_no_bone) continue;
            most = std::max(
                most, (scale * from[i].translation - to[static_cast<std::size_t>(other)].translation).norm());
        }
    }
    return most;
}

Clip carried(const Character& source, const Clip& clip, const Character& target) {
    return Transfer(pair(chart(source), chart(target))).apply(clip);
}

}  // namespace

TEST_CASE("sliding joints, sizes and all turns arrive on a copy with other axes and another size") {
    const Character figure = sticks::figure({});
    const Clip clip = wild(figure);
    CHECK(worst(figure, clip, figure, carried(figure, clip, figure)) < 1e-5f);
    const Character reaxed = variants::reaxed(figure, 3);
    CHECK(worst(figure, clip, reaxed, carried(figure, clip, reaxed)) < 1e-4f);
    const Character larger = variants::scaled(figure, 1.7f);
    CHECK(worst(figure, clip, larger, carried(figure, clip, larger), 1.7f) < 1e-4f);
    const Clip result = carried(figure, clip, reaxed);
    const auto head = static_cast<std::size_t>(figure.skeleton.find("head"));
    CHECK(result.frame(23)[head].scale.x() == doctest::Approx(1.3f));
    CHECK(lost_motion(pair(chart(figure), chart(reaxed)), clip).empty());
}

TEST_CASE("what steps in the source steps in the target") {
    const Character figure = sticks::figure({});
    const Character larger = variants::scaled(figure, 2.0f);
    const Character other = sticks::figure({.spine_bones = 3, .size = 0.8f, .bent_knees = 0.1f});
    Clip clip = sticks::clip(figure, 24, [&](std::size_t f, std::vector<Transform>& pose) {
        const auto held = static_cast<float>(f / 6);  // four poses of six frames
        sticks::bone(figure, pose, "thigh_left").rotation = sticks::turned(-12.0f * held, Vec3::UnitX());
        sticks::bone(figure, pose, "shin_left").rotation = sticks::turned(15.0f * held, Vec3::UnitX());
        sticks::bone(figure, pose, "hips").translation.y() -= 0.02f * held;
    });
    clip.steps.assign(figure.skeleton.size(), 0);
    const auto thigh = static_cast<std::size_t>(figure.skeleton.find("thigh_left"));
    clip.steps[thigh] = k_rotation_steps;
    const Clip some = Transfer(pair(chart(figure), chart(larger))).apply(clip);
    CHECK(some.holds(thigh, k_rotation_steps));
    CHECK_FALSE(some.holds(thigh + 1, k_rotation_steps));
    CHECK(Transfer(pair(chart(figure), chart(other))).apply(clip).steps ==
          std::vector<std::uint8_t>(other.skeleton.size(), 0));

    clip.steps.assign(figure.skeleton.size(), k_all_steps);
    const Clip held = Transfer(pair(chart(figure), chart(other))).apply(clip);
    CHECK(held.holds(0, k_scale_steps));
    for (std::size_t f = 1; f < 24; ++f) {
        float moved = 0.0f;
        for (std::size_t b = 0; b < held.bone_count; ++b)
            moved += angle_between(held.frame(f)[b].rotation, held.frame(f - 1)[b].rotation) +
                     (held.frame(f)[b].translation - held.frame(f - 1)[b].translation).norm();
        CAPTURE(f);
        CHECK((moved > 0.01f) == (f % 6 == 0));
    }
}

TEST_CASE("slides go as a person says: scaled, carried in metres, or dropped and told") {
    const Character figure = sticks::figure({});
    const Character larger = variants::scaled(figure, 2.0f);
    const Clip clip = wild(figure);
    Pairing pairing = pair(chart(figure), chart(larger));
    // How far the forearm stands off where it hangs at rest, in the last frame.
    const auto slid = [&](const std::string& name) {
        const Clip result = Transfer(pairing).apply_turns(clip);
        const int bone = figure.skeleton.find(name);
        return (result.frame(23)[static_cast<std::size_t>(bone)].translation -
                larger.skeleton.bone(bone).rest.translation)
            .norm();
    };
    const auto grown = [&] {
        const Clip result = Transfer(pairing).apply_turns(clip);
        return result.frame(23)[static_cast<std::size_t>(figure.skeleton.find("head"))].scale.x();
    };
    const float of_source = Vec3(0.1f, 0.0f, 0.03f).norm();
    CHECK(slid("forearm_left") == doctest::Approx(2.0f * of_source).epsilon(1e-3));
    pairing.settings.positions = {{"moved", "arm.*", Positions::carried}, {"*", "*", Positions::dropped}};
    CHECK(slid("forearm_left") == doctest::Approx(of_source).epsilon(1e-3));
    CHECK(grown() == doctest::Approx(1.0f));
    CHECK(slid("hips") > 0.1f);  // the body's way is no slide
    pairing.settings.positions = {{"other", "*", Positions::carried},
                                  {"mov*", "arm.left", Positions::dropped}};
    CHECK(slid("forearm_left") < 1e-5f);
    CHECK(grown() == doctest::Approx(1.3f));
    const Findings lost = lost_motion(pairing, clip);
    REQUIRE(lost.size() == 1);
    CHECK(lost.front().code == "retarget.slide-not-carried");
    CHECK(lost.front().message.find("forearm_left (5.") != std::string::npos);
    pairing.settings.positions = {{"*", "*", Positions::scaled}};
    CHECK(worst(figure, clip, larger, Transfer(pairing).apply(clip), 2.0f) < 1e-4f);
}

TEST_CASE("bones that were split or merged keep the others where they were") {
    const Character figure = sticks::figure({.spine_bones = 3});
    const Clip clip = wild(figure);
    const Character cut = sticks::split(sticks::split(figure, "spine_2"), "forearm_right");
    CHECK(worst(figure, clip, cut, carried(figure, clip, cut)) < 1e-5f);
    const Character fewer = sticks::merged(figure, "spine_2");
    CHECK(worst(figure, clip, fewer, carried(figure, clip, fewer)) < 1e-4f);
}

TEST_CASE("feet that hang below the root are carried, also where they were posed otherwise at rest") {
    const Character figure = sticks::figure({.loose_feet = true});
    Character spread = figure;
    std::vector<Bone> bones(figure.skeleton.bones().begin(), figure.skeleton.bones().end());
    std::vector<Transform> model = rest_in_model_space(figure.skeleton);
    // The whole left leg turned out about its hip, its foot along with it.
    const Vec3 hip = model[static_cast<std::size_t>(figure.skeleton.find("thigh_left"))].translation;
    const Quat out = sticks::turned(10.0f, Vec3::UnitZ());
    for (const char* name : {"thigh_left", "shin_left", "foot_left", "toes_left", "toes_end_left"}) {
        Transform& bone = model[static_cast<std::size_t>(figure.skeleton.find(name))];
        bone.translation = hip + out * (bone.translation - hip);
        bone.rotation = out * bone.rotation;
    }
    for (std::size_t i = 0; i < bones.size(); ++i) {
        bones[i].rest = bones[i].parent == k_no_bone
                            ? model[i]
                            : inverse(model[static_cast<std::size_t>(bones[i].parent)]) * model[i];
    }
    spread.skeleton = Skeleton(bones);
    const Clip clip = sticks::clip(figure, 10, [&](std::size_t f, std::vector<Transform>& pose) {
        sticks::bone(figure, pose, "foot_left").translation +=
            Vec3(0.0f, 0.01f * static_cast<float>(f), 0.02f);
        sticks::bone(figure, pose, "shin_left").rotation =
            sticks::turned(3.0f * static_cast<float>(f), Vec3::UnitX());
    });
    CHECK(worst(figure, clip, spread, carried(figure, clip, spread)) < 1e-4f);
}

TEST_CASE("no pass touches a copy") {
    const Character& diver = workshop::diver();
    const Transfer transfer(pair(chart(diver), chart(variants::scaled(variants::renamed(diver), 0.5f))));
    for (const Clip& clip : diver.clips) {
        const Clip whole = transfer.apply(clip);
        const Clip turned = transfer.apply_turns(clip);
        float most = 0.0f;
        for (std::size_t i = 0; i < whole.transforms.size(); ++i)
            most = std::max(most, angle_between(whole.transforms[i].rotation, turned.transforms[i].rotation));
        CHECK(most < 1e-3f);
    }
}

TEST_CASE("twist bones of one build do as the source's do, not as they would be fed") {
    const Character& bosun = workshop::bosun();
    const Chart charted = chart(bosun);
    const Clip clip = sticks::clip(bosun, 3, [&](std::size_t f, std::vector<Transform>& pose) {
        for (const Helper& helper : charted.helpers) {
            Transform& bone = pose[static_cast<std::size_t>(helper.bone)];
            if (helper.kind == HelperKind::twist)
                bone.rotation = bone.rotation * sticks::turned(15.0f * static_cast<float>(f), Vec3::UnitY());
        }
    });
    const Clip result = Transfer(pair(charted, charted)).apply(clip);
    float most = 0.0f;
    for (std::size_t i = 0; i < clip.transforms.size(); ++i)
        most = std::max(most, angle_between(clip.transforms[i].rotation, result.transforms[i].rotation));
    CHECK(most < 1e-3f);
}

TEST_CASE("a clip keeps when it starts") {
    const Character figure = sticks::figure({});
    Clip clip = wild(figure);
    clip.start = 0.75f;
    CHECK(carried(figure, clip, figure).start == 0.75f);
}

TEST_CASE("the review of one build looks joint by joint") {
    const Character figure = sticks::figure({});
    const Pairing pairing = pair(chart(figure), chart(variants::reaxed(figure, 9)));
    const Clip clip = wild(figure);
    Clip result = Transfer(pairing).apply(clip);
    const ClipReview right = review_clip(pairing, clip, result);
    CHECK(right["joint_error_pct"].value < 0.01f);
    CHECK(judge(pairing, {right}).passed);
    const int shin = pairing.target.skeleton.find("shin_left");
    for (std::size_t f = 5; f < 9; ++f) {
        Quat& local = result.frame(f)[static_cast<std::size_t>(shin)].rotation;
        local = local * sticks::turned(8.0f, Vec3(0.6f, 0.0f, 0.8f));
    }
    const Review wrong = judge(pairing, {review_clip(pairing, clip, result)});
    CHECK_FALSE(wrong.passed);
    REQUIRE(wrong.findings.size() == 1);
    CHECK(wrong.findings.front().code == "review.joint");
    CHECK(wrong.findings.front().where.find("left") != std::string::npos);
}

TEST_CASE("a chain that a person pairs otherwise is not carried as its build says") {
    const Character figure = sticks::figure({});
    Pairing pairing = pair(chart(figure), chart(figure));
    std::erase_if(pairing.chains, [](const ChainPair& entry) { return entry.target == "arm.left"; });
    const Clip result = Transfer(pairing).apply(wild(figure));
    // Nor is what hangs below it pulled off.
    const auto end = static_cast<std::size_t>(figure.skeleton.find("hand_end_left"));
    CHECK((result.frame(20)[end].translation - figure.skeleton.bones()[end].rest.translation).norm() < 1e-5f);
    const auto forearm = static_cast<std::size_t>(figure.skeleton.find("forearm_left"));
    CHECK(angle_between(result.frame(20)[forearm].rotation, figure.skeleton.bones()[forearm].rest.rotation) <
          1e-4f);
}
