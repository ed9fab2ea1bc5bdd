// Between different builds: the body goes where it goes, and limbs point where the source's point.
#include "crowd.hpp"
#include "sticks.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/retarget/lost_motion.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace dendraxis;

namespace {

// Without skin nothing ties a foot to its shin that hangs elsewhere; a person says so.
Chart charted(const Character& character) {
    Chart result = chart(character);
    for (const std::string side : {"left", "right"}) {
        std::erase_if(result.chains, [&](const Chain& chain) {
            return chain.name == "leg." + side || chain.name.starts_with("loose");
        });
        Chain leg{"leg." + side, {}, 1.0f, {}, 1};
        for (const char* part : {"thigh_", "thigh_2_", "thigh_3_", "shin_", "foot_"}) {
            const int bone = character.skeleton.find(part + side);
            if (std::string(part) == "shin_") leg.lower = leg.bones.size();
            if (bone != k_no_bone) leg.bones.push_back(bone);
        }
        result.chains.push_back(leg);
    }
    return result;
}

struct Stage {
    Stage(Character from, Character to,
          const std::function<void(std::size_t, std::vector<Transform>&, const Character&)>& move)
        : source(std::move(from)),
          target(std::move(to)),
          clip(sticks::clip(source, 12,
                            [&](std::size_t f, std::vector<Transform>& pose) { move(f, pose, source); })),
          pairing(pair(charted(source), charted(target))),
          result(Transfer(pairing).apply_turns(clip)),
          whole(Transfer(pairing).apply(clip)) {}

    // The worst angle between a segment of both, named by the bones at its ends.
    float angle(const std::string& from, const std::string& to) const { return angle(result, from, to); }

    float angle(const Clip& moved, const std::string& from, const std::string& to) const {
        float most = 0.0f;
        for (std::size_t f = 0; f < clip.frame_count(); ++f) {
            const Vec3 a = at(source, clip, f, to) - at(source, clip, f, from);
            const Vec3 b = at(target, moved, f, to) - at(target, moved, f, from);
            most = std::max(most, std::atan2(a.cross(b).norm(), a.dot(b)) * k_degrees);
        }
        return most;
    }

    static Vec3 at(const Character& character, const Clip& moved, std::size_t frame,
                   const std::string& bone) {
        std::vector<Transform> model(character.skeleton.size());
        to_model_space(character.skeleton, moved.frame(frame), model);
        return model[static_cast<std::size_t>(character.skeleton.find(bone))].translation;
    }

    Character source;
    Character target;
    Clip clip;
    Pairing pairing;
    Clip result;  // by turning alone
    Clip whole;   // with all passes
};

void walk(std::size_t f, std::vector<Transform>& pose, const Character& who) {
    const float swing = 25.0f * std::sin(0.5f * static_cast<float>(f));
    sticks::bone(who, pose, "thigh_left").rotation = sticks::turned(swing, Vec3::UnitX());
    sticks::bone(who, pose, "thigh_right").rotation = sticks::turned(-swing, Vec3::UnitX());
    sticks::bone(who, pose, "shin_left").rotation = sticks::turned(20.0f + swing / 2.0f, Vec3::UnitX());
    sticks::bone(who, pose, "upper_arm_right").rotation =
        sticks::turned(60.0f, Vec3::UnitZ()) * sticks::turned(swing, Vec3::UnitY());
    sticks::bone(who, pose, "spine_1").rotation = sticks::turned(swing / 3.0f, Vec3::UnitX());
    sticks::bone(who, pose, "spine_2").rotation = sticks::turned(swing / 3.0f, Vec3::UnitX());
}

}  // namespace

TEST_CASE("a control that rests turned by half a turn and is turned back does not fold the target") {
    const Stage stage(sticks::figure({.control = true}),
                      sticks::figure({.spine_bones = 3, .bent_knees = 0.12f}),
                      [](std::size_t f, std::vector<Transform>& pose, const Character& who) {
                          walk(f, pose, who);
                          // The control goes to where its children's rests undo nothing, and they make up for
                          // it.
                          Transform& control = sticks::bone(who, pose, "body_control");
                          Transform& hips = sticks::bone(who, pose, "hips");
                          hips.rotation = control.rotation * hips.rotation;
                          control.rotation = Quat::Identity();
                      });
    CHECK(stage.angle("hips", "head") < 3.0f);
    CHECK(stage.angle("thigh_left", "shin_left") < 0.5f);
}

