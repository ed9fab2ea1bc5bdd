// A flat puppet of the harbour fair: a quad a part, all in one plane, a lantern in its hand.
#include "motions.hpp"
#include "people.hpp"

#include <dendraxis/base/rotation.hpp>

namespace harbour {
namespace {

using dendraxis::Character;
using dendraxis::Quat;
using dendraxis::Transform;
using dendraxis::Vec3;

const std::vector<Joint> k_lantern_man_plan{
    {"stick", "", {0.0f, 0.0f, 0.0f}},
    {"hips", "stick", {0.0f, 0.62f, 0.0f}},
    {"belly", "hips", {0.0f, 0.72f, 0.0f}},
    {"breast", "belly", {0.0f, 0.92f, 0.0f}},
    {"head", "breast", {0.0f, 1.12f, 0.0f}},
    {"upper_arm_{}", "breast", {0.16f, 1.06f, 0.0f}},
    {"forearm_{}", "upper_arm_{}", {0.40f, 1.06f, 0.0f}},
    {"hand_{}", "forearm_{}", {0.62f, 1.06f, 0.0f}},
    {"thigh_{}", "hips", {0.09f, 0.60f, 0.0f}},
    {"shin_{}", "thigh_{}", {0.09f, 0.33f, 0.0f}},
    {"foot_{}", "shin_{}", {0.09f, 0.05f, 0.0f}},
};

struct Part {
    std::string bone;
    Vec3 from, to;  // of its middle line
    float width;
    float depth;  // of its sheet, so that sheets do not flicker through each other
    std::array<float, 3> color;
};

void add_part(Character& puppet, const Part& part) {
    dendraxis::SkinnedMesh mesh;
    mesh.name = part.bone;
    mesh.color = part.color;
    const Vec3 side = 0.5f * part.width * Vec3::UnitZ().cross(part.to - part.from).normalized();
    const Vec3 lift = part.depth * Vec3::UnitZ();
    for (const Vec3& corner :
         {Vec3(part.from - side), Vec3(part.from + side), Vec3(part.to + side), Vec3(part.to - side)}) {
        mesh.positions.push_back(corner + lift);
        mesh.normals.push_back(Vec3::UnitZ());
    }
    // Seen from both sides.
    mesh.triangles = {{0, 2, 1}, {0, 3, 2}, {0, 1, 2}, {0, 2, 3}};
    mesh.joints.assign(4, {0, 0, 0, 0});
    mesh.weights.assign(4, {1.0f, 0.0f, 0.0f, 0.0f});
    const int bone = puppet.skeleton.find(part.bone);
    mesh.bones = {bone};
    Vec3 head = Vec3::Zero();
    for (int b = bone; b != dendraxis::k_no_bone; b = puppet.skeleton.parent(b))
        head += puppet.skeleton.bone(b).rest.translation;
    dendraxis::Affine undo = dendraxis::Affine::Identity();
    undo.translation() = -head;
    mesh.inverse_bind = {undo};
    puppet.meshes.push_back(std::move(mesh));
}

// One bone's turn in the plane, by degrees at even steps of the clip.
struct Turn {
    std::string bone;
    std::vector<float> degrees;
};

dendraxis::Clip play(const dendraxis::Skeleton& skeleton, const std::string& name, std::size_t frames,
                     const std::vector<Turn>& turns) {
    dendraxis::Clip clip;
    clip.name = name;
    clip.bone_count = skeleton.size();
    for (std::size_t f = 0; f < frames; ++f) {
        for (const dendraxis::Bone& bone : skeleton.bones()) {
            Transform local = bone.rest;
            for (const Turn& turn : turns) {
                if (turn.bone != bone.name) continue;
                const float at =
                    static_cast<float>(f * (turn.degrees.size() - 1)) / static_cast<float>(frames - 1);
                const auto before = std::min(static_cast<std::size_t>(at), turn.degrees.size() - 2);
                float share = at - static_cast<float>(before);
                share = share * share * (3.0f - 2.0f * share);
                const float angle =
                    turn.degrees[before] + share * (turn.degrees[before + 1] - turn.degrees[before]);
                local.rotation = Quat(Eigen::AngleAxisf(angle / dendraxis::k_degrees, Vec3::UnitZ()));
            }
            clip.transforms.push_back(local);
        }
    }
    return clip;
}

}  // namespace

Character make_lantern_man() {
    Character puppet;
    puppet.name = "lantern-man";
    std::vector<dendraxis::Bone> bones;
    const std::vector<Joint> joints = mirrored(k_lantern_man_plan, "left", "right");
    const auto position_of_joint = [&](const std::string& name) {
        for (const Joint& joint : joints) {
            if (joint.name == name) return joint.position;
        }
        return Vec3(Vec3::Zero());
    };
    for (const Joint& joint : joints) {
        dendraxis::Bone bone;
        bone.name = bone.label = joint.name;
        for (std::size_t i = 0; i < bones.size(); ++i) {
            if (bones[i].name == joint.parent) bone.parent = static_cast<int>(i);
        }
        bone.rest.translation =
            joint.position - (joint.parent.empty() ? Vec3(Vec3::Zero()) : position_of_joint(joint.parent));
        bones.push_back(bone);
    }
    puppet.skeleton = dendraxis::Skeleton(bones);
    const std::array<float, 3> coat{0.25f, 0.33f, 0.45f};
    const std::array<float, 3> skin{0.85f, 0.68f, 0.52f};
    const std::array<float, 3> boots{0.22f, 0.18f, 0.16f};
    const std::array<float, 3> light{0.98f, 0.80f, 0.30f};
    for (const auto& [side, x] : {std::pair("left", 1.0f), std::pair("right", -1.0f)}) {
        const auto joint = [&, end = std::string("_") + side](const std::string& name) {
            return position_of_joint(name + end);
        };
        const float sheet = 0.004f * x;
        add_part(puppet, {std::string("thigh_") + side, joint("thigh"), joint("shin"), 0.11f, sheet, coat});
        add_part(puppet, {std::string("shin_") + side, joint("shin"), joint("foot"), 0.09f, sheet, boots});
        add_part(puppet, {std::string("foot_") + side, joint("foot") - Vec3(0.04f, 0.02f, 0.0f),
                          joint("foot") + Vec3(0.12f, -0.02f, 0.0f), 0.06f, sheet, boots});
        add_part(puppet, {std::string("upper_arm_") + side, joint("upper_arm"), joint("forearm"), 0.08f,
                          2.0f * sheet, coat});
        add_part(puppet, {std::string("forearm_") + side, joint("forearm"), joint("hand"), 0.06f,
                          2.0f * sheet, coat});
        add_part(puppet, {std::string("hand_") + side, joint("hand"),
                          joint("hand") + Vec3(0.1f * x, 0.0f, 0.0f), 0.07f, 2.0f * sheet, skin});
    }
    add_part(puppet, {"hips", {0.0f, 0.55f, 0.0f}, {0.0f, 0.72f, 0.0f}, 0.28f, 0.0f, coat});
    add_part(puppet, {"belly", {0.0f, 0.72f, 0.0f}, {0.0f, 0.92f, 0.0f}, 0.30f, 0.0f, coat});
    add_part(puppet, {"breast", {0.0f, 0.92f, 0.0f}, {0.0f, 1.12f, 0.0f}, 0.34f, 0.0f, coat});
    add_part(puppet, {"head", {0.0f, 1.12f, 0.0f}, {0.0f, 1.36f, 0.0f}, 0.20f, 0.0f, skin});
    add_part(puppet, {"hand_left", {0.70f, 0.98f, 0.0f}, {0.70f, 0.80f, 0.0f}, 0.11f, 0.012f, light});
    puppet.clips.push_back(play(puppet.skeleton, "bow", 45,
                                {{"belly", {0, -18, -22, 0}},
                                 {"breast", {0, -14, -16, 0}},
                                 {"head", {0, -20, -24, 0}},
                                 {"upper_arm_left", {-60, -40, -35, -60}},
                                 {"upper_arm_right", {60, 85, 90, 60}},
                                 {"forearm_right", {0, 35, 40, 0}}}));
    puppet.clips.push_back(play(puppet.skeleton, "step", 31,
                                {{"thigh_left", {0, 28, 0, -22, 0}},
                                 {"shin_left", {0, -20, 0, -12, 0}},
                                 {"foot_left", {0, -8, 0, 34, 0}},
                                 {"thigh_right", {0, -22, 0, 28, 0}},
                                 {"shin_right", {0, -12, 0, -20, 0}},
                                 {"foot_right", {0, 34, 0, -8, 0}},
                                 {"upper_arm_left", {-60, -75, -60, -45, -60}},
                                 {"upper_arm_right", {60, 75, 60, 45, 60}}}));
    puppet.clips.push_back(play(puppet.skeleton, "haul", 46,
                                {{"belly", {-6, 10, -6}},
                                 {"breast", {-4, 8, -4}},
                                 {"head", {4, -10, 4}},
                                 {"upper_arm_left", {-20, -70, -20}},
                                 {"forearm_left", {10, 70, 10}},
                                 {"upper_arm_right", {150, 100, 150}},
                                 {"forearm_right", {10, 70, 10}},
                                 {"thigh_left", {22, 12, 22}},
                                 {"shin_left", {-24, -6, -24}},
                                 {"foot_left", {2, -6, 2}},
                                 {"thigh_right", {-20, -26, -20}},
                                 {"foot_right", {20, 26, 20}}}));
    return puppet;
}

}  // namespace harbour
