// Looking and pointing, reaching by positions, limbs in a plane, ranges learned from clips.
#include "allocations.hpp"
#include "sticks.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/aim.hpp>
#include <dendraxis/ik/body_setup.hpp>
#include <dendraxis/ik/limb.hpp>
#include <dendraxis/ik/planar.hpp>
#include <dendraxis/ik/reaching.hpp>
#include <dendraxis/ik/solve_clip.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <random>

using namespace dendraxis;

namespace {

// Radians by which the look misses the target.
float miss(const Skeleton& skeleton, const Aim& aim, std::span<const Transform> pose, const Vec3& target) {
    std::vector<Transform> model(skeleton.size());
    to_model_space(skeleton, pose, model);
    const Look look = look_of(aim, model);
    return std::acos(std::clamp(look.direction.dot((target - look.from).normalized()), -1.0f, 1.0f));
}

}  // namespace

TEST_CASE("head and arm look and point at what is within their limits, and no farther") {
    const Skeleton& skeleton = workshop::diver_chart().skeleton;
    std::vector<Transform> model(skeleton.size());
    for (const char* name : {"head", "arm.left"}) {
        CAPTURE(name);
        const Aim aim = aim_of(workshop::diver_chart(), name);
        std::mt19937 random(2);
        std::uniform_real_distribution<float> angle(-0.7f, 0.7f);
        for (int i = 0; i < 100; ++i) {
            // An arm points to its own side.
            const float side = std::string(name) == "head" ? angle(random) : 0.5f + angle(random);
            const Vec3 ahead(std::sin(side), 0.6f * angle(random), std::cos(side));
            const Vec3 target = Vec3(0, 1.5f, 0) + 3.0f * ahead;
            std::vector<Transform> pose = rest_pose(skeleton);
            AimState state;
            apply_aim(skeleton, aim, target, 1.0f, 0.0f, state, pose, model);
            CHECK(miss(skeleton, aim, pose, target) < 0.02f);
        }
    }
    // A bent arm is straightened as it points.
    const Aim left = aim_of(workshop::diver_chart(), "arm.left");
    std::vector<Transform> bent(workshop::diver().clip("haul-rope").frame(10).begin(),
                                workshop::diver().clip("haul-rope").frame(10).end());
    const Vec3 far(2.0f, 1.0f, 2.0f);
    AimState pointing;
    apply_aim(skeleton, left, far, 1.0f, 0.0f, pointing, bent, model);
    CHECK(miss(skeleton, left, bent, far) < 0.02f);
    const LimbJoints arm = joints_of(left.arm, model);
    CHECK((arm.end - arm.root).norm() >
          0.96f * ((arm.middle - arm.root).norm() + (arm.end - arm.middle).norm()));
    // Behind the back the head stops at its limit; where it looks is limited, not wrong.
    const Aim aim = aim_of(workshop::diver_chart(), "head");
    std::vector<Transform> pose = rest_pose(skeleton);
    AimState state;
    apply_aim(skeleton, aim, Vec3(0.5f, 1.6f, -3.0f), 1.0f, 0.0f, state, pose, model);
    CHECK(state.sideways < aim.most_sideways + 0.001f);
    CHECK(state.sideways > 0.9f * aim.most_sideways);
    CHECK_THROWS_AS(aim_of(workshop::diver_chart(), "tail"), Error);
}