TEST_CASE("a thigh of three bones and one of one point alike, both ways") {
    const Character one = sticks::figure({.spine_bones = 3, .bent_knees = 0.1f});
    const Character three = sticks::figure({.thigh_bones = 3, .size = 1.3f});
    for (const auto& [from, to] : {std::pair(one, three), std::pair(three, one)}) {
        const Stage stage(from, to, walk);
        CHECK_FALSE(stage.pairing.is_same_build());
        for (const char* side : {"_left", "_right"}) {
            CAPTURE(side);
            CHECK(stage.angle(std::string("thigh") + side, std::string("shin") + side) < 0.1f);
            CHECK(stage.angle(std::string("shin") + side, std::string("foot") + side) < 0.1f);
            CHECK(stage.angle(std::string("upper_arm") + side, std::string("forearm") + side) < 0.1f);
        }
    }
}

TEST_CASE("the trunk leans as the source's, whatever the number of its bones") {
    for (const int bones : {0, 1, 2, 5}) {  // of none the hips are all the trunk
        CAPTURE(bones);
        const Stage stage(sticks::figure({.spine_bones = 3}),
                          sticks::figure({.spine_bones = bones, .size = 0.8f, .bent_knees = 0.1f}), walk);
        CHECK(stage.angle(stage.whole, "hips", "head") < 3.0f);
    }
}

TEST_CASE("where the source's joints slide, the target's limbs still point there") {
    const Stage stage(sticks::figure({.loose_feet = true}),
                      sticks::figure({.spine_bones = 3, .bent_knees = 0.1f}),
                      [](std::size_t f, std::vector<Transform>& pose, const Character& who) {
                          walk(f, pose, who);
                          sticks::bone(who, pose, "foot_left").translation +=
                              Vec3(0.05f, 0.02f * static_cast<float>(f), 0.2f);
                          sticks::bone(who, pose, "forearm_left").translation += Vec3(0.0f, 0.0f, 0.15f);
                      });
    CHECK(stage.angle("shin_left", "foot_left") < 0.1f);
    CHECK(stage.angle("upper_arm_left", "forearm_left") < 0.1f);
}

TEST_CASE("where a joint slides through the one before, the target's limb does not whip around") {
    const Stage stage(sticks::figure({}), sticks::figure({.spine_bones = 3, .bent_knees = 0.1f}),
                      [](std::size_t f, std::vector<Transform>& pose, const Character& who) {
                          Transform& forearm = sticks::bone(who, pose, "forearm_left");
                          const float through = 1.0f - 2.0f * static_cast<float>(f) / 11.0f;
                          forearm.translation = through * forearm.translation + Vec3(0.0f, 0.0f, 0.01f);
                      });
    const auto direction = [&](const Character& who, const Clip& moved, std::size_t f) -> Vec3 {
        return (Stage::at(who, moved, f, "forearm_left") - Stage::at(who, moved, f, "upper_arm_left"))
            .normalized();
    };
    const auto fastest = [&](const Character& who, const Clip& moved) {
        float most = 0.0f;
        for (std::size_t f = 1; f < moved.frame_count(); ++f)
            most = std::max(most, k_degrees * std::acos(std::clamp(
                                                  direction(who, moved, f - 1).dot(direction(who, moved, f)),
                                                  -1.0f, 1.0f)));
        return most;
    };
    CHECK(fastest(stage.source, stage.clip) > 120.0f);
    CHECK(fastest(stage.target, stage.result) > 120.0f);  // frame by frame nobody knows what comes
    CHECK(fastest(stage.target, stage.whole) < 55.0f);
    for (const std::size_t f : {0, 1, 2, 9, 10, 11}) {
        CAPTURE(f);
        CHECK((direction(stage.source, stage.clip, f) - direction(stage.target, stage.whole, f)).norm() <
              0.01f);
    }
}

TEST_CASE("a target whose feet hang below the root keeps them at its shins") {
    const Stage stage(sticks::figure({.spine_bones = 3, .bent_knees = 0.1f}),
                      sticks::figure({.loose_feet = true}), walk);
    for (std::size_t f = 0; f < stage.clip.frame_count(); ++f) {
        const Vec3 shin = Stage::at(stage.target, stage.result, f, "shin_left");
        CHECK((Stage::at(stage.target, stage.result, f, "foot_left") - shin).norm() ==
              doctest::Approx(0.42f).epsilon(0.001));
    }
    CHECK(stage.angle("shin_left", "foot_left") < 0.1f);
}

