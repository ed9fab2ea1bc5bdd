// The linear system of a damped least-squares step: symmetric, three rows a task, solved by Cholesky's method
// in its square-root-free form (Golub and Van Loan, "Matrix Computations", 4.1.2).
#pragma once

#include "../base/lanes.hpp"

#include <algorithm>
#include <array>

namespace dendraxis::detail {

/// Three numbers and a zero: rows of the system are worked on four at a time.
using Four = Lanes<4>;

inline Four four(const Vec3& v) {
    return Four{v.x(), v.y(), v.z(), 0.0f};
}

inline Vec3 three(const Four& v) {
    return Vec3(v[0], v[1], v[2]);
}

inline Four crossed(const Four& a, const Four& b) {
    const Four a_next = __builtin_shufflevector(a, a, 1, 2, 0, 3);
    const Four b_next = __builtin_shufflevector(b, b, 1, 2, 0, 3);
    const Four turned = a * b_next - a_next * b;
    return __builtin_shufflevector(turned, turned, 1, 2, 0, 3);
}

inline float dotted(const Four& a, const Four& b) {
    const Four product = a * b;
    return product[0] + product[1] + product[2];
}

/// What turns about three axes do to a task: a column an axis.
using Effects = std::array<Four, 3>;

class TaskSystem {
 public:
    static constexpr int k_most_tasks = 16;

    void clear(int tasks) {
        rows_ = 3 * tasks;
        for (int row = 0; row < rows_; ++row) {
            for (int k = row & ~3; k < rows_ + 4; k += 4) write(at(row, k), Four{});
        }
    }

    /// Adds `a` times the transpose of `b` at tasks `i` and `j`, `i` not above `j`.
    void add(int i, int j, const Effects& a, const Effects& b) {
        float* out = at(3 * j, 3 * i);
        write(out, read(out) + b[0][0] * a[0] + b[1][0] * a[1] + b[2][0] * a[2]);
        out += k_stride;
        write(out, read(out) + b[0][1] * a[0] + b[1][1] * a[1] + b[2][1] * a[2]);
        out += k_stride;
        write(out, read(out) + b[0][2] * a[0] + b[1][2] * a[1] + b[2][2] * a[2]);
    }

    /// The same for a joint that turns about all axes with this ease, and positions that stand at `a` and `b`
    /// from it: (a.b) 1 - b a', which is the product of the two cross matrices.
    void add_even(int i, int j, const Four& a, const Four& b, float ease) {
        const float along = ease * dotted(a, b);
        const Four eased = ease * b;
        float* first = at(3 * j, 3 * i);
        write(first, read(first) + Four{along} - a[0] * eased);
        float* second = first + k_stride;
        write(second, read(second) + Four{0.0f, along} - a[1] * eased);
        float* third = second + k_stride;
        write(third, read(third) + Four{0.0f, 0.0f, along} - a[2] * eased);
    }

    void damp(int task, float by) {
        for (int row = 3 * task; row < 3 * task + 3; ++row) *at(row, row) += by;
    }

    void ask(int task, const Vec3& change) {
        for (int k = 0; k < 3; ++k)
            right_[3 * static_cast<std::size_t>(task) + static_cast<std::size_t>(k)] = change[k];
    }

    void solve() {
        // Row by row of the upper half, four columns at a time; what lies left of the diagonal is not used.
        for (int pivot = 0; pivot < rows_; ++pivot) {
            const float* row = at(pivot, 0);
            const float inverse = row[pivot] > 0.0f ? 1.0f / row[pivot] : 0.0f;
            inverse_[static_cast<std::size_t>(pivot)] = inverse;
            const float known = right_[static_cast<std::size_t>(pivot)];
            for (int i = pivot + 1; i < rows_; ++i) {
                const float factor = row[i] * inverse;
                float* below = at(i, 0);
                for (int k = i & ~3; k < rows_; k += 4)
                    write(below + k, read(below + k) - factor * read(row + k));
                right_[static_cast<std::size_t>(i)] -= factor * known;
            }
        }
        for (int i = rows_ - 1; i >= 0; --i) {
            const float* row = at(i, 0);
            float sum = right_[static_cast<std::size_t>(i)];
            for (int k = i + 1; k < rows_; ++k) sum -= row[k] * right_[static_cast<std::size_t>(k)];
            right_[static_cast<std::size_t>(i)] = sum * inverse_[static_cast<std::size_t>(i)];
        }
    }

    Four answer(int task) const {
        const auto row = 3 * static_cast<std::size_t>(task);
        return Four{right_[row], right_[row + 1], right_[row + 2], 0.0f};
    }

 private:
    static constexpr int k_stride = 3 * k_most_tasks + 4;

    static Four read(const float* from) {
        Four values;
        std::memcpy(&values, from, sizeof(values));
        return values;
    }
    static void write(float* to, const Four& values) { std::memcpy(to, &values, sizeof(values)); }

    float* at(int row, int column) {
        return &matrix_[static_cast<std::size_t>(row) * k_stride + static_cast<std::size_t>(column)];
    }

    std::array<float, static_cast<std::size_t>(3 * k_most_tasks) * k_stride> matrix_;
    std::array<float, k_stride> right_;
    std::array<float, k_stride> inverse_;
    int rows_ = 0;
};

}  // namespace dendraxis::detail
