// Volumes: parallel lines through the skin at rest; a line is inside where it has gone in more often than
// out (M. E. Newell's and F. Sutherland's winding rule in space), so that parts that overlap count once.
#include "fit_body.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr int k_lines = 300;       // along the longer side
constexpr float k_pieces = 60.0f;  // that the longest side is told apart into
constexpr float k_cells = 48.0f;   // along the longest side, at the most

struct Crossing {
    float depth;
    int direction;  // 1 in, -1 out
};

// The body of the vertex that is nearest to a position. Vertices lie in cells, looked through from the
// position outward.
class NearestBody {
 public:
    NearestBody(const SkinByBody& skin, const Vec3& low, const Vec3& high) : skin_(skin), low_(low) {
        // Few vertices in many cells would mean to look through empty ones for most of the time.
        const float cells =
            std::clamp(2.0f * std::cbrt(static_cast<float>(skin.positions.size())), 1.0f, k_cells);
        cell_ = std::max(1e-6f, (high - low).maxCoeff() / cells);
        for (int axis = 0; axis < 3; ++axis)
            counts_[axis] = 1 + static_cast<int>((high[axis] - low[axis]) / cell_);
        cells_.resize(static_cast<std::size_t>(counts_.prod()));
        for (std::size_t v = 0; v < skin.positions.size(); ++v)
            cells_[index_of(cell_of(skin.positions[v]))].push_back(static_cast<std::uint32_t>(v));
    }
    int operator()(const Vec3& position) const {
        const Eigen::Array3i middle = cell_of(position);
        std::size_t best = 0;
        float least = 1e30f;
        for (int ring = 0; ring <= counts_.maxCoeff(); ++ring) {
            const float sure = cell_ * static_cast<float>(ring - 1);  // all nearer ones were seen
            if (ring > 0 && least <= sure * sure) break;
            const Eigen::Array3i from = (middle - ring).max(0);
            const Eigen::Array3i to = (middle + ring).min(counts_ - 1);
            Eigen::Array3i at;
            for (at[0] = from[0]; at[0] <= to[0]; ++at[0]) {
                for (at[1] = from[1]; at[1] <= to[1]; ++at[1]) {
                    for (at[2] = from[2]; at[2] <= to[2]; ++at[2]) {
                        if ((at - middle).abs().maxCoeff() < ring) continue;
                        for (const std::uint32_t v : cells_[index_of(at)]) {
                            const float far = (skin_.positions[v] - position).squaredNorm();
                            if (far < least) least = far, best = v;
                        }
                    }
                }
            }
        }
        return skin_.bodies[best];
    }

 private:
    Eigen::Array3i cell_of(const Vec3& position) const {
        return ((position - low_) / cell_).array().cast<int>().max(0).min(counts_ - 1);
    }
    std::size_t index_of(const Eigen::Array3i& at) const {
        return static_cast<std::size_t>((at[0] * counts_[1] + at[1]) * counts_[2] + at[2]);
    }

    const SkinByBody& skin_;
    Vec3 low_;
    float cell_ = 1.0f;
    Eigen::Array3i counts_;
    std::vector<std::vector<std::uint32_t>> cells_;
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
    std::vector<Vec3> positions;
    for (const SkinnedMesh& mesh : character.meshes) {
        const auto first = static_cast<std::uint32_t>(skin.positions.size());
        positions.resize(mesh.positions.size());
        deform(mesh, matrices, positions);
        for (std::size_t v = 0; v < positions.size(); ++v) {
            skin.positions.push_back(upright * positions[v]);
            skin.bodies.push_back(body_of(mesh, v, owners));
        }
        for (const auto& corners : mesh.triangles)
            skin.triangles.push_back({first + corners[0], first + corners[1], first + corners[2]});
    }
    return skin;
}

