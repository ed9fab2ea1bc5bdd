// Ground to walk on: a slipway and a flight of steps. Each is one bone with a plain surface.
#include "people.hpp"

#include <dendraxis/base/rotation.hpp>

#include <cmath>

namespace harbour {
namespace {

using dendraxis::Character;
using dendraxis::Vec3;

// A strip over the ground, 3 m wide: heights at places along z; a place that stands twice makes a riser.
Character make_strip(const std::string& name, const std::vector<std::pair<float, float>>& profile) {
    Character strip;
    strip.name = name;
    dendraxis::Bone bone;
    bone.name = bone.label = name;
    strip.skeleton = dendraxis::Skeleton({bone});
    dendraxis::SkinnedMesh mesh;
    mesh.name = "stone";
    mesh.color = {0.42f, 0.44f, 0.47f};
    for (std::size_t i = 0; i + 1 < profile.size(); ++i) {
        const auto& [z0, y0] = profile[i];
        const auto& [z1, y1] = profile[i + 1];
        const Vec3 normal = Vec3(0.0f, z1 - z0, y0 - y1).normalized();
        const auto first = static_cast<std::uint32_t>(mesh.positions.size());
        for (const auto& [x, z, y] :
             {std::tuple{-1.5f, z0, y0}, {1.5f, z0, y0}, {1.5f, z1, y1}, {-1.5f, z1, y1}}) {
            mesh.positions.emplace_back(x, y, z);
            mesh.normals.push_back(normal);
        }
        mesh.triangles.push_back({first, first + 2, first + 1});
        mesh.triangles.push_back({first, first + 3, first + 2});
    }
    mesh.joints.assign(mesh.positions.size(), {0, 0, 0, 0});
    mesh.weights.assign(mesh.positions.size(), {1.0f, 0.0f, 0.0f, 0.0f});
    mesh.bones = {0};
    mesh.inverse_bind = {dendraxis::Affine::Identity()};
    strip.meshes.push_back(std::move(mesh));
    return strip;
}

}  // namespace

Character make_slipway() {
    const float rise = std::tan(10.0f / dendraxis::k_degrees);
    return make_strip("slipway", {{-3.0f, 0.0f}, {0.4f, 0.0f}, {2.6f, 2.2f * rise}, {6.0f, 2.2f * rise}});
}

Character make_steps() {
    std::vector<std::pair<float, float>> profile{{-3.0f, 0.0f}};
    for (int step = 0; step < 6; ++step) {
        const float z = 0.45f + 0.4f * static_cast<float>(step);
        profile.emplace_back(z, 0.08f * static_cast<float>(step));
        profile.emplace_back(z, 0.08f * static_cast<float>(step + 1));
    }
    profile.emplace_back(6.0f, 0.48f);
    return make_strip("steps", profile);
}

}  // namespace harbour