TEST_CASE("what belongs to no chain goes by its name, below what answers to each other") {
    const auto swing = [](std::size_t f, std::vector<Transform>& pose, const Character& who) {
        walk(f, pose, who);
        sticks::bone(who, pose, "Ponytail").rotation =
            sticks::turned(4.0f * static_cast<float>(f), Vec3::UnitX());
    };
    const sticks::Plan other{.spine_bones = 3, .hair = "pony_tail", .bent_knees = 0.1f};
    const Stage stage(sticks::figure({.hair = "Ponytail"}), sticks::figure(other), swing);
    REQUIRE_FALSE(stage.pairing.is_same_build());
    for (std::size_t f = 0; f < stage.clip.frame_count(); ++f) {
        const Quat& local =
            stage.result.frame(f)[static_cast<std::size_t>(stage.target.skeleton.find("pony_tail"))].rotation;
        CHECK(angle_between(local, sticks::turned(4.0f * static_cast<float>(f), Vec3::UnitX())) < 0.01f);
    }
    const auto codes = [](const Stage& of) {
        std::string all;
        for (const Finding& finding : lost_motion(of.pairing, of.clip)) all += finding.message;
        return all;
    };
    CHECK(codes(stage).find("Ponytail") == std::string::npos);
    const Stage bald(sticks::figure({.hair = "Ponytail"}),
                     sticks::figure({.spine_bones = 3, .bent_knees = 0.1f}), swing);
    CHECK(codes(bald).find("Ponytail (44 degrees)") != std::string::npos);
}

TEST_CASE("standing answers to standing, and a squat goes down by the length of the legs") {
    const Character source = sticks::figure({});
    const Character target = sticks::figure({.spine_bones = 3, .size = 0.7f, .bent_knees = 0.1f});
    const Stage stage(source, target, [](std::size_t f, std::vector<Transform>& pose, const Character& who) {
        sticks::bone(who, pose, "hips").translation.y() -= 0.02f * static_cast<float>(f);
    });
    const float ratio = leg_length(stage.pairing.target) / leg_length(stage.pairing.source);
    const float first = Stage::at(target, stage.result, 0, "thigh_left").y();
    const float last = Stage::at(target, stage.result, 11, "thigh_left").y();
    CHECK(first - last == doctest::Approx(ratio * 0.22f).epsilon(0.01));
}

namespace {

Vec3 point(const Character& who, const Clip& clip, std::size_t frame, const std::string& bone) {
    return Stage::at(who, clip, frame, bone);
}

// From the hind legs' roots to the forelegs', in degrees over level.
float lean(const Character& who, const Clip& clip, std::size_t frame) {
    const Vec3 direction = point(who, clip, frame, "foreleg_left") +
                           point(who, clip, frame, "foreleg_right") - point(who, clip, frame, "thigh_left") -
                           point(who, clip, frame, "thigh_right");
    return std::atan2(direction.y(), direction.z()) * k_degrees;
}

Clip rest_clip(const Character& who) {
    return sticks::clip(who, 1, [](std::size_t, std::vector<Transform>&) {});
}

}  // namespace

TEST_CASE("a trunk on four legs leans as the source's, though the bone that carries it turns otherwise") {
    const Character source = sticks::on_four({.middle_hips = true});
    const Character target = sticks::on_four({.size = 1.4f, .crouch = 0.1f, .fore_legs = 0.5f});
    REQUIRE(stands_on_four(chart(source)));
    REQUIRE(stands_on_four(chart(target)));
    // The middle bone pitches down, and both ends make up for it: the body does not lean at all.
    const Clip clip = sticks::clip(source, 12, [&](std::size_t f, std::vector<Transform>& pose) {
        const float angle = 2.0f * static_cast<float>(f);
        sticks::bone(source, pose, "pelvis").rotation = sticks::turned(angle, Vec3::UnitX());
        for (const char* end : {"loin", "spine_1"})
            sticks::bone(source, pose, end).rotation = sticks::turned(-angle, Vec3::UnitX());
    });
    const Pairing pairing = pair(chart(source), chart(target));
    REQUIRE_FALSE(pairing.is_same_build());
    const Clip result = Transfer(pairing).apply(clip);
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        const float own = lean(target, result, f) - lean(target, rest_clip(target), 0);
        const float theirs = lean(source, clip, f) - lean(source, rest_clip(source), 0);
        CAPTURE(f);
        CHECK(std::abs(own - theirs) < 2.0f);
    }
}