TEST_CASE("aiming eases on and off, back to the very pose, only the directions asked for") {
    const Skeleton& skeleton = workshop::diver_chart().skeleton;
    std::vector<Transform> model(skeleton.size());
    Aim aim = aim_of(workshop::diver_chart(), "head");
    const std::vector<Transform> rest = rest_pose(skeleton);
    const Vec3 target(1.5f, 2.2f, 2.0f);
    AimState state;
    std::vector<Transform> pose = rest;
    apply_aim(skeleton, aim, target, 1.0f, 1.0f / 60.0f, state, pose, model);
    std::vector<float> misses;
    const auto play = [&](float weight, int frames) {
        std::vector<Transform> before = pose;
        for (int f = 0; f < frames; ++f) {
            pose = rest;
            apply_aim(skeleton, aim, target, weight, 1.0f / 60.0f, state, pose, model);
            for (std::size_t b = 0; b < pose.size(); ++b)
                CHECK(angle_between(before[b].rotation, pose[b].rotation) < 0.12f);
            before = pose;
        }
        return miss(skeleton, aim, pose, target);
    };
    const float first = miss(skeleton, aim, rest, target);
    CHECK(play(1.0f, 6) < 0.8f * first);
    CHECK(play(1.0f, 60) < 0.02f);
    play(0.0f, 120);
    for (std::size_t b = 0; b < pose.size(); ++b)
        CHECK(pose[b].rotation.coeffs() == rest[b].rotation.coeffs());
    // Sideways only.
    aim.upward = false;
    state = {};
    pose = rest;
    apply_aim(skeleton, aim, target, 1.0f, 0.0f, state, pose, model);
    to_model_space(skeleton, pose, model);
    const Vec3 look = model[static_cast<std::size_t>(aim.bones.back().bone)].rotation * aim.direction;
    CHECK(std::abs(look.y()) < 0.03f);
    CHECK(look.x() > 0.3f);
    // Nowhere to look: the pose stays.
    state = {};
    pose = rest;
    apply_aim(skeleton, aim, Vec3(NAN, 0, 0), 1.0f, 0.0f, state, pose, model);
    CHECK(pose[3].rotation.coeffs() == rest[3].rotation.coeffs());
}

TEST_CASE("reaching by positions: all that is in reach, lengths kept, far targets pointed at") {
    std::mt19937 random(4);
    std::uniform_real_distribution<float> share(0.05f, 0.98f);
    float iterations = 0.0f;
    for (int i = 0; i < 500; ++i) {
        std::array<Vec3, 11> joints;
        for (std::size_t k = 0; k < joints.size(); ++k)
            joints[k] = Vec3(0.01f * static_cast<float>(k % 2), 0.1f * static_cast<float>(k), 0);
        std::array<float, 10> lengths{};
        for (std::size_t k = 0; k < 10; ++k) lengths[k] = (joints[k + 1] - joints[k]).norm();
        const Vec3 target = share(random) * workshop::any_direction(random);
        const ReachingReport report = reach_by_positions(joints, target, 1e-3f, 64);
        iterations += static_cast<float>(report.iterations);
        CHECK(report.error < 1e-3f);
        for (std::size_t k = 0; k < 10; ++k)
            CHECK((joints[k + 1] - joints[k]).norm() == doctest::Approx(lengths[k]).epsilon(1e-3));
    }
    MESSAGE("mean iterations ", iterations / 500.0f);
    std::array<Vec3, 3> straight{Vec3::Zero(), Vec3(0, 0.4f, 0), Vec3(0, 0.8f, 0)};
    CHECK(reach_by_positions(straight, Vec3(0, 0.5f, 0), 1e-3f, 64, Vec3::UnitZ()).error < 1e-3f);
    CHECK(straight[1].z() > 0.2f);
    reach_by_positions(straight, Vec3(5, 0, 0), 1e-3f);
    CHECK((straight[2] - Vec3(0.8f, 0, 0)).norm() < 1e-4f);
    reach_by_positions(straight, Vec3(NAN, 0, 0), 1e-3f);
    CHECK(straight[2].allFinite());
    // And onto a skeleton: the diver's spine.
    const Skeleton& skeleton = workshop::diver_chart().skeleton;
    std::vector<Transform> pose = rest_pose(skeleton);
    std::vector<Transform> model(skeleton.size());
    to_model_space(skeleton, pose, model);
    const std::vector<int>& spine = workshop::diver_chart().find("spine")->bones;
    std::vector<Vec3> positions;
    for (const int bone : spine) positions.push_back(head_of(bone, model));
    const Vec3 tip(0, 0.1f, 0);
    const Transform& last = model[static_cast<std::size_t>(spine.back())];
    positions.push_back(last.translation + last.rotation * tip);
    const Vec3 target = positions.back() + Vec3(0.1f, -0.03f, 0.1f);
    CHECK(reach_by_positions(positions, target, 1e-4f, 64).error < 1e-3f);
    turn_toward(skeleton, spine, tip, positions, model, pose);
    to_model_space(skeleton, pose, model);
    const Transform& bent = model[static_cast<std::size_t>(spine.back())];
    CHECK((bent.translation + bent.rotation * tip - target).norm() < 2e-3f);
}

