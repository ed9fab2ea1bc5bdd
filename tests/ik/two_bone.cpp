#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/limb.hpp>
#include <dendraxis/ik/two_bone.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <cmath>
#include <random>

using namespace dendraxis;

namespace {

LimbJoints turned(const LimbJoints& limb, const LimbTurns& turns) {
    const Vec3 middle = limb.root + turns.upper * (limb.middle - limb.root);
    return {limb.root, middle, middle + turns.lower * (limb.end - limb.middle)};
}

}  // namespace

TEST_CASE("two bones reach what is in reach, and keep the side of their middle joint") {
    std::mt19937 random(5);
    std::normal_distribution<float> normal;
    const auto direction = [&] { return Vec3(normal(random), normal(random), normal(random)).normalized(); };
    std::uniform_real_distribution<float> share(0.15f, 0.97f);
    float worst = 0.0f;
    for (int i = 0; i < 20000; ++i) {
        const LimbJoints limb{Vec3(0.1f, 1.4f, 0), Vec3(0.1f, 1.4f, 0) + 0.3f * direction(), Vec3::Zero()};
        const LimbJoints bent{limb.root, limb.middle, limb.middle + 0.28f * direction()};
        const Vec3 target = limb.root + share(random) * 0.58f * direction();
        const LimbJoints result = turned(bent, solve_two_bone(bent, target));
        worst = std::max(worst, (result.end - target).norm());
        CHECK((result.middle - result.root).norm() == doctest::Approx(0.3).epsilon(1e-4));
        // The triangle's normal turned as the line to the end turned.
        const Vec3 before = (bent.middle - bent.root).cross(bent.end - bent.root);
        const Vec3 after = (result.middle - result.root).cross(result.end - result.root);
        const Quat aim = shortest_arc(bent.end - bent.root, target - bent.root);
        if (before.norm() > 1e-3f && after.norm() > 1e-3f)
            CHECK(after.normalized().dot(aim * before.normalized()) > 0.99f);
    }
    CHECK(worst < 0.01e-3f);
}

TEST_CASE(
    "out of reach the limb nears full stretch and never gets there, and a straight one bends toward the "
    "hint") {
    const LimbJoints limb{Vec3::Zero(), Vec3(0.2f, 0, 0.2236068f), Vec3(0.368f, 0, -0.0003932f)};
    float before = 0.0f;
    float slope = 1.0f;
    for (float distance = 0.5f; distance < 0.8f; distance += 0.001f) {
        const float reached = turned(limb, solve_two_bone(limb, Vec3(0, distance, 0))).end.norm();
        CHECK(reached < 0.581f);
        if (before > 0.0f) {
            const float now = (reached - before) / 0.001f;
            CHECK(now > -0.01f);
            CHECK(std::abs(now - slope) < 0.12f);  // no jump in speed anywhere
            slope = now;
        }
        before = reached;
    }
    const LimbJoints straight{Vec3::Zero(), Vec3(0, -0.4f, 0), Vec3(0, -0.8f, 0)};
    TwoBoneOptions options;
    options.hint = Vec3::UnitZ();
    const LimbJoints bent = turned(straight, solve_two_bone(straight, Vec3(0, -0.6f, 0), options));
    CHECK(bent.middle.z() > 0.2f);
    CHECK((bent.end - Vec3(0, -0.6f, 0)).norm() < 1e-5f);
    // What makes no sense changes nothing.
    const LimbTurns none = solve_two_bone(limb, Vec3(NAN, 0, 0));
    CHECK(none.upper.coeffs() == Quat::Identity().coeffs());
}

