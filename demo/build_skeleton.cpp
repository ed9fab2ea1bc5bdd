#include "people.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <map>
#include <random>
#include <stdexcept>

namespace harbour {

using dendraxis::Bone;
using dendraxis::Quat;
using dendraxis::Skeleton;
using dendraxis::Transform;
using dendraxis::Vec3;

std::vector<Joint> mirrored(const std::vector<Joint>& plan, const std::string& left,
                            const std::string& right) {
    std::vector<Joint> joints;
    const auto put = [](std::string text, const std::string& side) {
        const auto hole = text.find("{}");
        return hole == std::string::npos ? text : text.replace(hole, 2, side);
    };
    for (const std::string& side : {std::string(), left, right}) {
        for (const Joint& joint : plan) {
            const bool sided = joint.name.find("{}") != std::string::npos;
            if (sided == side.empty()) continue;
            Vec3 position = joint.position;
            if (!side.empty() && side == right) position.x() = -position.x();
            joints.push_back({put(joint.name, side), put(joint.parent, side), position});
        }
    }
    // Parents first, whatever the order of the plan.
    std::vector<Joint> ordered;
    while (!joints.empty()) {
        const std::size_t before = joints.size();
        for (std::size_t i = 0; i < joints.size();) {
            const auto is_parent = [&](const Joint& other) { return other.name == joints[i].parent; };
            if (joints[i].parent.empty() || std::any_of(ordered.begin(), ordered.end(), is_parent)) {
                ordered.push_back(joints[i]);
                joints.erase(joints.begin() + static_cast<std::ptrdiff_t>(i));
            } else {
                ++i;
            }
        }
        if (joints.size() == before) throw std::runtime_error("no parent for " + joints.front().name);
    }
    return ordered;
}

Skeleton build_skeleton(const std::vector<Joint>& joints, int axis, const Transform& above) {
    std::map<std::string, int> index;
    for (std::size_t i = 0; i < joints.size(); ++i) index[joints[i].name] = static_cast<int>(i);
    const auto direction_of = [&](const Joint& joint) -> Vec3 {
        for (const Joint& child : joints) {
            if (child.parent == joint.name && (child.position - joint.position).norm() > 1e-4f)
                return child.position - joint.position;
        }
        for (const Joint& parent : joints) {
            if (parent.name == joint.parent) return joint.position - parent.position;
        }
        return Vec3::UnitY();
    };
    std::vector<Transform> model;
    std::vector<Bone> bones;
    for (const Joint& joint : joints) {
        // The bone's axis along the bone; +Z of the model as near as may be to the next local axis.
        const bool first = joint.parent.empty();
        const Vec3 along = first ? Vec3(Vec3::UnitY()) : Vec3(direction_of(joint).normalized());
        Vec3 hint = std::abs(along.z()) > 0.9f ? Vec3(Vec3::UnitY()) : Vec3(Vec3::UnitZ());
        hint = (hint - along * along.dot(hint)).normalized();
        Eigen::Matrix3f axes;
        axes.col(axis) = along;
        axes.col((axis + 1) % 3) = hint;
        axes.col((axis + 2) % 3) = along.cross(hint);
        Transform frame;
        frame.rotation = Quat(axes).normalized();
        frame.translation = joint.position;
        frame.scale = above.scale;
        model.push_back(frame);
        Bone bone;
        bone.name = bone.label = joint.name;
        bone.parent = first ? dendraxis::k_no_bone : index.at(joint.parent);
        const Transform& parent = first ? above : model[static_cast<std::size_t>(bone.parent)];
        bone.rest = inverse(parent) * frame;
        bone.rest.scale = Vec3::Ones();
        bones.push_back(bone);
    }
    return Skeleton(std::move(bones), above);
}

Skeleton scrambled_axes(const Skeleton& skeleton, unsigned seed) {
    std::mt19937 random(seed);
    const auto part = [&] { return static_cast<float>(random() % 2001) / 1000.0f - 1.0f; };
    std::vector<Transform> model = dendraxis::rest_in_model_space(skeleton);
    for (Transform& bone : model) {
        const float x = part(), y = part(), z = part(), w = part();
        bone.rotation = (bone.rotation * Quat(w, x, y, z).normalized()).normalized();
    }
    std::vector<Transform> local(model.size());
    dendraxis::to_local_space(skeleton, model, local);
    std::vector<Bone> bones(skeleton.bones().begin(), skeleton.bones().end());
    for (std::size_t i = 0; i < bones.size(); ++i) bones[i].rest = local[i];
    return Skeleton(std::move(bones), skeleton.above());
}

Skeleton with_tassels(const Skeleton& skeleton, std::size_t count) {
    std::vector<Bone> bones(skeleton.bones().begin(), skeleton.bones().end());
    const int body = static_cast<int>(bones.size());
    for (int i = 0; bones.size() < count; ++i) {
        Bone bone;
        bone.name = bone.label = "tassel_" + std::to_string(i);
        bone.parent = i % 5 == 0 ? 1 + (7 * i) % (body - 1) : static_cast<int>(bones.size()) - 1;
        bone.rest.translation = dendraxis::Vec3(0.01f * static_cast<float>(i % 3), -0.02f, 0.01f);
        bones.push_back(bone);
    }
    return Skeleton(std::move(bones), skeleton.above());
}

}  // namespace harbour
