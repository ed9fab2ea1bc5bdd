#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/gltf/ground.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis::io {

TriangleGround load_ground(const std::filesystem::path& file, const Vec3& up) {
    const Character scene = load_character(file);
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
    TriangleGround ground(positions, triangles, up);
    for (const Finding& finding : ground.findings()) {
        if (finding.code == "ground.nothing-to-stand-on")
            throw Error(file.string(), finding.message, "", finding.advice);
    }
    return ground;
}

}  // namespace dendraxis::io
