// How a bone lies whose end no joint tells: by the skin that it alone moves.
#include <dendraxis/chart/body_shape.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_no_length = 1e-3f;  // of the height
constexpr float k_alone = 0.99f;      // of a vertex; what is shared is bent where the bones are
constexpr int k_fewest = 3;           // vertices

struct Sums {
    int count = 0;
    Eigen::Vector3d even = Eigen::Vector3d::Zero();
    Eigen::Vector3d far = Eigen::Vector3d::Zero();  // those far from the joint count more
    double far_weight = 0.0;
};

}  // namespace

std::vector<BoneMark> bone_marks(const Character& character) {
    const std::vector<Transform> rest = rest_in_model_space(character.skeleton);
    std::vector<Affine> matrices(rest.size());
    to_model_matrices(character.skeleton, rest_pose(character.skeleton), matrices);
    std::vector<Sums> sums(rest.size());
    std::vector<Vec3> positions;
    for (const SkinnedMesh& mesh : character.meshes) {
        positions.resize(mesh.positions.size());
        deform(mesh, matrices, positions);
        for (std::size_t v = 0; v < positions.size(); ++v) {
            for (std::size_t k = 0; k < 4; ++k) {
                if (mesh.weights[v][k] < k_alone) continue;
                const auto bone = static_cast<std::size_t>(mesh.bones[mesh.joints[v][k]]);
                const double square =
                    static_cast<double>((positions[v] - rest[bone].translation).squaredNorm());
                Sums& sum = sums[bone];
                ++sum.count;
                sum.even += positions[v].cast<double>();
                sum.far += square * square * positions[v].cast<double>();
                sum.far_weight += square * square;
            }
        }
    }
    std::vector<BoneMark> marks;
    for (std::size_t bone = 0; bone < sums.size(); ++bone) {
        const Sums& sum = sums[bone];
        if (sum.count < k_fewest || sum.far_weight <= 0.0) continue;
        marks.push_back({static_cast<int>(bone), (sum.even / sum.count).cast<float>()});
        marks.push_back({static_cast<int>(bone), (sum.far / sum.far_weight).cast<float>()});
    }
    return marks;
}

std::optional<Vec3> end_at_rest(const Chart& chart, std::span<const Transform> rest, int bone) {
    const Vec3& head = rest[static_cast<std::size_t>(bone)].translation;
    const float least = k_no_length * chart.height;
    Vec3 end = head;
    const auto take = [&](const Vec3& other) {
        if ((other - head).norm() > std::max(least, (end - head).norm())) end = other;
    };
    for (const int child : chart.skeleton.children(bone))
        take(rest[static_cast<std::size_t>(child)].translation);
    if (end == head) {
        for (const BoneMark& mark : chart.shape.marks) {
            if (mark.bone == bone) take(mark.position);
        }
    }
    return end == head ? std::nullopt : std::optional<Vec3>(end);
}

}  // namespace dendraxis
