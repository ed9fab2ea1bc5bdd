#include "sway_springs.hpp"

#include <algorithm>
#include <cstddef>

namespace dendraxis::detail {
namespace {

// Adds a spring's weight and force to the rows of the ends that it moves.
void add_spring(std::span<const LinkSpring> springs, std::size_t i, float h, std::span<SpringRow> rows,
                std::span<Vec3> forces) {
    const LinkSpring& spring = springs[i];
    const float own = 1.0f / spring.length;
    const float turning = i == 0 ? 0.0f : spring.along_before.dot(spring.aim) / springs[i - 1].length;
    // What `bent` changes by as the end of the link, of the one before and of the one before that move.
    const SpringRow slopes{own, -own - turning, turning};
    const float weight = h * h * spring.stiffness + h * spring.damping;
    const Vec3 force =
        h * h * spring.stiffness * spring.bent + h * spring.damping * (spring.bent - spring.bent_before);
    for (std::size_t a = 0; a < 3 && a <= i; ++a) {
        for (std::size_t b = a; b < 3 && b <= i; ++b) rows[i - a][b - a] += weight * slopes[a] * slopes[b];
    }
    forces[i] -= own * force;
    if (i == 0) return;
    const Vec3 back = turning * force - spring.aim * (spring.along_before.dot(force) / springs[i - 1].length);
    forces[i - 1] += own * force + back;
    if (i > 1) forces[i - 2] -= back;
}

}  // namespace

void spring_moves(std::span<const LinkSpring> springs, float h, std::span<SpringRow> rows,
                  std::span<Vec3> moves) noexcept {
    const std::size_t count = springs.size();
    std::fill_n(rows.begin(), count, SpringRow{1.0f, 0.0f, 0.0f});
    std::fill_n(moves.begin(), count, Vec3::Zero());
    for (std::size_t i = 0; i < count; ++i) add_spring(springs, i, h, rows, moves);
    // Cholesky's method without roots: each row keeps its pivot and its two factors.
    for (std::size_t i = 0; i < count; ++i) {
        auto& [pivot, one, two] = rows[i];
        if (i > 1) {
            two /= rows[i - 2][0];
            one -= two * rows[i - 2][0] * rows[i - 1][1];
            pivot -= two * two * rows[i - 2][0];
            moves[i] -= two * moves[i - 2];
        }
        if (i > 0) {
            one /= rows[i - 1][0];
            pivot -= one * one * rows[i - 1][0];
            moves[i] -= one * moves[i - 1];
        }
    }
    for (std::size_t i = 0; i < count; ++i) moves[i] /= rows[i][0];
    for (std::size_t i = count; i-- > 0;) {
        if (i + 1 < count) moves[i] -= rows[i + 1][1] * moves[i + 1];
        if (i + 2 < count) moves[i] -= rows[i + 2][2] * moves[i + 2];
    }
}

}  // namespace dendraxis::detail