TEST_CASE("limbs in a plane keep to it, to their side and to their limits") {
    std::mt19937 random(6);
    std::uniform_real_distribution<float> any(-1.0f, 1.0f);
    for (int i = 0; i < 1000; ++i) {
        const Vec2 target = 0.7f * Vec2(any(random), any(random));
        for (const BendSide side : {BendSide::left, BendSide::right}) {
            const PlanarAngles angles = solve_planar(0.4f, 0.35f, target, side);
            const Vec2 middle = 0.4f * Vec2(std::cos(angles.upper), std::sin(angles.upper));
            const float on = angles.upper + angles.lower;
            const Vec2 end = middle + 0.35f * Vec2(std::cos(on), std::sin(on));
            const float reach = std::clamp(target.norm(), 0.05f, 0.75f);
            CHECK((end - reach * target.normalized()).norm() < 1e-4f);
            const float cross = target.x() * middle.y() - target.y() * middle.x();
            if (reach > 0.06f && reach < 0.74f) CHECK((cross > 0.0f) == (side == BendSide::left));
        }
    }
    int solved = 0;
    constexpr float k_limit = 1.2f;
    for (int i = 0; i < 500; ++i) {
        std::vector<PlanarJoint> joints(6, PlanarJoint{0.2f, {-k_limit, k_limit}});
        std::vector<float> known(6);
        for (float& angle : known) angle = k_limit * any(random);
        Vec2 target = Vec2::Zero();
        float heading = 0.0f;
        for (const float angle : known) {
            heading += angle;
            target += 0.2f * Vec2(std::cos(heading), std::sin(heading));
        }
        std::vector<float> angles(6, 0.0f);
        solved += solve_planar(joints, angles, target, 1e-3f) < 1.1e-3f ? 1 : 0;
        for (const float angle : angles) CHECK(std::abs(angle) <= k_limit);
    }
    MESSAGE("solved ", solved, " of 500");
    CHECK(solved >= 490);
    std::vector<PlanarJoint> joints(2, PlanarJoint{0.5f, {}});
    std::vector<float> angles{0.0f, NAN};
    CHECK(solve_planar(joints, angles, Vec2(0.5f, 0), 1e-3f) < 1e-3f);  // straight at first
    solve_planar(joints, angles, Vec2(NAN, 0), 1e-3f);
    CHECK(std::isfinite(angles[0]));

    // The diver's arm in the plane that it faces: a puppet's arm.
    const Skeleton& skeleton = workshop::diver_chart().skeleton;
    const std::vector<Limb> limbs = limbs_of(workshop::diver_chart());
    const Limb& arm = limbs[0];
    REQUIRE(arm.name == "arm.left");
    std::vector<Transform> model(skeleton.size());
    std::vector<Transform> pose = rest_pose(skeleton);
    to_model_space(skeleton, pose, model);
    const Vec3 target = head_of(arm.bones[0], model) + Vec3(0.2f, 0.3f, 0.0f);
    const float depth = head_of(arm.bones[2], model).z() - head_of(arm.bones[1], model).z();
    const Quat hand = model[static_cast<std::size_t>(arm.bones[2])].rotation;
    reach_in_plane(skeleton, arm, Vec3::UnitZ(), target, BendSide::left, 0.5f, model, pose);
    to_model_space(skeleton, pose, model);
    CHECK((head_of(arm.bones[2], model) - target).head<2>().norm() < 1e-3f);
    CHECK(head_of(arm.bones[2], model).z() - head_of(arm.bones[1], model).z() ==
          doctest::Approx(depth).epsilon(1e-3));
    const Vec3 turned =
        rotation_vector(model[static_cast<std::size_t>(arm.bones[2])].rotation * hand.conjugate());
    CHECK(turned.head<2>().norm() < 1e-3f);
}

