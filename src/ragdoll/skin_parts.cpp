// Volumes: parallel lines through the skin at rest; a line is inside where it has gone in more often than
// out (M. E. Newell's and F. Sutherland's winding rule in space), so that parts that overlap count once.
#include "fit_body.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr int k_lines = 220;  // along the longer side

struct Crossing {
    float depth;
    int way;  // 1 in, -1 out
    int body;
};

int body_of(const SkinnedMesh& mesh, std::size_t vertex, std::span<const int> owners) {
    std::array<std::pair<int, float>, 4> shares{};
    std::size_t count = 0;
    for (std::size_t k = 0; k < 4; ++k) {
        const float weight = mesh.weights[vertex][k];
        const int bone = mesh.bones[static_cast<std::size_t>(mesh.joints[vertex][k])];
        const int body = owners[static_cast<std::size_t>(bone)];
        if (weight <= 0.0f || body < 0) continue;
        const auto end = shares.begin() + static_cast<std::ptrdiff_t>(count);
        const auto same = std::find_if(shares.begin(), end, [&](const auto& s) { return s.first == body; });
        if (same == end)
            shares[count++] = {body, weight};
        else
            same->second += weight;
    }
    if (count == 0) return -1;
    const auto end = shares.begin() + static_cast<std::ptrdiff_t>(count);
    return std::max_element(shares.begin(), end,
                            [](const auto& a, const auto& b) { return a.second < b.second; })
        ->first;
}

}  // namespace

SkinByBody skin_by_body(const Character& character, const Chart& chart, std::span<const int> owners) {
    std::vector<Affine> matrices(chart.skeleton.size());
    to_model_matrices(chart.skeleton, rest_pose(chart.skeleton), matrices);
    const Quat upright = chart.to_upright();
    SkinByBody skin;
    std::vector<Vec3> places;
    for (const SkinnedMesh& mesh : character.meshes) {
        const auto first = static_cast<std::uint32_t>(skin.places.size());
        places.resize(mesh.positions.size());
        deform(mesh, matrices, places);
        for (std::size_t v = 0; v < places.size(); ++v) {
            skin.places.push_back(upright * places[v]);
            skin.bodies.push_back(body_of(mesh, v, owners));
        }
        for (const auto& corners : mesh.triangles)
            skin.triangles.push_back({first + corners[0], first + corners[1], first + corners[2]});
    }
    return skin;
}

std::vector<float> volumes_by_body(const SkinByBody& skin, std::size_t bodies) {
    std::vector<float> volumes(bodies, 0.0f);
    if (skin.triangles.empty()) return volumes;
    Vec3 low = skin.places.front();
    Vec3 high = low;
    for (const Vec3& place : skin.places) low = low.cwiseMin(place), high = high.cwiseMax(place);
    const float step = std::max(high.x() - low.x(), high.y() - low.y()) / k_lines;
    if (!(step > 0.0f) || !std::isfinite(step)) return volumes;
    const int columns = static_cast<int>((high.x() - low.x()) / step) + 2;
    const int rows = static_cast<int>((high.y() - low.y()) / step) + 2;
    std::vector<std::vector<Crossing>> lines(static_cast<std::size_t>(columns * rows));
    for (const auto& corners : skin.triangles) {
        std::array<Eigen::Vector2f, 3> flat;
        for (std::size_t i = 0; i < 3; ++i)
            flat[i] = (skin.places[corners[i]] - low).head<2>() / step - Eigen::Vector2f(0.503f, 0.497f);
        const Eigen::Vector2f ab = flat[1] - flat[0];
        const Eigen::Vector2f ac = flat[2] - flat[0];
        const float area = ab.x() * ac.y() - ab.y() * ac.x();
        if (std::abs(area) < 1e-9f) continue;
        const auto [x0, x1] = std::minmax({flat[0].x(), flat[1].x(), flat[2].x()});
        const auto [y0, y1] = std::minmax({flat[0].y(), flat[1].y(), flat[2].y()});
        for (int y = std::max(0, static_cast<int>(std::ceil(y0)));
             y <= std::min(rows - 1, static_cast<int>(y1)); ++y) {
            for (int x = std::max(0, static_cast<int>(std::ceil(x0)));
                 x <= std::min(columns - 1, static_cast<int>(x1)); ++x) {
                const Eigen::Vector2f p =
                    Eigen::Vector2f(static_cast<float>(x), static_cast<float>(y)) - flat[0];
                const float b = (p.x() * ac.y() - p.y() * ac.x()) / area;
                const float c = (ab.x() * p.y() - ab.y() * p.x()) / area;
                if (b < 0.0f || c < 0.0f || b + c > 1.0f) continue;
                const float depth = (1.0f - b - c) * skin.places[corners[0]].z() +
                                    b * skin.places[corners[1]].z() + c * skin.places[corners[2]].z();
                const std::size_t nearest = b > c && b > 1.0f - b - c ? 1 : c > 1.0f - b - c ? 2 : 0;
                lines[static_cast<std::size_t>(y * columns + x)].push_back(
                    {depth, area < 0.0f ? 1 : -1, skin.bodies[corners[nearest]]});
            }
        }
    }
    for (std::vector<Crossing>& line : lines) {
        std::sort(line.begin(), line.end(), [](const auto& a, const auto& b) { return a.depth < b.depth; });
        int inside = 0;
        for (std::size_t i = 0; i + 1 < line.size(); ++i) {
            inside += line[i].way;
            if (inside == 0) continue;
            const float half = 0.5f * (line[i + 1].depth - line[i].depth) * step * step;
            for (const int body : {line[i].body, line[i + 1].body}) {
                if (body >= 0) volumes[static_cast<std::size_t>(body)] += half;
            }
        }
    }
    return volumes;
}

}  // namespace dendraxis