std::vector<Vec3> SkinByBody::positions_of(int body, float apart) const {
    std::vector<Vec3> found;
    std::vector<Vec3> spread;
    for (std::size_t v = 0; v < positions.size(); ++v) {
        if (bodies[v] == body) found.push_back(positions[v]);
    }
    for (const auto& corners : triangles) {
        const auto is_own = [&](std::uint32_t corner) { return bodies[corner] == body; };
        if (std::none_of(corners.begin(), corners.end(), is_own)) continue;
        const Vec3& a = positions[corners[0]];
        const Vec3 ab = positions[corners[1]] - a;
        const Vec3 ac = positions[corners[2]] - a;
        const float area = 0.5f * ab.cross(ac).norm();
        const int count = std::max(1, static_cast<int>(area / (apart * apart)));
        for (int i = 0; i < count; ++i) {
            // R2, an even sequence: M. Roberts, "The unreasonable effectiveness of quasirandom sequences"
            // (2018).
            float b = std::fmod(0.5f + 0.7548777f * static_cast<float>(i), 1.0f);
            float c = std::fmod(0.5f + 0.5698403f * static_cast<float>(i), 1.0f);
            if (b + c > 1.0f) b = 1.0f - b, c = 1.0f - c;
            const std::size_t nearest = b > c && b > 1.0f - b - c ? 1 : c > 1.0f - b - c ? 2 : 0;
            if (is_own(corners[nearest])) spread.push_back(a + b * ab + c * ac);
        }
    }
    // Both kinds count alike: turn by turn one of each, until both were all taken once.
    std::vector<Vec3> mixed;
    for (std::size_t i = 0; i < std::max(found.size(), spread.size()); ++i) {
        if (!found.empty()) mixed.push_back(found[i % found.size()]);
        if (!spread.empty()) mixed.push_back(spread[i % spread.size()]);
    }
    return mixed;
}

std::vector<float> volumes_by_body(const SkinByBody& skin, std::size_t bodies) {
    std::vector<float> volumes(bodies, 0.0f);
    if (skin.triangles.empty()) return volumes;
    Vec3 low = skin.positions.front();
    Vec3 high = low;
    for (const Vec3& position : skin.positions) low = low.cwiseMin(position), high = high.cwiseMax(position);
    const float step = std::max(high.x() - low.x(), high.y() - low.y()) / k_lines;
    if (!(step > 0.0f) || !std::isfinite(step)) return volumes;
    const int columns = static_cast<int>((high.x() - low.x()) / step) + 2;
    const int rows = static_cast<int>((high.y() - low.y()) / step) + 2;
    std::vector<std::vector<Crossing>> lines(static_cast<std::size_t>(columns * rows));
    for (const auto& corners : skin.triangles) {
        std::array<Eigen::Vector2f, 3> flat;
        for (std::size_t i = 0; i < 3; ++i)
            flat[i] = (skin.positions[corners[i]] - low).head<2>() / step - Eigen::Vector2f(0.503f, 0.497f);
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
                const float depth = (1.0f - b - c) * skin.positions[corners[0]].z() +
                                    b * skin.positions[corners[1]].z() + c * skin.positions[corners[2]].z();
                lines[static_cast<std::size_t>(y * columns + x)].push_back({depth, area < 0.0f ? 1 : -1});
            }
        }
    }
    const NearestBody nearest_body(skin, low, high);
    const float longest = (high - low).maxCoeff() / k_pieces;
    for (std::size_t l = 0; l < lines.size(); ++l) {
        std::vector<Crossing>& line = lines[l];
        std::sort(line.begin(), line.end(), [](const auto& a, const auto& b) { return a.depth < b.depth; });
        const auto column = static_cast<float>(l % static_cast<std::size_t>(columns));
        const auto row = static_cast<float>(l / static_cast<std::size_t>(columns));
        const Vec3 start(low.x() + step * (column + 0.5f), low.y() + step * (row + 0.5f), 0.0f);
        int inside = 0;
        for (std::size_t i = 0; i + 1 < line.size(); ++i) {
            inside += line[i].direction;
            const float length = line[i + 1].depth - line[i].depth;
            if (inside == 0 || length <= 0.0f) continue;
            // A long way through the body is of several parts.
            const int pieces = 1 + static_cast<int>(length / longest);
            const float each = length / static_cast<float>(pieces);
            for (int piece = 0; piece < pieces; ++piece) {
                const float depth = line[i].depth + (static_cast<float>(piece) + 0.5f) * each;
                const int body = nearest_body(start + Vec3(0.0f, 0.0f, depth));
                if (body >= 0) volumes[static_cast<std::size_t>(body)] += each * step * step;
            }
        }
    }
    return volumes;
}

}  // namespace dendraxis::detail
