#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace dendraxis {
namespace {

constexpr int k_coarse = 64;         // directions
constexpr int k_fine = 2048;         // directions
constexpr int k_fine_of_many = 512;  // directions for bodies of more positions than the next
constexpr std::size_t k_most_for_fine = 20'000;
constexpr float k_left_out = 0.001f;   // of the height: what may stand out of the chosen ones
constexpr float k_good_share = 0.03f;  // of a vertex

// Evenly over the ball: R. Swinbank and R. J. Purser, "Fibonacci grids" (2006).
Vec3 direction(int index, int count) {
    const float height = 1.0f - (2.0f * static_cast<float>(index) + 1.0f) / static_cast<float>(count);
    const float around = 2.0f * k_pi * static_cast<float>(index) / std::numbers::phi_v<float>;
    const float radius = std::sqrt(1.0f - height * height);
    return {radius * std::cos(around), height, radius * std::sin(around)};
}

const Vec3& farthest(const std::vector<Vec3>& positions, const Vec3& way) {
    return *std::max_element(positions.begin(), positions.end(),
                             [&](const Vec3& a, const Vec3& b) { return a.dot(way) < b.dot(way); });
}

// Those that lie outermost in a few directions, and whatever stands out of them in many: a corner between two
// others is outermost in a narrow cone only.
std::vector<Vec3> outermost_of(const std::vector<Vec3>& positions, float left_out) {
    std::vector<Vec3> chosen;
    if (positions.empty()) return chosen;
    for (int i = 0; i < k_coarse; ++i) {
        const Vec3& position = farthest(positions, direction(i, k_coarse));
        if (std::find(chosen.begin(), chosen.end(), position) == chosen.end()) chosen.push_back(position);
    }
    const int fine = positions.size() > k_most_for_fine ? k_fine_of_many : k_fine;
    for (int i = 0; i < fine; ++i) {
        const Vec3 way = direction(i, fine);
        const Vec3& position = farthest(positions, way);
        if (position.dot(way) > farthest(chosen, way).dot(way) + left_out) chosen.push_back(position);
    }
    return chosen;
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
    for (std::size_t body = 0; body < own.size(); ++body)
        outermost[body] = outermost_of(own[body], k_left_out * chart.height);
    return outermost;
}

}  // namespace dendraxis
