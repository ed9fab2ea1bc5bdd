// E. T. Whittaker, "On a new method of graduation", Proceedings of the Edinburgh Mathematical Society 41
// (1923); bounds by an active set, as in M. Hintermueller, K. Ito and K. Kunisch, "The primal-dual active set
// strategy as a semismooth Newton method", SIAM Journal on Optimization 13 (2003), with a penalty in place of
// multipliers.
#include "smoothest_curve.hpp"

#include <algorithm>
#include <array>

namespace dendraxis::detail {
namespace {

constexpr double k_bound_weight = 1e7;
constexpr double k_least_weight = 1e-9;  // so that there is one answer
constexpr int k_most_rounds = 60;

// A symmetric matrix with two diagonals on either side, solved by Cholesky's method (L D L').
struct Bands {
    std::vector<std::array<double, 3>> rows;  // the diagonal, then what stands right of it

    std::vector<double> solved(std::vector<double> x) {
        const std::size_t n = rows.size();
        for (std::size_t i = 0; i < n; ++i) {
            const auto [d, a, b] = rows[i];
            if (i + 1 < n) {
                rows[i + 1][0] -= a * a / d;
                rows[i + 1][1] -= a * b / d;
                x[i + 1] -= a / d * x[i];
            }
            if (i + 2 < n) {
                rows[i + 2][0] -= b * b / d;
                x[i + 2] -= b / d * x[i];
            }
        }
        for (std::size_t i = n; i-- > 0;) {
            const auto [d, a, b] = rows[i];
            if (i + 1 < n) x[i] -= a * x[i + 1];
            if (i + 2 < n) x[i] -= b * x[i + 2];
            x[i] /= d;
        }
        return x;
    }
};

}  // namespace

std::vector<float> smoothest_curve(std::span<const CurvePoint> points, double stiffness) {
    const std::size_t n = points.size();
    std::vector<bool> held(n, false);
    std::vector<double> curve(n, 0.0);
    for (int round = 0; round < k_most_rounds; ++round) {
        Bands matrix{std::vector<std::array<double, 3>>(n, {k_least_weight, 0.0, 0.0})};
        std::vector<double> right(n, 0.0);
        for (std::size_t i = 0; i < n; ++i) {
            const auto weight = static_cast<double>(points[i].weight);
            matrix.rows[i][0] += weight + (held[i] ? k_bound_weight : 0.0);
            right[i] = weight * static_cast<double>(points[i].value) +
                       (held[i] ? k_bound_weight * static_cast<double>(points[i].lowest) : 0.0);
        }
        for (std::size_t i = 0; i + 2 < n; ++i) {
            constexpr std::array<double, 3> k_second{1.0, -2.0, 1.0};
            for (std::size_t a = 0; a < 3; ++a) {
                for (std::size_t b = a; b < 3; ++b)
                    matrix.rows[i + a][b - a] += stiffness * k_second[a] * k_second[b];
            }
        }
        curve = matrix.solved(std::move(right));
        bool same = true;
        for (std::size_t i = 0; i < n; ++i) {
            const bool is_below = curve[i] < static_cast<double>(points[i].lowest);
            same = same && is_below == held[i];
            held[i] = is_below;
        }
        if (same) break;
    }
    return {curve.begin(), curve.end()};
}

}  // namespace dendraxis::detail
