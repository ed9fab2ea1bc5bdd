// A piece of clothing as seen from the middle of the limb that it covers.
#pragma once

#include <dendraxis/equip/prop.hpp>

#include <cstdint>
#include <optional>
#include <vector>

namespace dendraxis::detail {

class PieceShell {
 public:
    /// `axis`: which of the piece's own axes (0 to 2) runs along the limb. Mirrored: left and right
    /// exchanged.
    PieceShell(const Prop& piece, int axis, bool mirrored);

    /// Whether a line along the axis, through this point, meets nothing.
    bool is_open_along(const Vec3& point) const noexcept;

    const Vec3& low() const noexcept { return low_; }
    const Vec3& high() const noexcept { return high_; }
    int axis() const noexcept { return axis_; }
    /// The middle of its surface, by area.
    const Vec3& middle() const noexcept { return middle_; }

    struct Triangle {
        Vec3 corner, ab, ac;
    };
    const std::vector<Triangle>& triangles() const noexcept { return triangles_; }

 private:
    int axis_;
    std::vector<Triangle> triangles_;
    Vec3 low_, high_, middle_;
};

/// A shell as it is seen from a line along its axis: for lines that leave it square to the axis. The
/// triangles are sorted by where they lie along it and around it.
class ShellAround {
 public:
    /// `through`: any point on the line, in the piece's own space. The shell must outlive it.
    ShellAround(const PieceShell& shell, const Vec3& through);

    /// Where the line from the axis through `to` meets the piece: shares, 0 on the axis and 1 at `to`.
    struct Crossings {
        float first = 0.0f;
        float last = 0.0f;
    };
    std::optional<Crossings> crossings(const Vec3& to) const noexcept;

 private:
    struct Cells {
        std::size_t first_slice, last_slice, first_angle, angles;
    };
    Cells cells_of(const PieceShell::Triangle& triangle) const noexcept;
    std::size_t slice(float along) const noexcept;
    float angle(float x, float y) const noexcept;

    const PieceShell& shell_;
    float x_, y_;                        // of the line
    std::vector<std::uint32_t> starts_;  // of each cell its first in `held_`
    std::vector<std::uint32_t> held_;
};

}  // namespace dendraxis::detail
