// The stoker: a broad man in an apron, built the awkward way. Controls stand above and beside his hips, one
// of them turned by half a turn; his hands hang below goals under the spine, his feet below the root; elbows
// are doubled, thighs come in two bones, fingers begin with palm bones; names are in three styles and some
// mislead. His data is in decimetres, he faces +X, and the origin is at his pelvis.
#include "motions.hpp"
#include "people.hpp"
#include "sculpt.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace harbour {
namespace {

using dendraxis::Character;
using dendraxis::Quat;
using dendraxis::Skeleton;
using dendraxis::Transform;

const std::vector<Joint> k_stoker_plan = {
    {"stk_world", "", {0, 0, 0}},
    {"CTRL.main", "stk_world", {0, 0.86f, 0}},
    {"CTRL.tilt", "CTRL.main", {0, 0.86f, -0.22f}},
    {"Hips01", "CTRL.main", {0, 0.86f, 0}},
    {"stk_spine_low", "Hips01", {0, 0.96f, -0.01f}},
    {"Belly.Up", "stk_spine_low", {0, 1.09f, -0.015f}},
    {"chestTop", "Belly.Up", {0, 1.22f, -0.02f}},
    {"head_base", "chestTop", {0, 1.45f, -0.01f}},  // the neck
    {"NeckTop", "head_base", {0, 1.53f, 0.005f}},   // the head
    {"apron_a", "Hips01", {0, 0.84f, 0.16f}},
    {"apron_b", "apron_a", {0, 0.62f, 0.18f}},
    {"arm_root_{}", "chestTop", {0.03f, 1.40f, -0.01f}},      // the collar bone
    {"Shoulder.{}", "arm_root_{}", {0.19f, 1.39f, -0.02f}},   // the upper arm
    {"elbowCtl{}", "Shoulder.{}", {0.455f, 1.34f, -0.035f}},  // doubles the elbow
    {"LoArm{}", "elbowCtl{}", {0.455f, 1.34f, -0.035f}},
    {"wrist_end_{}", "LoArm{}", {0.70f, 1.30f, -0.01f}},
    {"HandGoal_{}", "stk_spine_low", {0.70f, 1.30f, -0.01f}},
    {"palm_{}", "HandGoal_{}", {0.70f, 1.30f, -0.01f}},
    {"dig{}_1", "palm_{}", {0.725f, 1.290f, 0.030f}},  // a thumb
    {"dig{}_1b", "dig{}_1", {0.748f, 1.278f, 0.055f}},
    {"pb{}_2", "palm_{}", {0.715f, 1.298f, 0.010f}},
    {"dig{}_2", "pb{}_2", {0.795f, 1.284f, 0.022f}},
    {"dig{}_2b", "dig{}_2", {0.832f, 1.276f, 0.024f}},
    {"dig{}_2c", "dig{}_2b", {0.860f, 1.268f, 0.025f}},
    {"pb{}_3", "palm_{}", {0.715f, 1.298f, -0.008f}},
    {"dig{}_3", "pb{}_3", {0.800f, 1.284f, -0.004f}},
    {"dig{}_3b", "dig{}_3", {0.840f, 1.275f, -0.004f}},
    {"dig{}_3c", "dig{}_3b", {0.870f, 1.266f, -0.004f}},
    {"pb{}_4", "palm_{}", {0.712f, 1.298f, -0.026f}},
    {"dig{}_4", "pb{}_4", {0.788f, 1.284f, -0.032f}},
    {"dig{}_4b", "dig{}_4", {0.820f, 1.276f, -0.035f}},
    {"dig{}_4c", "dig{}_4b", {0.846f, 1.268f, -0.037f}},
    {"Leg.{}", "Hips01", {0, 0.85f, 0}},  // a piece of the hips
    {"stk_leg_{}", "Leg.{}", {0.105f, 0.83f, 0}},
    {"stk_leg2_{}", "stk_leg_{}", {0.107f, 0.64f, 0.010f}},
    {"Calf{}", "stk_leg2_{}", {0.110f, 0.45f, 0.020f}},
    {"ankle_tip_{}", "Calf{}", {0.112f, 0.09f, -0.02f}},
    {"foot.{}", "stk_world", {0.112f, 0.09f, -0.02f}},
    {"ballOf{}", "foot.{}", {0.116f, 0.025f, 0.10f}},
};

constexpr float k_decimetres = 10.0f;
constexpr std::array<float, 3> k_shirt{0.36f, 0.12f, 0.10f};
constexpr std::array<float, 3> k_soot{0.07f, 0.07f, 0.08f};

void sculpt_stoker_head(Sculptor& s) {
    const WeightsAt head = [](const Vec3& p) {
        const float share = smooth_step(1.50f, 1.55f, p.y());
        return Weights{{"NeckTop", share}, {"head_base", 1.0f - share}};
    };
    s.material("skin", {0.62f, 0.40f, 0.30f});
    s.tube({{{0, 1.42f, -0.015f}, {0.068f, 0, 0}, {0, 0, 0.070f}},
            {{0, 1.52f, 0.000f}, {0.064f, 0, 0}, {0, 0, 0.068f}},
            {{0, 1.56f, 0.020f}, {0.076f, 0, 0}, {0, 0, 0.090f}},
            {{0, 1.64f, 0.016f}, {0.088f, 0, 0}, {0, 0, 0.104f}},
            {{0, 1.71f, 0.008f}, {0.082f, 0, 0}, {0, 0, 0.098f}},
            {{0, 1.755f, 0.000f}, {0.052f, 0, 0}, {0, 0, 0.064f}}},
           head, 20);
    s.ellipsoid({0, 1.615f, 0.122f}, {0.016f, 0.018f, 0.018f}, "NeckTop", 8);
    s.material("soot", k_soot);
    s.tube({{{0, 1.715f, 0.010f}, {0.092f, 0, 0}, {0, 0, 0.110f}},
            {{0, 1.765f, 0.000f}, {0.074f, 0, 0}, {0, 0, 0.088f}},
            {{0, 1.79f, 0.000f}, {0.030f, 0, 0}, {0, 0, 0.036f}}},
           head, 18);
}

void sculpt_stoker_trunk(Sculptor& s) {
    const WeightsAt trunk = [](const Vec3& p) {
        const float low = smooth_step(0.90f, 1.00f, p.y());
        const float belly = smooth_step(1.03f, 1.14f, p.y());
        const float chest = smooth_step(1.16f, 1.27f, p.y());
        const float side = smooth_step(0.13f, 0.20f, std::abs(p.x())) * smooth_step(1.33f, 1.38f, p.y());
        const float leg = 0.6f * smooth_step(0.84f, 0.76f, p.y());
        const float left = 0.5f + 0.5f * std::clamp(p.x() / 0.1f, -1.0f, 1.0f);
        return Weights{{p.x() > 0 ? "arm_root_L" : "arm_root_R", chest * side},
                       {"chestTop", chest * (1 - side)},
                       {"Belly.Up", belly * (1 - chest)},
                       {"stk_spine_low", low * (1 - belly)},
                       {"Hips01", (1 - low) * (1 - leg)},
                       {"stk_leg_L", (1 - low) * leg * left},
                       {"stk_leg_R", (1 - low) * leg * (1 - left)}};
    };
    s.material("shirt", k_shirt);
    s.tube({{{0, 0.75f, 0.00f}, {0.175f, 0, 0}, {0, 0, 0.125f}, 2.4f},
            {{0, 0.88f, 0.00f}, {0.190f, 0, 0}, {0, 0, 0.145f}, 2.4f},
            {{0, 1.02f, 0.01f}, {0.185f, 0, 0}, {0, 0, 0.155f}, 2.3f},
            {{0, 1.18f, 0.00f}, {0.195f, 0, 0}, {0, 0, 0.145f}, 2.4f},
            {{0, 1.33f, -0.01f}, {0.205f, 0, 0}, {0, 0, 0.125f}, 2.5f},
            {{0, 1.41f, -0.01f}, {0.165f, 0, 0}, {0, 0, 0.095f}, 2.3f},
            {{0, 1.45f, -0.01f}, {0.085f, 0, 0}, {0, 0, 0.080f}}},
           trunk, 24);
    s.material("leather", {0.22f, 0.14f, 0.08f});
    s.limb({"apron_a", "apron_b"}, {0, 0.40f, 0.19f},
           {{0.0f, 0.15f, 0.012f}, {0.22f, 0.16f, 0.012f}, {0.44f, 0.17f, 0.012f}}, Vec3::UnitZ(), 12);
}

void sculpt_stoker_arm(Sculptor& s, const std::string& side) {
    const auto b = [&](std::string name) { return name.replace(name.find("{}"), 2, side); };
    const Vec3 wrist = s.joint(b("palm_{}"));
    s.material("shirt", k_shirt);
    s.limb({b("arm_root_{}"), b("Shoulder.{}"), b("LoArm{}")}, wrist,
           {{0.10f, 0.060f, 0.060f},
            {0.18f, 0.068f, 0.068f},
            {0.30f, 0.060f, 0.060f},
            {0.43f, 0.052f, 0.052f},
            {0.55f, 0.050f, 0.050f},
            {0.66f, 0.042f, 0.042f}},
           Vec3::UnitZ(), 14);
    s.material("skin", {0.62f, 0.40f, 0.30f});
    const Vec3 along = (s.joint(b("dig{}_3")) - wrist).normalized();
    const Vec3 flat = Vec3::UnitZ();
    const Vec3 thick = along.cross(flat).normalized();
    const WeightsAt hand = [&](const Vec3& p) {
        const float at = (p - wrist).dot(along);
        const float arm = smooth_step(0.01f, -0.03f, at);
        const float palm = smooth_step(0.03f, 0.07f, at);
        const std::string bone = p.z() > 0.008f ? "pb{}_2" : p.z() > -0.020f ? "pb{}_3" : "pb{}_4";
        return Weights{
            {b("LoArm{}"), arm}, {b(bone), (1 - arm) * palm}, {b("palm_{}"), (1 - arm) * (1 - palm)}};
    };
    s.tube({{wrist - 0.03f * along, thick * 0.030f, flat * 0.034f},
            {wrist + 0.03f * along, thick * 0.024f, flat * 0.042f, 2.4f},
            {wrist + 0.09f * along, thick * 0.020f, flat * 0.046f, 2.4f}},
           hand, 14);
    const auto digit = [&](const std::vector<std::string>& bones, float thickness) {
        const Vec3 last = s.joint(bones.back());
        const Vec3 before = s.joint(bones[bones.size() - 2]);
        const Vec3 tip = last + 0.9f * (last - before);
        const float length = (last - s.joint(bones.front())).norm() + (tip - last).norm();
        s.limb(bones, tip,
               {{-0.012f, thickness, thickness},
                {0.5f * length, thickness, thickness},
                {length, 0.7f * thickness, 0.7f * thickness}},
               Vec3::UnitY(), 8);
    };
    digit({b("dig{}_1"), b("dig{}_1b")}, 0.014f);
    for (const char* finger : {"2", "3", "4"}) {
        const std::string stem = b("dig{}_") + finger;
        digit({stem, stem + "b", stem + "c"}, 0.012f);
    }
}

void sculpt_stoker_leg(Sculptor& s, const std::string& side, float x) {
    const auto b = [&](std::string name) { return name.replace(name.find("{}"), 2, side); };
    s.material("soot", k_soot);
    s.limb({b("stk_leg_{}"), b("stk_leg2_{}"), b("Calf{}")}, s.joint(b("foot.{}")),
           {{-0.02f, 0.095f, 0.100f},
            {0.15f, 0.088f, 0.094f},
            {0.36f, 0.066f, 0.070f},
            {0.52f, 0.060f, 0.066f},
            {0.72f, 0.048f, 0.052f}},
           Vec3::UnitZ(), 14);
    s.material("leather", {0.22f, 0.14f, 0.08f});
    const WeightsAt boot = [&](const Vec3& p) {
        const float toe = smooth_step(0.085f, 0.12f, p.z()) * smooth_step(0.12f, 0.08f, p.y());
        const float shin = smooth_step(0.10f, 0.16f, p.y());
        return Weights{
            {b("ballOf{}"), toe}, {b("Calf{}"), (1 - toe) * shin}, {b("foot.{}"), (1 - toe) * (1 - shin)}};
    };
    s.tube({{{x * 0.111f, 0.24f, -0.008f}, {0.062f, 0, 0}, {0, 0, 0.066f}},
            {{x * 0.112f, 0.14f, -0.015f}, {0.054f, 0, 0}, {0, 0, 0.062f}},
            {{x * 0.113f, 0.05f, -0.012f}, {0.050f, 0, 0}, {0, 0, 0.070f}}},
           boot, 16);
    const auto ring = [&](float z, float width, float top) {
        return Ring{{x * 0.115f, 0.5f * top + 0.0005f, z}, {width, 0, 0}, {0, 0.5f * top, 0}, 2.8f};
    };
    s.tube({ring(-0.075f, 0.040f, 0.085f), ring(0.0f, 0.050f, 0.092f), ring(0.08f, 0.054f, 0.080f),
            ring(0.15f, 0.050f, 0.062f), ring(0.185f, 0.032f, 0.048f)},
           boot, 16);
}

// The control above the hips turned by half a turn about up; what hangs on it undoes that.
Skeleton half_turned(const Skeleton& skeleton, const std::string& control) {
    std::vector<Transform> model = dendraxis::rest_in_model_space(skeleton);
    Quat& turn = model[static_cast<std::size_t>(skeleton.find(control))].rotation;
    turn = Quat(Eigen::AngleAxisf(k_pi, Vec3::UnitY())) * turn;
    std::vector<Transform> local(model.size());
    dendraxis::to_local_space(skeleton, model, local);
    std::vector<dendraxis::Bone> bones(skeleton.bones().begin(), skeleton.bones().end());
    for (std::size_t i = 0; i < bones.size(); ++i) bones[i].rest = local[i];
    return Skeleton(std::move(bones), skeleton.above());
}

// In decimetres, facing +X, the origin at `origin`.
Character rebased(Character character, const Vec3& origin) {
    const Quat yaw(Eigen::AngleAxisf(1.57079633f, Vec3::UnitY()));
    std::vector<dendraxis::Bone> bones(character.skeleton.bones().begin(), character.skeleton.bones().end());
    const auto rebase = [&](Transform& local, int parent) {
        if (parent != dendraxis::k_no_bone) {
            local.translation *= k_decimetres;
            return;
        }
        local.translation = k_decimetres * (yaw * (local.translation - origin));
        local.rotation = yaw * local.rotation;
    };
    for (dendraxis::Bone& bone : bones) rebase(bone.rest, bone.parent);
    for (dendraxis::Clip& clip : character.clips) {
        for (std::size_t i = 0; i < clip.transforms.size(); ++i)
            rebase(clip.transforms[i], bones[i % bones.size()].parent);
    }
    character.skeleton = Skeleton(std::move(bones));
    std::vector<dendraxis::Affine> world(character.skeleton.size());
    dendraxis::to_model_matrices(character.skeleton, dendraxis::rest_pose(character.skeleton), world);
    for (dendraxis::SkinnedMesh& mesh : character.meshes) {
        for (Vec3& position : mesh.positions) position = k_decimetres * (yaw * (position - origin));
        for (Vec3& normal : mesh.normals) normal = yaw * normal;
        for (std::size_t bone = 0; bone < mesh.bones.size(); ++bone)
            mesh.inverse_bind[bone] = world[static_cast<std::size_t>(mesh.bones[bone])].inverse();
    }
    return character;
}

}  // namespace

Character make_stoker() {
    const std::vector<Joint> joints = mirrored(k_stoker_plan, "L", "R");
    Character stoker;
    stoker.name = "stoker";
    stoker.skeleton = half_turned(scrambled_axes(build_skeleton(joints, 2, {}), 7), "CTRL.main");
    std::vector<std::pair<std::string, Vec3>> positions;
    for (const Joint& joint : joints) positions.emplace_back(joint.name, joint.position);
    Sculptor s(positions);
    sculpt_stoker_head(s);
    sculpt_stoker_trunk(s);
    for (const auto& [side, x] : {std::pair("L", 1.0f), std::pair("R", -1.0f)}) {
        sculpt_stoker_arm(s, side);
        sculpt_stoker_leg(s, side, x);
    }
    stoker.meshes = s.finish(stoker.skeleton);
    stoker.clips = clips_of_stoker(stoker.skeleton);
    return rebased(std::move(stoker), {0, 0.86f, 0});
}

}  // namespace harbour