TEST_CASE("a million targets: all that is in reach is reached, on the side that the hint says") {
    std::mt19937 random(8);
    std::uniform_real_distribution<float> any(-1.0f, 1.0f);
    float worst = 0.0f;
    int wrong_side = 0;
    TwoBoneOptions options;
    options.bend = Bend::hint;
    const LimbJoints limb{Vec3(0.2f, 1.4f, 0.1f), Vec3(0.28f, 1.15f, 0.12f), Vec3(0.3f, 0.9f, 0.15f)};
    const float a = (limb.middle - limb.root).norm();
    const float b = (limb.end - limb.middle).norm();
    for (int i = 0; i < 1'000'000; ++i) {
        const Vec3 direction(any(random), any(random), any(random));
        const float distance = direction.norm() * (a + b);
        if (distance < 0.02f * (a + b) || distance > 0.98f * (a + b)) continue;
        const Vec3 target = limb.root + (a + b) * direction;
        options.hint = Vec3(any(random), any(random), any(random));
        const LimbJoints result = turned(limb, solve_two_bone(limb, target, options));
        worst = std::max(worst, (result.end - target).norm());
        const Vec3 line = (target - limb.root).normalized();
        const Vec3 side = options.hint - line * line.dot(options.hint);
        if (side.norm() > 0.01f && side.dot(result.middle - limb.root) < -1e-5f) ++wrong_side;
    }
    MESSAGE("worst ", 1e6f * worst, " micrometres");
    CHECK(worst < 0.01e-3f);
    CHECK(wrong_side == 0);
}

TEST_CASE("a hinge decides the side, bones stretch where they may, and only then") {
    const LimbJoints leg{Vec3(0, 0.9f, 0), Vec3(0, 0.5f, 0.02f), Vec3(0, 0.1f, 0)};
    TwoBoneOptions options;
    options.bend = Bend::hinge;
    for (const float sign : {1.0f, -1.0f}) {
        options.hinge = sign * Vec3::UnitX();
        const LimbJoints bent = turned(leg, solve_two_bone(leg, Vec3(0, 0.4f, 0), options));
        CHECK(sign * bent.middle.z() > 0.1f);
        CHECK((bent.end - Vec3(0, 0.4f, 0)).norm() < 1e-5f);
    }
    options = {};
    options.most_stretch = 1.2f;
    CHECK(solve_two_bone(leg, Vec3(0, 0.3f, 0), options).stretch == 1.0f);
    const Vec3 low(0, 0.02f, 0);
    const LimbTurns turns = solve_two_bone(leg, low, options);
    CHECK(turns.stretch > 1.05f);
    const Vec3 middle = leg.root + turns.stretch * (turns.upper * (leg.middle - leg.root));
    const Vec3 end = middle + turns.stretch * (turns.lower * (leg.end - leg.middle));
    CHECK((end - low).norm() < 2e-3f);
    CHECK(solve_two_bone(leg, Vec3(0, -9, 0), options).stretch == doctest::Approx(1.2f));
}

TEST_CASE("the handle may lie beyond the last bone, so that this bone turns as well") {
    const Chart charted = chart(workshop::diver());
    const std::vector<Limb> limbs = limbs_of(charted);
    CHECK(limbs.size() == 4);
    for (const Limb& limb : limbs) {
        CAPTURE(limb.name);
        std::vector<Transform> pose = rest_pose(charted.skeleton);
        std::vector<Transform> model(pose.size());
        to_model_space(charted.skeleton, pose, model);
        const Transform end = model[static_cast<std::size_t>(limb.bones[2])];
        LimbGoal goal;
        goal.offset = Vec3(0.02f, 0.09f, 0.01f);
        goal.target = end.translation + 0.2f * (head_of(limb.bones[0], model) - end.translation);
        goal.turn_end = true;
        goal.orientation = Quat(Eigen::AngleAxisf(0.6f, Vec3(1, 2, 0).normalized())) * end.rotation;
        reach(charted.skeleton, limb, goal, model, pose);
        to_model_space(charted.skeleton, pose, model);
        const Transform& now = model[static_cast<std::size_t>(limb.bones[2])];
        CHECK((now.translation + now.rotation * goal.offset - goal.target).norm() < 1e-4f);
        CHECK(angle_between(now.rotation, goal.orientation) < 1e-3f);
        const Quat before = now.rotation;
        goal.turn_end = false;
        goal.target += Vec3(0, 0.05f, 0);
        reach(charted.skeleton, limb, goal, model, pose);
        to_model_space(charted.skeleton, pose, model);
        CHECK(angle_between(model[static_cast<std::size_t>(limb.bones[2])].rotation, before) < 1e-3f);
        goal.target = Vec3(NAN, 0, 0);
        const std::vector<Transform> kept = pose;
        reach(charted.skeleton, limb, goal, model, pose);
        CHECK(pose[static_cast<std::size_t>(limb.bones[0])].rotation.coeffs() ==
              kept[static_cast<std::size_t>(limb.bones[0])].rotation.coeffs());
    }
}
