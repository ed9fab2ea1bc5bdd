// What happens to the links of one row in one step.
#pragma once

#include "sway_springs.hpp"

#include <dendraxis/base/rotation.hpp>

namespace dendraxis::detail {

/// A link as the animation has it this frame.
struct ShownLink {
    Quat turn = Quat::Identity();  ///< seen from the bone before it
    Vec3 axis = Vec3::UnitY();     ///< to its end, in its own frame; unit length
    float length = 0.0f;
};

/// The end of a link.
struct SwayParticle {
    Vec3 position = Vec3::Zero();
    Vec3 velocity = Vec3::Zero();
    Vec3 bent = Vec3::Zero();  ///< how far it is from where its spring has it, in lengths of its link
    Vec3 from = Vec3::Zero();  ///< where it was a step ago
    float twist = 0.0f;        ///< of its link, radians, that something else gave it and that dies away
};

/// What a row hangs from.
struct SwayAnchor {
    Vec3 position = Vec3::Zero();  ///< the head of its first bone
    Quat turn = Quat::Identity();
};

/// One row in one step. All spans hold one entry a link.
struct RowStep {
    std::span<const ShownLink> before;  ///< a frame ago
    std::span<const ShownLink> shown;   ///< now
    std::span<SwayParticle> particles;
    SwayAnchor anchor;   ///< at the end of this step
    float from = 0.0f;   ///< of the frame, when this step begins
    float share = 1.0f;  ///< of the frame, when this step ends
    float h = 0.0f;      ///< seconds
    bool fresh = false;  ///< how far links were bent a step ago is not known

    /// How a link is turned, seen from the one before, at a share of the frame.
    Quat turn_at(std::size_t link, float at) const noexcept;
    /// How a link is turned that points along `direction`, if without load it is turned by `goal` and points
    /// along `aim`.
    Quat turned_to(std::size_t link, const Quat& goal, const Vec3& aim, const Vec3& direction) const noexcept;
};

/// Working memory, one entry a link of the longest row.
struct RowMemory {
    explicit RowMemory(std::size_t links)
        : springs(links), rows(links), along(links), diagonal(links), right(links) {}
    std::vector<LinkSpring> springs;
    std::vector<SpringRow> rows;
    std::vector<Vec3> along;
    std::vector<float> diagonal;
    std::vector<float> right;
};

inline Quat between(const Quat& from, const Quat& to, float share) noexcept {
    const float sign = from.dot(to) < 0.0f ? -1.0f : 1.0f;
    return Quat((1.0f - share) * from.coeffs() + sign * share * to.coeffs()).normalized();
}

inline Vec3 between(const Vec3& from, const Vec3& to, float share) noexcept {
    return from + share * (to - from);
}

inline Vec3 unit_or(const Vec3& offset, const Vec3& otherwise) noexcept {
    const float length = offset.norm();
    return length > 1e-9f ? Vec3(offset / length) : otherwise;
}

/// The shortest turn from one unit vector to another, in the precision that one step needs.
inline Quat quick_arc(const Vec3& from, const Vec3& to) noexcept {
    const float cosine = from.dot(to);
    if (cosine < -0.999f) return shortest_arc(from, to);
    const Vec3 axis = from.cross(to);
    return Quat(1.0f + cosine, axis.x(), axis.y(), axis.z()).normalized();
}

/// Keeps the twist that links have beside the animation's. `turns`: of the links, in the world.
void take_twists(const RowStep& step, std::span<const Quat> turns) noexcept;

/// What the animation itself moves in a row moves it as it is, with no more speed for it: the row only swings
/// by what its body does and what pulls at it.
void carry_along(const RowStep& step) noexcept;

/// Each link is pulled toward the direction that the animation gives it, seen from the one before. `spring`:
/// 1/s; `damping`: as a share of the stiffness, seconds.
void bend(const RowStep& step, float spring, float damping, RowMemory& memory) noexcept;

/// All links get their lengths at once: the system that couples each to its neighbors has three diagonals.
/// Source: D. Han and T. Harada, "Tridiagonal matrix formulation for inextensible hair strand simulation"
/// (2013).
void keep_lengths(const RowStep& step, RowMemory& memory) noexcept;

}  // namespace dendraxis::detail
