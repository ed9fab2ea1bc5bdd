#include "piece_shell.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/equip/surface.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr std::size_t k_slices = 96;

}  // namespace

PieceShell::PieceShell(const Prop& piece, int axis, bool mirrored)
    : axis_(axis), slices_(k_slices), low_(Vec3::Constant(1e30f)), high_(-low_), middle_(Vec3::Zero()) {
    const Surface surface = surface_of(piece.model);
    if (surface.triangles.empty())
        throw Error(piece.name, "shows nothing: it has no triangles", "", "name a file with a mesh");
    const Vec3 side(mirrored ? -1.0f : 1.0f, 1.0f, 1.0f);
    float area = 0.0f;
    for (const auto& corners : surface.triangles) {
        std::array<Vec3, 3> places;
        for (std::size_t c = 0; c < 3; ++c) {
            places[c] = side.cwiseProduct(surface.places[corners[c]]);
            low_ = low_.cwiseMin(places[c]);
            high_ = high_.cwiseMax(places[c]);
        }
        triangles_.push_back({places[0], places[1] - places[0], places[2] - places[0]});
        const float own = triangles_.back().ab.cross(triangles_.back().ac).norm();
        area += own;
        middle_ += own / 3.0f * (places[0] + places[1] + places[2]);
    }
    middle_ /= std::max(1e-20f, area);
    for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
        const Triangle& one = triangles_[t];
        const float a = one.corner[axis_];
        const float b = a + one.ab[axis_];
        const float c = a + one.ac[axis_];
        const std::size_t last = slice(std::max({a, b, c}));
        for (std::size_t s = slice(std::min({a, b, c})); s <= last; ++s) slices_[s].push_back(t);
    }
}

std::size_t PieceShell::slice(float along) const noexcept {
    const float share = (along - low_[axis_]) / std::max(1e-9f, high_[axis_] - low_[axis_]);
    return static_cast<std::size_t>(std::clamp(share, 0.0f, 1.0f) * (k_slices - 0.01f));
}

std::optional<PieceShell::Crossings> PieceShell::crossings(const Vec3& from, const Vec3& to) const noexcept {
    if (from[axis_] < low_[axis_] || from[axis_] > high_[axis_]) return std::nullopt;
    const Vec3 way = to - from;
    std::optional<Crossings> found;
    for (const std::uint32_t t : slices_[slice(from[axis_])]) {
        const Triangle& one = triangles_[t];
        const Vec3 across = way.cross(one.ac);
        const float size = one.ab.dot(across);
        if (std::abs(size) < 1e-14f) continue;
        const Vec3 off = from - one.corner;
        const float b = off.dot(across) / size;
        const Vec3 square = off.cross(one.ab);
        const float c = way.dot(square) / size;
        if (b < 0.0f || c < 0.0f || b + c > 1.0f) continue;
        const float share = one.ac.dot(square) / size;
        if (share <= 0.0f) continue;
        if (!found) found = Crossings{share, share};
        found->first = std::min(found->first, share);
        found->last = std::max(found->last, share);
    }
    return found;
}

bool PieceShell::is_open_along(const Vec3& point) const noexcept {
    const int i = (axis_ + 1) % 3;
    const int j = (axis_ + 2) % 3;
    return std::none_of(triangles_.begin(), triangles_.end(), [&](const Triangle& one) {
        const float size = one.ab[i] * one.ac[j] - one.ab[j] * one.ac[i];
        if (std::abs(size) < 1e-14f) return false;
        const float x = point[i] - one.corner[i];
        const float y = point[j] - one.corner[j];
        const float b = (x * one.ac[j] - y * one.ac[i]) / size;
        const float c = (one.ab[i] * y - one.ab[j] * x) / size;
        return b >= 0.0f && c >= 0.0f && b + c <= 1.0f;
    });
}

}  // namespace dendraxis
