// What runs in a game's frame: the same bits on every path, no memory asked for, feet held as it goes.
#include "allocations.hpp"
#include "pass_plan.hpp"
#include "turn_kernel.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ik/body_setup.hpp>
#include <dendraxis/retarget/foot_lock.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/blend.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <cstring>
#include <random>

using namespace dendraxis;
using dendraxis::detail::BoneFollow;
using dendraxis::detail::compile_turns;
using dendraxis::detail::LimbFollow;
using dendraxis::detail::LimbPlan;
using dendraxis::detail::PassPlan;
using dendraxis::detail::run_turns_with;
using dendraxis::detail::turn_lane_counts;
using dendraxis::detail::TurnProgram;

namespace {

const Pairing& to_bosun() {
    static const Pairing pairing = pair(chart(workshop::diver()), chart(workshop::bosun()));
    return pairing;
}

Quat random_turn(std::mt19937& random) {
    std::normal_distribution<float> normal;
    return Quat(normal(random), normal(random), normal(random), normal(random)).normalized();
}

}  // namespace

TEST_CASE("one, four and eight lanes give the same bits") {
    // A source of four bones in a row; targets that follow wholly, in part, over a gap and on another branch.
    std::mt19937 random(11);
    const auto skeleton = [&](const std::vector<int>& parents) {
        std::vector<Bone> bones;
        for (const int parent : parents) {
            Bone bone;
            bone.name = bone.label = std::to_string(bones.size());
            bone.parent = parent;
            bone.rest.rotation = random_turn(random);
            bone.rest.translation = random_turn(random) * Vec3(0, 0.3f, 0);
            bones.push_back(bone);
        }
        Transform above;
        above.rotation = random_turn(random);
        return Skeleton(bones, above);
    };
    const Skeleton source = skeleton({-1, 0, 1, 2, 0});
    const Skeleton target = skeleton({-1, 0, 1, 2, 3, 0, 5});
    std::vector<Quat> stance;
    for (int i = 0; i < 5; ++i) stance.push_back(random_turn(random));
    const std::vector<BoneFollow> follow{{0, 0, 1.0f, random_turn(random)}, {0, 1, 0.4f, random_turn(random)},
                                         {0, 1, 0.9f, random_turn(random)}, {2, 3, 0.3f, random_turn(random)},
                                         {3, 3, 1.0f, random_turn(random)}, {3, 3, 1.0f, random_turn(random)},
                                         {4, 4, 1.0f, random_turn(random)}};
    const Quat to_target = random_turn(random);
    const TurnProgram program = compile_turns(source, target, to_target, follow, stance, {});
    LimbFollow limb{{1, 2, 3}, {1, 2, 3}, Vec3(0.02f, 0.05f, 0), Vec3(0, 0.06f, 0.01f), 1.1f, 0.7f};
    limb.hint = Vec3::UnitZ();
    const TurnProgram reaching = compile_turns(source, target, to_target, follow, stance, {&limb, 1});
    constexpr std::size_t frames = 37;
    std::vector<Transform> poses(frames * source.size());
    for (Transform& transform : poses) {
        transform.rotation = random_turn(random);
        transform.translation = random_turn(random) * Vec3(0, 0.3f, 0);
    }
    // A limb that is straight, one that is folded up, one that is not a number.
    poses[1].translation.setZero();
    poses[source.size() + 3].translation.setConstant(NAN);
    poses[2 * source.size() + 2].rotation.setIdentity();
    std::vector<std::vector<Transform>> reached;
    std::vector<std::vector<Transform>> results;
    alignas(32) std::array<float, 4096> scratch{};
    REQUIRE(reaching.scratch_floats() < scratch.size());
    for (const std::size_t lanes : turn_lane_counts()) {
        results.emplace_back(frames * target.size());
        run_turns_with(lanes, program, poses.data(), results.back().data(), frames, scratch.data());
        CHECK(std::memcmp(results.back().data(), results.front().data(),
                          results.back().size() * sizeof(Transform)) == 0);
        reached.emplace_back(frames * target.size());
        run_turns_with(lanes, reaching, poses.data(), reached.back().data(), frames, scratch.data());
        CHECK(std::memcmp(reached.back().data(), reached.front().data(),
                          reached.back().size() * sizeof(Transform)) == 0);
        CHECK(std::memcmp(reached.back().data(), results.back().data(),
                          results.back().size() * sizeof(Transform)) != 0);
        for (const Transform& transform : reached.back()) CHECK(transform.rotation.coeffs().allFinite());
    }
    // And what they should give: orientations in model space, worked out plainly.
    std::vector<Transform> model(source.size());
    std::vector<Transform> own(target.size());
    for (std::size_t f = 0; f < frames; ++f) {
        to_model_space(source, std::span(poses).subspan(f * source.size(), source.size()), model);
        to_model_space(target, std::span(results.front()).subspan(f * target.size(), target.size()), own);
        for (std::size_t b = 0; b < target.size(); ++b) {
            const auto away = [&](int bone) {
                return Quat(model[static_cast<std::size_t>(bone)].rotation *
                            stance[static_cast<std::size_t>(bone)].conjugate());
            };
            const BoneFollow& rule = follow[b];
            const Quat wanted = to_target * away(rule.a).slerp(rule.share, away(rule.b)) * rule.matched;
            CHECK(std::abs(wanted.dot(own[b].rotation)) > 1.0f - 2e-6f);
        }
    }
}