TEST_CASE("usual ranges hold the rest and all that the demo clips do, learned ones nothing less") {
    const auto most_beyond = [&](std::span<const JointRange> ranges, const Clip& clip) {
        float worst = 0.0f;
        for (const JointRange& joint : ranges) {
            const JointFrame frame = joint_frame(workshop::diver_chart(), joint.bone);
            for (std::size_t f = 0; f < clip.frame_count(); ++f)
                worst = std::max(
                    worst,
                    overshoot(joint.range,
                              frame.turn(clip.frame(f)[static_cast<std::size_t>(joint.bone)].rotation)));
        }
        return worst * k_degrees;
    };
    for (const Character* character :
         {&workshop::diver(), &workshop::bosun(), &workshop::deckhand(), &workshop::hound()}) {
        const Chart charted = chart(*character);
        const std::vector<JointRange> usual = usual_ranges(charted);
        CHECK(usual.size() >= 12);
        for (const JointRange& joint : usual) {
            CAPTURE(charted.skeleton.bone(joint.bone).label);
            CHECK(overshoot(joint.range, Quat::Identity()) == 0.0f);
        }
    }
    const std::vector<JointRange> usual = usual_ranges(workshop::diver_chart());
    std::vector<JointRange> trunk_and_legs;
    for (const JointRange& joint : usual) {
        for (const Chain& chain : workshop::diver_chart().chains) {
            if (chain.name != "spine" && chain.name != "neck" && !chain.name.starts_with("leg.")) continue;
            if (std::find(chain.bones.begin(), chain.bones.end(), joint.bone) != chain.bones.end())
                trunk_and_legs.push_back(joint);
        }
    }
    CHECK(trunk_and_legs.size() >= 9);
    const std::vector<JointRange> learned =
        learned_ranges(workshop::diver_chart(), workshop::diver().clips, 0.0f);
    const std::vector<JointRange> wide =
        learned_ranges(workshop::diver_chart(), workshop::diver().clips, 0.2f);
    for (const Clip& clip : workshop::diver().clips) {
        CAPTURE(clip.name);
        CHECK(most_beyond(trunk_and_legs, clip) < 0.1f);
        CHECK(most_beyond(learned, clip) < 0.6f);
        CHECK(most_beyond(wide, clip) == 0.0f);
    }
    // What a sheet says goes before what is usual.
    Chart stiff = workshop::diver_chart();
    stiff.ranges = {usual.front()};
    stiff.ranges[0].range.twist = {-0.01f, 0.01f};
    const std::vector<JointRange> in_force = ranges_in_force(stiff);
    CHECK(in_force.size() == usual.size());
    CHECK(in_force[0].range.twist.to == 0.01f);
}

TEST_CASE("a knee turns about what body, foot and clips say, whatever little bend it rests in") {
    Character figure = sticks::figure({.bent_knees = 0.02f});
    std::vector<Bone> bones(figure.skeleton.bones().begin(), figure.skeleton.bones().end());
    for (Bone& bone : bones) {
        // The knees stand outward as much as forward: the bend's axis is 45 degrees off.
        const float out = bone.name.ends_with("left") ? 0.02f : -0.02f;
        if (bone.name.starts_with("shin")) bone.rest.translation.x() += out;
        if (bone.name.starts_with("foot")) bone.rest.translation.x() -= out;
    }
    figure.skeleton = Skeleton(bones, figure.skeleton.above());
    const Chart charted = chart(figure);
    const auto axis = [&](std::span<const Clip> clips) {
        const int shin = charted.find("leg.left")->bones[1];
        for (const JointRange& joint : usual_ranges(charted, clips)) {
            if (joint.bone == shin) return joint.range.about;
        }
        return Vec3(Vec3::Zero());
    };
    const Vec3 at_rest = axis({});
    CHECK(std::abs(at_rest.x()) > std::cos(10.0f / k_degrees));
    const Vec3 really = Vec3(at_rest.x(), 0.0f, 0.2f).normalized();
    const Clip bends = sticks::clip(figure, 20, [&](std::size_t frame, std::vector<Transform>& pose) {
        const Quat turn(Eigen::AngleAxisf(0.06f * static_cast<float>(frame), really));
        Transform& shin = sticks::bone(figure, pose, "shin_left");
        shin.rotation = turn * shin.rotation;
    });
    CHECK(axis({&bends, 1}).dot(really) > std::cos(5.0f / k_degrees));
    const Clip still = sticks::clip(figure, 20, [](std::size_t, std::vector<Transform>&) {});
    CHECK((axis({&still, 1}) - at_rest).norm() < 1e-5f);
}

