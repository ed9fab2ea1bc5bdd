// A character and a clip made in code, carried to another build: the core library alone, no files.
// Usage: 13_no_files
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/character.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

#include <string>
#include <vector>

namespace dx = dendraxis;

namespace {

// Bones by name, each placed relative to the one that it hangs from, metres.
struct Plan {
    std::string name;
    std::string parent;
    dx::Vec3 offset;
};

// A biped with its arms out, facing +Z; every limb ends in a bone that shows where it ends.
dx::Character biped(const std::string& name, float size, float leg) {
    std::vector<Plan> plan{{"hips", "", {0, leg, 0}},          {"spine", "hips", {0, 0.1f, 0}},
                           {"chest", "spine", {0, 0.2f, 0}},   {"neck", "chest", {0, 0.2f, 0}},
                           {"head", "neck", {0, 0.1f, 0.02f}}, {"head.end", "head", {0, 0.2f, 0}}};
    for (const float side : {1.0f, -1.0f}) {
        const std::string s = side > 0 ? ".left" : ".right";
        plan.insert(plan.end(), {{"collar" + s, "chest", {0.05f * side, 0.15f, 0}},
                                 {"upper-arm" + s, "collar" + s, {0.12f * side, 0, 0}},
                                 {"forearm" + s, "upper-arm" + s, {0.28f * side, 0, -0.01f}},
                                 {"hand" + s, "forearm" + s, {0.25f * side, 0, 0.01f}},
                                 {"hand.end" + s, "hand" + s, {0.16f * side, 0, 0}},
                                 {"thigh" + s, "hips", {0.1f * side, -0.02f, 0}},
                                 {"shin" + s, "thigh" + s, {0, -0.48f * leg, 0.01f}},
                                 {"foot" + s, "shin" + s, {0, -0.44f * leg, -0.01f}},
                                 {"toes" + s, "foot" + s, {0, -0.05f * leg, 0.14f}},
                                 {"toes.end" + s, "toes" + s, {0, 0, 0.06f}}});
    }
    std::vector<dx::Bone> bones;
    for (const Plan& one : plan) {
        dx::Bone bone;
        bone.name = bone.label = one.name;
        for (std::size_t b = 0; b < bones.size(); ++b) {
            if (bones[b].label == one.parent) bone.parent = static_cast<int>(b);
        }
        bone.rest.translation = size * one.offset;
        bones.push_back(bone);
    }
    dx::Character character;
    character.name = name;
    character.skeleton = dx::Skeleton(std::move(bones));
    return character;
}

// The left arm goes up and down again.
dx::Clip wave(const dx::Skeleton& skeleton) {
    dx::Clip clip{"wave", 30.0f, skeleton.size(), {}};
    const auto arm = static_cast<std::size_t>(skeleton.find("upper-arm.left"));
    for (int frame = 0; frame < 31; ++frame) {
        std::vector<dx::Transform> pose = dx::rest_pose(skeleton);
        const float up = std::sin(dx::k_pi * static_cast<float>(frame) / 30.0f);
        pose[arm].rotation = Eigen::AngleAxisf(1.2f * up, dx::Vec3::UnitZ()) * pose[arm].rotation;
        clip.transforms.insert(clip.transforms.end(), pose.begin(), pose.end());
    }
    return clip;
}

// How far above level the left arm points, degrees.
float arm_angle(const dx::Skeleton& skeleton, std::span<const dx::Transform> pose) {
    std::vector<dx::Transform> model(skeleton.size());
    dx::to_model_space(skeleton, pose, model);
    const auto at = [&](const char* bone) {
        return model[static_cast<std::size_t>(skeleton.find(bone))].translation;
    };
    return std::asin((at("hand.left") - at("upper-arm.left")).normalized().y()) * dx::k_degrees;
}

}  // namespace

int main() {
    const dx::Character tall = biped("tall", 1.0f, 1.0f);
    const dx::Character small = biped("small", 0.6f, 0.8f);
    const dx::Pairing pairing = dx::pair(dx::chart(tall), dx::chart(small));
    const dx::Clip clip = wave(tall.skeleton);
    const dx::Clip carried = dx::Transfer(pairing).apply(clip);
    const float above = arm_angle(tall.skeleton, clip.frame(15));
    const float carried_above = arm_angle(small.skeleton, carried.frame(15));
    fmt::print("{} chains paired; the arm points {:.1f} degrees above level, the carried one {:.1f}\n",
               pairing.chains.size(), above, carried_above);
    return std::abs(above - carried_above) < 1.0f ? 0 : 1;
}