TEST_CASE("a longer body on four legs that sits up keeps its hind legs over the floor") {
    const Character source = sticks::on_four({});
    const Character target = sticks::on_four({.fore_legs = 0.55f, .longer = 0.4f});
    const Pairing pairing = pair(chart(source), chart(target));
    REQUIRE_FALSE(pairing.is_same_build());
    // Up to 70 degrees, the hind legs' roots a third lower.
    const Clip clip = sticks::clip(source, 30, [&](std::size_t f, std::vector<Transform>& pose) {
        const float share = static_cast<float>(f) / 29.0f;
        Transform& pelvis = sticks::bone(source, pose, "pelvis");
        pelvis.rotation = sticks::turned(-70.0f * share, Vec3::UnitX());
        pelvis.translation.y() -= 0.2f * share;
    });
    const Clip whole = Transfer(pairing).apply(clip);
    const float ratio = leg_ratio(pairing);
    const float sank = point(source, clip, 0, "thigh_left").y() - point(source, clip, 29, "thigh_left").y();
    const float height = point(target, rest_clip(target), 0, "thigh_left").y();
    CHECK(point(target, whole, 29, "thigh_left").y() > height - ratio * sank - 0.12f * height);
}

TEST_CASE("four feet stand on the floor though front and hind legs are of other proportions") {
    const Character source = sticks::on_four({});
    for (const sticks::FourPlan& plan :
         {sticks::FourPlan{.crouch = 0.25f}, {.size = 0.5f, .fore_legs = 0.45f}}) {
        const Character target = sticks::on_four(plan);
        const Pairing pairing = pair(chart(source), chart(target));
        REQUIRE_FALSE(pairing.is_same_build());
        const Clip clip = sticks::clip(source, 20, [&](std::size_t f, std::vector<Transform>& pose) {
            sticks::bone(source, pose, "head").rotation =
                sticks::turned(static_cast<float>(f), Vec3::UnitX());
        });
        const Clip result = Transfer(pairing).apply(clip);
        for (const char* paw : {"forepaw_left", "forepaw_right", "hind_paw_left", "hind_paw_right"}) {
            CAPTURE(paw);
            CHECK(std::abs(point(target, result, 10, paw).y() -
                           point(target, rest_clip(target), 0, paw).y()) < 0.01f * plan.size);
        }
    }
}

TEST_CASE("feet that point straight backward at rest are not turned upside down") {
    const Chart hound = chart(workshop::hound());
    int bodies = 0;
    for (unsigned number = 1; number < 25; ++number) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, crowd::Kind::quadruped, crowd::Names::good);
        const Skeleton& skeleton = body.character.skeleton;
        const Chart found = chart(body.character);
        if (!stands_on_four(found)) continue;
        ++bodies;
        const Pairing pairing = pair(hound, found);
        const Clip trot = Transfer(pairing).apply(workshop::hound().clip("trot"));
        const std::vector<Transform> rest = rest_in_model_space(skeleton);
        std::vector<Transform> model(skeleton.size());
        float least = 1e30f;
        for (std::size_t f = 0; f < trot.frame_count(); ++f) {
            to_model_space(skeleton, trot.frame(f), model);
            for (const Chain& leg : found.chains) {
                if (leg.role() != ChainRole::leg) continue;
                const Chain* toes = found.find("toes" + leg.name.substr(leg.name.find('.')));
                const auto last = static_cast<std::size_t>(toes ? toes->bones.front() : leg.bones.back());
                const auto first = static_cast<std::size_t>(leg.bones.front());
                const auto drop = [&](const std::vector<Transform>& pose) {
                    return found.up.dot(pose[first].translation - pose[last].translation);
                };
                least = std::min(least, drop(model) / drop(rest));
            }
        }
        CHECK(least > 0.5f);
    }
    CHECK(bodies > 15);
}
