#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis {
namespace {

const Transform& parent_of(const Skeleton& skeleton, std::span<const Transform> model, std::size_t bone) {
    const int parent = skeleton.bones()[bone].parent;
    return parent == k_no_bone ? skeleton.above() : model[static_cast<std::size_t>(parent)];
}

// `parent * child` in plain numbers: this is where posing spends its time, and calls would double it.
inline void stand(const Transform& parent, const Transform& child, Transform& result) {
    const float px = parent.rotation.x();
    const float py = parent.rotation.y();
    const float pz = parent.rotation.z();
    const float pw = parent.rotation.w();
    const float cx = child.rotation.x();
    const float cy = child.rotation.y();
    const float cz = child.rotation.z();
    const float cw = child.rotation.w();
    const float vx = parent.scale.x() * child.translation.x();
    const float vy = parent.scale.y() * child.translation.y();
    const float vz = parent.scale.z() * child.translation.z();
    const float tx = 2.0f * (py * vz - pz * vy);
    const float ty = 2.0f * (pz * vx - px * vz);
    const float tz = 2.0f * (px * vy - py * vx);
    const Vec3 scale(parent.scale.x() * child.scale.x(), parent.scale.y() * child.scale.y(),
                     parent.scale.z() * child.scale.z());
    const Vec3 position(parent.translation.x() + vx + pw * tx + (py * tz - pz * ty),
                        parent.translation.y() + vy + pw * ty + (pz * tx - px * tz),
                        parent.translation.z() + vz + pw * tz + (px * ty - py * tx));
    result.rotation = Quat(pw * cw - px * cx - py * cy - pz * cz, pw * cx + px * cw + py * cz - pz * cy,
                           pw * cy + py * cw + pz * cx - px * cz, pw * cz + pz * cw + px * cy - py * cx);
    result.translation = position;
    result.scale = scale;
}

}  // namespace

void to_model_space(const Skeleton& skeleton, std::span<const Transform> local,
                    std::span<Transform> model) noexcept {
    const std::size_t count = skeleton.size();
    for (std::size_t start = 0; count > 0 && start + count <= local.size(); start += count) {
        const auto pose = model.subspan(start, count);
        for (std::size_t i = 0; i < count; ++i)
            stand(parent_of(skeleton, pose, i), local[start + i], pose[i]);
    }
}

void to_local_space(const Skeleton& skeleton, std::span<const Transform> model,
                    std::span<Transform> local) noexcept {
    const std::size_t count = skeleton.size();
    for (std::size_t start = 0; count > 0 && start + count <= model.size(); start += count) {
        const auto pose = model.subspan(start, count);
        for (std::size_t i = 0; i < count; ++i) {
            local[start + i] = inverse(parent_of(skeleton, pose, i)) * pose[i];
            local[start + i].rotation.normalize();
        }
    }
}

void to_model_matrices(const Skeleton& skeleton, std::span<const Transform> local,
                       std::span<Affine> model) noexcept {
    for (std::size_t i = 0; i < skeleton.size(); ++i) {
        const int parent = skeleton.bones()[i].parent;
        const Affine above =
            parent == k_no_bone ? to_affine(skeleton.above()) : model[static_cast<std::size_t>(parent)];
        model[i] = above * to_affine(local[i]);
    }
}

std::vector<Transform> rest_pose(const Skeleton& skeleton) {
    std::vector<Transform> pose;
    pose.reserve(skeleton.size());
    for (const Bone& bone : skeleton.bones()) pose.push_back(bone.rest);
    return pose;
}

std::vector<Transform> rest_in_model_space(const Skeleton& skeleton) {
    std::vector<Transform> pose = rest_pose(skeleton);
    to_model_space(skeleton, pose, pose);
    return pose;
}

}  // namespace dendraxis
