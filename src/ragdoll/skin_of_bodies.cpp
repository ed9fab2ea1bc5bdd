#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace dendraxis {
namespace {

constexpr int k_directions = 256;
constexpr float k_good_share = 0.1f;  // of a vertex

// Evenly over the ball: R. Swinbank and R. J. Purser, "Fibonacci grids" (2006).
Vec3 direction(int index) {
    const float height = 1.0f - (2.0f * static_cast<float>(index) + 1.0f) / k_directions;
    const float around = 2.0f * k_pi * static_cast<float>(index) / std::numbers::phi_v<float>;
    const float radius = std::sqrt(1.0f - height * height);
    return {radius * std::cos(around), height, radius * std::sin(around)};
}

// What is blended of places above the ground is above the ground itself: so each body that has a good share
// in a vertex keeps it there.
std::vector<int> bodies_that_move(const SkinnedMesh& mesh, std::size_t vertex, std::span<const int> owners) {
    std::array<std::pair<int, float>, 4> shares{};
    std::size_t count = 0;
    for (std::size_t k = 0; k < 4; ++k) {
        const int body =
            owners[static_cast<std::size_t>(mesh.bones[static_cast<std::size_t>(mesh.joints[vertex][k])])];
        const auto end = shares.begin() + static_cast<std::ptrdiff_t>(count);
        const auto same = std::find_if(shares.begin(), end, [&](const auto& s) { return s.first == body; });
        if (same != end)
            same->second += mesh.weights[vertex][k];
        else
            shares[count++] = {body, mesh.weights[vertex][k]};
    }
    std::vector<int> bodies;
    for (std::size_t i = 0; i < count; ++i) {
        if (shares[i].first >= 0 && shares[i].second >= k_good_share) bodies.push_back(shares[i].first);
    }
    return bodies;
}

}  // namespace

std::vector<std::vector<Vec3>> skin_of_bodies(const RagdollPlan& plan, const Character& character,
                                              const Chart& chart) {
    const std::vector<int> owners = bodies_of_bones(chart.skeleton, plan);
    const std::vector<PlacedShape> placed = shapes_at_rest(plan, chart);
    std::vector<Affine> matrices(chart.skeleton.size());
    to_model_matrices(chart.skeleton, rest_pose(chart.skeleton), matrices);
    std::vector<std::vector<Vec3>> own(plan.bodies.size());
    for (const SkinnedMesh& mesh : character.meshes) {
        std::vector<Vec3> positions(mesh.positions.size());
        deform(mesh, matrices, positions);
        for (std::size_t v = 0; v < positions.size(); ++v) {
            const Vec3 upright = chart.to_upright() * positions[v];
            for (const int body : bodies_that_move(mesh, v, owners)) {
                const Transform& frame = placed[static_cast<std::size_t>(body)].frame;
                own[static_cast<std::size_t>(body)].push_back(frame.rotation.conjugate() *
                                                              (upright - frame.translation));
            }
        }
    }
    std::vector<std::vector<Vec3>> outermost(plan.bodies.size());
    for (std::size_t body = 0; body < own.size(); ++body) {
        std::vector<std::size_t> chosen;
        for (int i = 0; i < k_directions && !own[body].empty(); ++i) {
            const Vec3 way = direction(i);
            const auto farthest =
                std::max_element(own[body].begin(), own[body].end(),
                                 [&](const Vec3& a, const Vec3& b) { return a.dot(way) < b.dot(way); });
            chosen.push_back(static_cast<std::size_t>(farthest - own[body].begin()));
        }
        std::sort(chosen.begin(), chosen.end());
        chosen.erase(std::unique(chosen.begin(), chosen.end()), chosen.end());
        for (const std::size_t v : chosen) outermost[body].push_back(own[body][v]);
    }
    return outermost;
}

}  // namespace dendraxis
