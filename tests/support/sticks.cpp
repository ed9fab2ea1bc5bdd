#include "sticks.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <numbers>

namespace sticks {
namespace {

using namespace dendraxis;

// Bones by their places in model space.
class Builder {
 public:
    explicit Builder(float size) : size_(size) {}

    int add(const std::string& name, int parent, const Vec3& position,
            const Quat& rotation = Quat::Identity()) {
        Bone bone;
        bone.name = bone.label = name;
        bone.parent = parent;
        Transform at;
        at.translation = size_ * position;
        at.rotation = rotation;
        bone.rest = parent == k_no_bone ? at : inverse(model_[static_cast<std::size_t>(parent)]) * at;
        bones_.push_back(bone);
        model_.push_back(at);
        return static_cast<int>(bones_.size()) - 1;
    }

    Skeleton finish() { return Skeleton(std::move(bones_)); }

 private:
    float size_;
    std::vector<Bone> bones_;
    std::vector<Transform> model_;
};

void add_leg(Builder& builder, const Plan& plan, int hips, int root, float side) {
    const std::string end = side > 0.0f ? "_left" : "_right";
    const Vec3 hip(0.1f * side, 0.95f, 0.0f);
    const Vec3 knee(0.1f * side, 0.5f, plan.bent_knees);
    int above = hips;
    for (int i = 0; i < plan.thigh_bones; ++i) {
        const float share = static_cast<float>(i) / static_cast<float>(plan.thigh_bones);
        above = builder.add("thigh" + (i == 0 ? "" : "_" + std::to_string(i + 1)) + end, above,
                            hip + share * (knee - hip));
    }
    const int shin = builder.add("shin" + end, above, knee);
    const int foot = builder.add("foot" + end, plan.loose_feet ? root : shin, {0.1f * side, 0.08f, 0.0f});
    const int toes = builder.add("toes" + end, foot, {0.1f * side, 0.02f, 0.12f});
    builder.add("toes_end" + end, toes, {0.1f * side, 0.02f, 0.2f});
}

void add_arm(Builder& builder, int chest, float side) {
    const std::string end = side > 0.0f ? "_left" : "_right";
    const int shoulder = builder.add("shoulder" + end, chest, {0.04f * side, 1.45f, 0.0f});
    const int upper = builder.add("upper_arm" + end, shoulder, {0.18f * side, 1.45f, 0.0f});
    const int lower = builder.add("forearm" + end, upper, {0.46f * side, 1.45f, -0.01f});
    const int hand = builder.add("hand" + end, lower, {0.72f * side, 1.45f, 0.0f});
    builder.add("hand_end" + end, hand, {0.86f * side, 1.45f, 0.0f});
}

// The bones alone: clips and surface were those of others.
Character with_bones(const Character& character, std::vector<Bone> bones) {
    Character result;
    result.name = character.name;
    result.skeleton = Skeleton(std::move(bones), character.skeleton.above());
    return result;
}

}  // namespace

Character figure(const Plan& plan) {
    Builder builder(plan.size);
    const int root = builder.add("root", k_no_bone, Vec3::Zero());
    int above = root;
    if (plan.control) {
        const Quat half(Eigen::AngleAxisf(std::numbers::pi_v<float>, Vec3::UnitX()));
        above = builder.add("body_control", root, {0.0f, 1.0f, 0.0f}, half);
    }
    const int hips = builder.add("hips", above, {0.0f, 1.0f, 0.0f});
    int spine = hips;
    for (int i = 0; i < plan.spine_bones; ++i) {
        const float share = static_cast<float>(i) / static_cast<float>(plan.spine_bones);
        spine = builder.add("spine_" + std::to_string(i + 1), spine, {0.0f, 1.08f + 0.42f * share, 0.0f});
    }
    const int neck = builder.add("neck", spine, {0.0f, 1.5f, 0.0f});
    const int head = builder.add("head", neck, {0.0f, 1.6f, 0.02f});
    builder.add("head_end", head, {0.0f, 1.8f, 0.02f});
    if (!plan.hair.empty()) {
        const int hair = builder.add(plan.hair, head, {0.0f, 1.7f, -0.1f});
        builder.add(plan.hair + "_end", hair, {0.0f, 1.5f, -0.2f});
    }
    for (const float side : {1.0f, -1.0f}) add_arm(builder, spine, side);
    for (const float side : {1.0f, -1.0f}) add_leg(builder, plan, hips, root, side);
    Character character;
    character.name = "figure";
    character.skeleton = builder.finish();
    return character;
}

Character on_four(const FourPlan& plan) {
    Builder builder(plan.size);
    const float high = 0.66f;
    const float front = plan.longer;
    const float back = -plan.longer;
    int hips = builder.add("pelvis", k_no_bone, {0.0f, high, plan.middle_hips ? 0.0f : back - 0.4f});
    const int hind = plan.middle_hips ? builder.add("loin", hips, {0.0f, high, back - 0.2f}) : hips;
    int spine = hips;
    for (int i = 0; i < 2; ++i)
        spine = builder.add("spine_" + std::to_string(i + 1), spine,
                            {0.0f, high, front + 0.05f + 0.2f * static_cast<float>(i)});
    const int neck = builder.add("neck", spine, {0.0f, high + 0.02f, front + 0.5f});
    const int head = builder.add("head", neck, {0.0f, high + 0.16f, front + 0.65f});
    builder.add("head_end", head, {0.0f, high + 0.12f, front + 0.9f});
    const int tail = builder.add("tail", hind, {0.0f, high, back - 0.5f});
    builder.add("tail_end", tail, {0.0f, high - 0.1f, back - 0.75f});
    for (const float side : {1.0f, -1.0f}) {
        const std::string end = side > 0.0f ? "_left" : "_right";
        const float x = 0.12f * side;
        const int arm = builder.add("foreleg" + end, spine, {x, plan.fore_legs, front + 0.4f});
        const int cannon = builder.add("forearm" + end, arm, {x, 0.5f * plan.fore_legs, front + 0.36f});
        const int paw = builder.add("forepaw" + end, cannon, {x, 0.06f, front + 0.4f});
        builder.add("forepaw_end" + end, paw, {x, 0.02f, front + 0.48f});
        const int thigh = builder.add("thigh" + end, hind, {x, 0.6f, back - 0.4f});
        const int shin = builder.add("shin" + end, thigh, {x, 0.33f, back - 0.36f + plan.crouch});
        const int foot = builder.add("hind_paw" + end, shin, {x, 0.06f, back - 0.4f});
        builder.add("hind_paw_end" + end, foot, {x, 0.02f, back - 0.32f});
    }
    Character character;
    character.name = "on-four";
    character.skeleton = builder.finish();
    return character;
}

Clip clip(const Character& character, std::size_t frames,
          const std::function<void(std::size_t, std::vector<Transform>&)>& move) {
    Clip result;
    result.name = "moved";
    result.bone_count = character.skeleton.size();
    for (std::size_t f = 0; f < frames; ++f) {
        std::vector<Transform> pose = rest_pose(character.skeleton);
        move(f, pose);
        result.transforms.insert(result.transforms.end(), pose.begin(), pose.end());
    }
    return result;
}

Transform& bone(const Character& character, std::vector<Transform>& pose, const std::string& name) {
    return pose.at(static_cast<std::size_t>(character.skeleton.find(name)));
}

Character split(Character character, const std::string& name) {
    const Skeleton& old = character.skeleton;
    const int cut = old.find(name);
    const int child = old.children(cut).front();
    std::vector<Bone> bones;
    std::vector<int> position(old.size());
    for (int i = 0; i < static_cast<int>(old.size()); ++i) {
        Bone bone = old.bone(i);
        if (i == child) {
            Bone half;
            half.name = half.label = name + "_half";
            half.parent = position[static_cast<std::size_t>(cut)];
            half.rest.translation = 0.5f * bone.rest.translation;
            bones.push_back(half);
            bone.parent = static_cast<int>(bones.size()) - 1;
            bone.rest.translation *= 0.5f;
        } else if (bone.parent != k_no_bone) {
            bone.parent = position[static_cast<std::size_t>(bone.parent)];
        }
        position[static_cast<std::size_t>(i)] = static_cast<int>(bones.size());
        bones.push_back(bone);
    }
    return with_bones(character, std::move(bones));
}

Character merged(Character character, const std::string& name) {
    const Skeleton& old = character.skeleton;
    const int gone = old.find(name);
    std::vector<Bone> bones;
    std::vector<int> position(old.size(), k_no_bone);
    for (int i = 0; i < static_cast<int>(old.size()); ++i) {
        if (i == gone) continue;
        Bone bone = old.bone(i);
        if (bone.parent == gone) {
            bone.rest = old.bone(gone).rest * bone.rest;
            bone.parent = old.parent(gone);
        }
        if (bone.parent != k_no_bone) bone.parent = position[static_cast<std::size_t>(bone.parent)];
        position[static_cast<std::size_t>(i)] = static_cast<int>(bones.size());
        bones.push_back(bone);
    }
    return with_bones(character, std::move(bones));
}

Quat turned(float degrees, const Vec3& axis) {
    return Quat(Eigen::AngleAxisf(degrees / dendraxis::k_degrees, axis));
}

}  // namespace sticks