TEST_CASE(
    "what is near is reached by the arm alone, the body comes to help smoothly, or not at all if told so") {
    const Character& diver = workshop::diver();
    const Chart& chart = workshop::diver_chart();
    const Chain& arm = *chart.find("arm.left");
    const int chest = chart.find("spine")->bones.back();
    const Clip& idle = diver.clip("idle");
    std::vector<Transform> before(diver.skeleton.size());
    to_model_space(diver.skeleton, idle.frame(0), before);
    const auto of = [](const std::vector<Transform>& model, int bone) -> const Transform& {
        return model[static_cast<std::size_t>(bone)];
    };
    const Effector palm = effector_of(chart, "arm.left");
    const Vec3 root = of(before, arm.bones[0]).translation;
    const float length =
        (of(before, arm.bones[1]).translation - root).norm() +
        (of(before, arm.bones[2]).translation - of(before, arm.bones[1]).translation).norm() +
        palm.offset.norm();
    const Vec3 way = (0.9f * chart.facing + 0.3f * chart.up.cross(chart.facing)).normalized();
    struct Reached {
        float miss, chest, hips, foot;
    };
    const auto reach = [&](float lengths, ReachWith with) {
        SolveTask task;
        task.with = with;
        task.effectors = {{"arm.left", palm}};
        task.effectors[0].effector.target = root + lengths * length * way;
        Clip one = idle;
        one.transforms.resize(one.bone_count);
        const SolvedClip solved = solve_clip(chart, one, task);
        std::vector<Transform> after(before.size());
        to_model_space(diver.skeleton, solved.clip.frame(0), after);
        const auto moved = [&](int bone) {
            return (of(after, bone).translation - of(before, bone).translation).norm();
        };
        return Reached{solved.residuals[0].worst,
                       angle_between(of(after, chest).rotation, of(before, chest).rotation) * k_degrees,
                       moved(chart.hips), moved(chart.find("leg.left")->bones.back())};
    };
    float last = 0.0f;
    for (float lengths = 0.4f; lengths < 1.21f; lengths += 0.05f) {
        CAPTURE(lengths);
        const Reached with_trunk = reach(lengths, ReachWith::upper_body);
        CHECK(with_trunk.miss < 1e-3f);
        // Where the arm's ranges are in the way, what is left of a millimeter is the trunk's.
        if (lengths < 0.79f) CHECK(with_trunk.chest < 0.5f);
        if (lengths > 0.84f) CHECK(with_trunk.chest > 0.1f);
        CHECK(with_trunk.chest >= last - 0.2f);
        CHECK(with_trunk.chest - last < 6.0f);  // degrees for a twentieth of the arm
        last = with_trunk.chest;
        const Reached with_body = reach(lengths, ReachWith::body);
        CHECK(with_body.miss < 1e-3f);
        CHECK(with_body.foot < 1e-3f);
        CHECK((with_body.hips > 1e-3f) == (lengths > 0.84f));
        const Reached alone = reach(lengths, ReachWith::limb);
        CHECK(alone.chest == 0.0f);
        CHECK(alone.miss < std::max(0.0f, lengths - 1.0f) * length + 0.02f);
    }
    CHECK(last > 10.0f);
}
