#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/gltf/ground.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis::io {
namespace {

constexpr float k_step_height = 0.6f;  // metres

}  // namespace

Character load_terrain(const std::filesystem::path& file, const Chart& chart) {
    Character scene = load_character(file);
    Transform place;
    place.rotation = shortest_arc(Vec3::UnitY(), chart.up);
    place.translation = chart.floor * chart.up;
    place.scale = Vec3::Constant(1.0f / metres_in_unit(chart));
    const std::span<const Bone> bones = scene.skeleton.bones();
    scene.skeleton = Skeleton({bones.begin(), bones.end()}, place * scene.skeleton.above());
    return scene;
}

TriangleGround load_ground(const std::filesystem::path& file, const Chart& chart) {
    const Character scene = load_terrain(file, chart);
    std::vector<Affine> stands(scene.skeleton.size());
    to_model_matrices(scene.skeleton, rest_pose(scene.skeleton), stands);
    std::vector<Vec3> positions;
    std::vector<std::array<unsigned, 3>> triangles;
    for (const SkinnedMesh& mesh : scene.meshes) {
        const auto first = static_cast<unsigned>(positions.size());
        positions.resize(positions.size() + mesh.positions.size());
        deform(mesh, stands, std::span(positions).subspan(first));
        for (const auto& corners : mesh.triangles)
            triangles.push_back({first + corners[0], first + corners[1], first + corners[2]});
    }
    TriangleGround ground(positions, triangles, chart.up, k_step_height / metres_in_unit(chart));
    for (const Finding& finding : ground.findings()) {
        if (finding.code == "ground.nothing-to-stand-on")
            throw Error(file.string(), finding.message, "", finding.advice);
    }
    return ground;
}

}  // namespace dendraxis::io