TEST_CASE("with reach, hands and feet stand where the source's do in proportion, pose by pose") {
    Pairing pairing = to_bosun();
    for (ChainPair& entry : pairing.chains) entry.reach = 1.0f;
    const Transfer transfer(pairing);
    const Transfer plain(to_bosun());
    const PassPlan plan(pairing);
    REQUIRE(plan.legs.size() + plan.arms.size() == 4);
    for (const std::string name : {"stroll", "wave-lantern", "crouch"}) {
        CAPTURE(name);
        const Clip& clip = workshop::diver().clip(name);
        const Clip result = transfer.apply_turns(clip);
        const Clip turned = plain.apply_turns(clip);
        std::vector<Transform> source(clip.bone_count);
        std::vector<Transform> target(result.bone_count);
        std::vector<Transform> before(result.bone_count);
        float worst = 0.0f;
        float gained = 0.0f;
        for (std::size_t f = 0; f < clip.frame_count(); ++f) {
            to_model_space(pairing.source.skeleton, clip.frame(f), source);
            to_model_space(pairing.target.skeleton, result.frame(f), target);
            to_model_space(pairing.target.skeleton, turned.frame(f), before);
            const auto check = [&](const LimbPlan& limb, const Vec3& end, const Vec3& own, const Vec3& old) {
                const float ratio = limb.target_length / limb.source_length;
                const Vec3 wanted =
                    ratio * (plan.to_target * Vec3(end - head_of(limb.source.bones[0], source)));
                // Near full stretch the reach is eased.
                if ((head_of(limb.target.bones[2], target) - head_of(limb.target.bones[0], target)).norm() >
                    0.98f * limb.target_length)
                    return;
                worst = std::max(worst, (own - head_of(limb.target.bones[0], target) - wanted).norm());
                gained = std::max(gained, (old - head_of(limb.target.bones[0], before) - wanted).norm());
                const auto e = static_cast<std::size_t>(limb.target.bones[2]);
                CHECK(angle_between(target[e].rotation, before[e].rotation) < 0.002f);
            };
            for (const LimbPlan& leg : plan.legs)
                check(leg, head_of(leg.source.bones[2], source), head_of(leg.target.bones[2], target),
                      head_of(leg.target.bones[2], before));
            for (const LimbPlan& arm : plan.arms)
                check(arm, position_of(plan.source_arm(arm)->palm(), source),
                      position_of(plan.target_arm(arm).palm(), target),
                      position_of(plan.target_arm(arm).palm(), before));
        }
        CHECK(worst < 0.05e-3f);
        CHECK(gained > 4e-3f);
    }
}

TEST_CASE("a clip of any length is the same as its poses one by one") {
    const Transfer transfer(to_bosun());
    const Clip& stroll = workshop::diver().clip("stroll");
    const std::size_t bones = workshop::bosun().skeleton.size();
    Workspace workspace;
    std::vector<Transform> all(stroll.frame_count() * bones);
    transfer.apply(stroll.transforms, all, workspace);
    for (const std::size_t frames : {1u, 3u, 4u, 8u, 9u, 31u}) {
        std::vector<Transform> some(frames * bones);
        transfer.apply(std::span(stroll.transforms).first(frames * stroll.bone_count), some, workspace);
        CHECK(std::memcmp(some.data(), all.data(), some.size() * sizeof(Transform)) == 0);
    }
}

TEST_CASE("calls a frame ask for no memory") {
    Pairing pairing = to_bosun();
    for (ChainPair& entry : pairing.chains) entry.reach = 1.0f;
    const Transfer transfer(pairing);
    const FootLock lock(pairing);
    const Clip& stroll = workshop::diver().clip("stroll");
    std::vector<Transform> pose(workshop::bosun().skeleton.size());
    std::vector<Transform> base = rest_pose(workshop::bosun().skeleton);
    const BodySolver solver = body_solver(pairing.target);
    const Effector hand = effector_of(pairing.target, "arm.left");
    Workspace workspace;  // one for all of them
    transfer.reserve(workspace);
    lock.reserve(workspace);
    solver.reserve(workspace);
    FootLockState feet;
    const long before = workshop::allocations();
    for (std::size_t f = 0; f < stroll.frame_count(); ++f) {
        transfer.apply(stroll.frame(f), pose, workspace);
        lock.apply(stroll.frame(f), pose, 1.0f / 30.0f, feet, workspace);
        solver.solve({&hand, 1}, pose, workspace);
        blend_poses(base, pose, 0.5f);
    }
    CHECK(workshop::allocations() == before);
    std::vector<int> counted(10);
    CHECK(workshop::allocations() > before);
}

TEST_CASE("poses are blended by weight and by chain") {
    const Chart& who = to_bosun().target;
    const Clip stroll = Transfer(to_bosun()).apply(workshop::diver().clip("stroll"));
    const std::vector<Transform> rest = rest_pose(who.skeleton);
    std::vector<Transform> pose = rest;
    blend_poses(pose, stroll.frame(10), 0.0f);
    for (std::size_t i = 0; i < pose.size(); ++i)
        CHECK(pose[i].rotation.coeffs() == rest[i].rotation.coeffs());
    const std::vector<std::string> arm{"arm.left"};
    const std::vector<float> mask = chain_mask(who, arm);
    blend_poses(pose, stroll.frame(10), 1.0f, mask);
    for (std::size_t i = 0; i < pose.size(); ++i) {
        const bool in_arm = who.skeleton.is_above(who.find("arm.left")->bones.front(), static_cast<int>(i));
        CHECK(pose[i].rotation.coeffs() == (in_arm ? stroll.frame(10)[i] : rest[i]).rotation.coeffs());
    }
    blend_poses(pose, stroll.frame(20), 1.0f);
    for (std::size_t i = 0; i < pose.size(); ++i)
        CHECK(pose[i].translation == stroll.frame(20)[i].translation);
    const std::vector<std::string> wrong{"arm.middle"};
    CHECK_THROWS(chain_mask(who, wrong));
}
