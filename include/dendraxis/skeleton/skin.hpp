// The surface that hangs on the bones.
#pragma once

#include <dendraxis/base/transform.hpp>

#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace dendraxis {

/// Triangles of one material, each vertex moved by up to four bones. Positions and normals are in the mesh's
/// own space; `inverse_bind[k]` takes them to the space of bone `bones[k]`.
struct SkinnedMesh {
    std::string name;
    std::vector<Vec3> positions;
    std::vector<Vec3> normals;  ///< as many as positions, or none
    std::vector<std::array<std::uint32_t, 3>> triangles;
    std::vector<std::array<std::uint16_t, 4>> joints;  ///< indices into `bones`
    std::vector<std::array<float, 4>> weights;         ///< sum to one
    std::vector<int> bones;
    std::vector<Affine> inverse_bind;
    std::array<float, 3> color{0.8f, 0.8f, 0.8f};  ///< linear red, green, blue, 0 to 1
    int picture = -1;  ///< the image of its file that colors it, for `io::pictures_of`; -1: none
    std::vector<Eigen::Vector2f> picture_points = {};  ///< where in its picture each vertex is, or none
    bool is_cut_out = false;  ///< by its picture: what is more than half transparent is not there
};

/// Where the vertices are when the bones stand at `bone_matrices` (model space, one a bone of the skeleton).
/// `positions` takes one a vertex. Linear blend skinning, as glTF 2.0 section 3.7.3 defines it.
/// Never allocates or throws.
void deform(const SkinnedMesh& mesh, std::span<const Affine> bone_matrices,
            std::span<Vec3> positions) noexcept;

}  // namespace dendraxis
