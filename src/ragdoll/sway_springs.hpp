// The springs between the links of a row, in one implicit step.
#pragma once

#include <dendraxis/base/transform.hpp>

#include <array>
#include <span>
#include <vector>

namespace dendraxis::detail {

/// A link's spring, as it is where the row would be without springs.
struct LinkSpring {
    float length = 0.0f;
    Vec3 aim = Vec3::UnitY();          ///< where it points without load; unit length
    Vec3 along_before = Vec3::Zero();  ///< where the link before points; unit length; zero: that is held
    Vec3 bent = Vec3::Zero();          ///< how far its end is from where the spring has it, in its lengths
    Vec3 bent_before = Vec3::Zero();   ///< the same a step ago
    float stiffness = 0.0f;            ///< 1/s2 times the square of the length, for an end that weighs one
    float damping = 0.0f;              ///< 1/s times the same
};

/// A row of the system: what an end moves by for itself, for the one before, for the one before that.
using SpringRow = std::array<float, 3>;

/// How far the ends of the links move in a step of `h` seconds on top of where they go without springs, if
/// each weighs one: a step of Newton's method on the implicit Euler step. Its matrix is taken to be the same
/// for all directions, so it has five diagonals of numbers; the forces are exact, and what a spring gives one
/// link it takes from the one before. `rows` is working memory, one a link. Never allocates or throws.
/// Source: D. Baraff and A. Witkin, "Large steps in cloth simulation" (1998).
void spring_moves(std::span<const LinkSpring> springs, float h, std::span<SpringRow> rows,
                  std::span<Vec3> moves) noexcept;

}  // namespace dendraxis::detail
