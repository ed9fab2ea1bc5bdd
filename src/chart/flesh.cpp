// How much skin each bone moves, where it lies, how round it is, and which bones move skin together.
#include "body.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <Eigen/Eigenvalues>

#include <algorithm>
#include <cstdint>
#include <unordered_map>

namespace dendraxis::detail {
namespace {

constexpr std::ptrdiff_t k_least_parts = 4;

struct Flesh {
    double mass = 0.0;
    Eigen::Vector3d sum = Eigen::Vector3d::Zero();
    Eigen::Matrix3d squares = Eigen::Matrix3d::Zero();
    std::vector<Vec3> own;  // vertices that the bone moves more than half
};

// Each vertex stands for a third of the triangles around it, so that finely modeled parts weigh no more. An
// equal small share for each vertex keeps points and degenerate triangles in.
std::vector<float> vertex_areas(const SkinnedMesh& mesh, const std::vector<Vec3>& positions) {
    std::vector<float> areas(positions.size(), 0.0f);
    for (const auto& triangle : mesh.triangles) {
        const Vec3& a = positions[triangle[0]];
        const float area = (positions[triangle[1]] - a).cross(positions[triangle[2]] - a).norm() / 6.0f;
        for (const std::uint32_t corner : triangle) areas[corner] += area;
    }
    float sum = 0.0f;
    for (const float area : areas) sum += area;
    const float least = sum > 0.0f ? 0.01f * sum / static_cast<float>(areas.size()) : 1.0f;
    for (float& area : areas) area = std::max(area, least);
    return areas;
}

class FleshMeter {
 public:
    FleshMeter(const Character& character, Body& body) : body_(body), flesh_(body.count()) {
        std::vector<Affine> matrices(body.count());
        to_model_matrices(character.skeleton, rest_pose(character.skeleton), matrices);
        for (const SkinnedMesh& mesh : character.meshes) {
            body.has_skin = body.has_skin || mesh.bones.size() > 1;
            std::vector<Vec3> positions(mesh.positions.size());
            deform(mesh, matrices, positions);
            const std::vector<float> areas = vertex_areas(mesh, positions);
            for (std::size_t v = 0; v < positions.size(); ++v) add_vertex(mesh, v, positions[v], areas[v]);
            for (const auto& triangle : mesh.triangles) add_seams(mesh, triangle, areas);
        }
    }

    void tell() {
        // A figure of rigid parts, a mesh on each of its nodes, shows its flesh as well as a skin does.
        const auto parts =
            std::count_if(flesh_.begin(), flesh_.end(), [](const Flesh& f) { return f.mass > 0.0; });
        body_.has_skin = body_.has_skin || parts >= k_least_parts;
        for (std::size_t i = 0; i < flesh_.size(); ++i) {
            const Flesh& flesh = flesh_[i];
            if (flesh.mass <= 0.0) continue;
            body_.mass[i] = static_cast<float>(flesh.mass);
            const Eigen::Vector3d middle = flesh.sum / flesh.mass;
            body_.middle[i] = middle.cast<float>();
            const Eigen::Matrix3d spread = flesh.squares / flesh.mass - middle * middle.transpose();
            const Eigen::Vector3d extents =
                Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(spread, Eigen::EigenvaluesOnly).eigenvalues();
            body_.roundness[i] =
                static_cast<float>(std::sqrt(std::max(extents[1], 0.0) / std::max(extents[2], 1e-30)));
            tell_tip(i);
        }
        tell_touching();
    }

 private:
    int bone_of(const SkinnedMesh& mesh, std::size_t vertex, std::size_t k) const {
        return mesh.bones[mesh.joints[vertex][k]];
    }

    void add_vertex(const SkinnedMesh& mesh, std::size_t v, const Vec3& position, float area) {
        for (std::size_t k = 0; k < 4; ++k) {
            const float weight = mesh.weights[v][k];
            if (weight <= 0.0f) continue;
            const int bone = bone_of(mesh, v, k);
            Flesh& flesh = flesh_[static_cast<std::size_t>(bone)];
            const double mass = static_cast<double>(weight) * static_cast<double>(area);
            const Eigen::Vector3d where = position.cast<double>();
            flesh.mass += mass;
            flesh.sum += mass * where;
            flesh.squares += mass * where * where.transpose();
            if (weight > 0.5f) flesh.own.push_back(position);
            for (std::size_t other = 0; other < k; ++other) {
                const float both = std::min(weight, mesh.weights[v][other]);
                if (both > 0.0f) share(bone, bone_of(mesh, v, other), both * area);
            }
        }
    }

    // Where the skin is hard-weighted, a triangle that reaches from one bone's vertices to another's tells
    // that they belong together.
    void add_seams(const SkinnedMesh& mesh, const std::array<std::uint32_t, 3>& triangle,
                   const std::vector<float>& areas) {
        for (std::size_t i = 0; i < 3; ++i) {
            const int a = bone_of(mesh, triangle[i], 0);
            const int b = bone_of(mesh, triangle[(i + 1) % 3], 0);
            if (a != b) share(a, b, 0.1f * std::min(areas[triangle[i]], areas[triangle[(i + 1) % 3]]));
        }
    }

    void share(int a, int b, float mass) {
        if (a == b) return;
        shared_[static_cast<std::uint64_t>(std::min(a, b)) << 32U |
                static_cast<std::uint64_t>(std::max(a, b))] += mass;
    }

    void tell_tip(std::size_t i) {
        const Vec3 along = body_.middle[i] - body_.position[i];
        if (along.norm() < 1e-6f) return;
        const Vec3 direction = along.normalized();
        float reach = along.norm();
        for (const Vec3& vertex : flesh_[i].own)
            reach = std::max(reach, direction.dot(vertex - body_.position[i]));
        body_.tip[i] = body_.position[i] + direction * reach;
        body_.tip_known[i] = 1;
    }

    void tell_touching() {
        for (const auto& [bones, mass] : shared_) {
            const auto a = static_cast<int>(bones >> 32U);
            const auto b = static_cast<int>(bones & 0xFFFFFFFFU);
            body_.touching[static_cast<std::size_t>(a)].emplace_back(b, mass);
            body_.touching[static_cast<std::size_t>(b)].emplace_back(a, mass);
        }
        for (auto& others : body_.touching) std::sort(others.begin(), others.end());
    }

    Body& body_;
    std::vector<Flesh> flesh_;
    std::unordered_map<std::uint64_t, float> shared_;  // by both bones
};

}  // namespace

void measure_flesh(const Character& character, Body& body) {
    FleshMeter(character, body).tell();
}

}  // namespace dendraxis::detail
