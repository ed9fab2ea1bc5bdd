#include "piece_shell.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <algorithm>
#include <array>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr std::size_t k_slices = 64;
constexpr std::size_t k_angles = 64;

}  // namespace

PieceShell::PieceShell(const Prop& piece, int axis, bool mirrored)
    : axis_(axis), low_(Vec3::Constant(1e30f)), high_(-low_), middle_(Vec3::Zero()) {
    const Surface surface = surface_of(piece.model);
    if (surface.triangles.empty())
        throw Error(piece.name, "shows nothing: it has no triangles", "", "name a file with a mesh");
    const Vec3 side(mirrored ? -1.0f : 1.0f, 1.0f, 1.0f);
    float area = 0.0f;
    for (const auto& corners : surface.triangles) {
        std::array<Vec3, 3> positions;
        for (std::size_t c = 0; c < 3; ++c) {
            positions[c] = side.cwiseProduct(surface.positions[corners[c]]);
            low_ = low_.cwiseMin(positions[c]);
            high_ = high_.cwiseMax(positions[c]);
        }
        triangles_.push_back({positions[0], positions[1] - positions[0], positions[2] - positions[0]});
        const float own = triangles_.back().ab.cross(triangles_.back().ac).norm();
        area += own;
        middle_ += own / 3.0f * (positions[0] + positions[1] + positions[2]);
    }
    middle_ /= std::max(1e-20f, area);
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

ShellAround::ShellAround(const PieceShell& shell, const Vec3& through)
    : shell_(shell), x_(through[(shell.axis() + 1) % 3]), y_(through[(shell.axis() + 2) % 3]) {
    starts_.assign(k_slices * k_angles + 1, 0);
    const auto visit = [&](const auto& each) {
        for (std::uint32_t t = 0; t < shell.triangles().size(); ++t) {
            const Cells cells = cells_of(shell.triangles()[t]);
            for (std::size_t s = cells.first_slice; s <= cells.last_slice; ++s) {
                for (std::size_t a = 0; a < cells.angles; ++a)
                    each(s * k_angles + (cells.first_angle + a) % k_angles, t);
            }
        }
    };
    visit([&](std::size_t cell, std::uint32_t) { ++starts_[cell + 1]; });
    for (std::size_t cell = 0; cell + 1 < starts_.size(); ++cell) starts_[cell + 1] += starts_[cell];
    held_.resize(starts_.back());
    std::vector<std::uint32_t> next(starts_.begin(), starts_.end() - 1);
    visit([&](std::size_t cell, std::uint32_t t) { held_[next[cell]++] = t; });
}

std::size_t ShellAround::slice(float along) const noexcept {
    const float low = shell_.low()[shell_.axis()];
    const float high = shell_.high()[shell_.axis()];
    const float share = (along - low) / std::max(1e-9f, high - low);
    return static_cast<std::size_t>(std::clamp(share, 0.0f, 1.0f) * (k_slices - 0.01f));
}

// In cells, 0 to their number.
float ShellAround::angle(float x, float y) const noexcept {
    const float turn = std::atan2(y - y_, x - x_) / (2.0f * k_pi);
    return (turn < 0.0f ? turn + 1.0f : turn) * k_angles;
}

ShellAround::Cells ShellAround::cells_of(const PieceShell::Triangle& triangle) const noexcept {
    const int axis = shell_.axis();
    const std::array<Vec3, 3> corners{triangle.corner, triangle.corner + triangle.ab,
                                      triangle.corner + triangle.ac};
    float low = corners[0][axis];
    float high = low;
    std::array<float, 3> at{};
    for (std::size_t c = 0; c < 3; ++c) {
        low = std::min(low, corners[c][axis]);
        high = std::max(high, corners[c][axis]);
        at[c] = angle(corners[c][(axis + 1) % 3], corners[c][(axis + 2) % 3]);
    }
    // The widest gap between its corners' angles is where it is not; with none of half a turn it may be
    // anywhere.
    std::sort(at.begin(), at.end());
    constexpr float all = k_angles;
    const std::array<float, 3> gaps{at[1] - at[0], at[2] - at[1], at[0] + all - at[2]};
    const auto widest = static_cast<std::size_t>(std::max_element(gaps.begin(), gaps.end()) - gaps.begin());
    Cells cells{slice(low), slice(high), 0, k_angles};
    if (gaps[widest] < 0.5f * all + 1e-2f) return cells;
    const float from = at[(widest + 1) % 3] - 1e-2f;
    const float span = all - gaps[widest] + 2e-2f;
    cells.first_angle = static_cast<std::size_t>(std::floor(from) + all) % k_angles;
    cells.angles =
        std::min(k_angles, static_cast<std::size_t>(std::floor(from + span) - std::floor(from)) + 1);
    return cells;
}

// T. Moeller and B. Trumbore, see surface.hpp.
std::optional<ShellAround::Crossings> ShellAround::crossings(const Vec3& to) const noexcept {
    const int axis = shell_.axis();
    if (to[axis] < shell_.low()[axis] || to[axis] > shell_.high()[axis]) return std::nullopt;
    Vec3 from = to;
    from[(axis + 1) % 3] = x_;
    from[(axis + 2) % 3] = y_;
    const Vec3 direction = to - from;
    const auto around =
        std::min(k_angles - 1, static_cast<std::size_t>(angle(to[(axis + 1) % 3], to[(axis + 2) % 3])));
    const std::size_t cell = slice(to[axis]) * k_angles + around;
    std::optional<Crossings> found;
    for (std::uint32_t h = starts_[cell]; h < starts_[cell + 1]; ++h) {
        const PieceShell::Triangle& one = shell_.triangles()[held_[h]];
        const Vec3 across = direction.cross(one.ac);
        const float size = one.ab.dot(across);
        if (std::abs(size) < 1e-14f) continue;
        const Vec3 off = from - one.corner;
        const float b = off.dot(across) / size;
        const Vec3 square = off.cross(one.ab);
        const float c = direction.dot(square) / size;
        if (b < 0.0f || c < 0.0f || b + c > 1.0f) continue;
        const float share = one.ac.dot(square) / size;
        if (share <= 0.0f) continue;
        if (!found) found = Crossings{share, share};
        found->first = std::min(found->first, share);
        found->last = std::max(found->last, share);
    }
    return found;
}

}  // namespace dendraxis::detail
