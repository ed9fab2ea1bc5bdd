// Own method: for each kind of shape and a few ways to turn it, its sizes and middle are moved step by step
// until most of the vertices lie within it and its volume is that of the part. Vertices count by how many
// are left out, not by how far off they are, so that strays do not pull.
#include "fit_body.hpp"

#include <dendraxis/base/rotation.hpp>

#include <Eigen/Eigenvalues>

#include <algorithm>
#include <cmath>
#include <optional>
#include <random>

namespace dendraxis::detail {
namespace {

constexpr float k_covered = 0.5f;            // of a segment of hair or cloth
constexpr std::size_t k_first_places = 200;  // to find the shape
constexpr std::size_t k_last_places = 1600;  // to refine it
constexpr float k_grown = 1.15f;
constexpr int k_rounds = 14;
constexpr float k_wide = 0.5f;
constexpr float k_narrow = 0.06f;
constexpr float k_may_miss = 0.03f;     // of the vertices
constexpr float k_may_differ = 0.155f;  // the logarithm of what the volumes differ by
constexpr float k_block_shell = 0.8f;   // of a box's size: what lies outside of this is on its surface
constexpr float k_block_share = 0.93f;  // of the skin that lies there
constexpr float k_least_half = 0.006f;  // of the character's height: flat parts become slabs

Quat frame_of(const Vec3& y, const Vec3& x_hint) {
    Eigen::Matrix3f axes;
    axes.col(1) = y.normalized();
    Vec3 x = x_hint - axes.col(1) * axes.col(1).dot(x_hint);
    if (x.norm() < 0.05f) x = axes.col(1).unitOrthogonal();
    axes.col(0) = x.normalized();
    axes.col(2) = axes.col(0).cross(axes.col(1));
    return Quat(axes).normalized();
}

float share_of(std::vector<float> values, float share) {
    const auto nth = std::lround(share * static_cast<float>(values.size() - 1));
    std::nth_element(values.begin(), values.begin() + nth, values.end());
    return values[static_cast<std::size_t>(nth)];
}

// The direction in which the positions lie farthest apart, the strays left out.
Vec3 long_axis(std::span<const Vec3> positions) {
    Vec3 middle = Vec3::Zero();
    for (int axis = 0; axis < 3; ++axis) {
        std::vector<float> values;
        for (const Vec3& position : positions) values.push_back(position[axis]);
        middle[axis] = share_of(std::move(values), 0.5f);
    }
    std::vector<float> distances;
    for (const Vec3& position : positions) distances.push_back((position - middle).norm());
    const float far = share_of(distances, 0.96f);
    Eigen::Matrix3f spread = Eigen::Matrix3f::Zero();
    for (const Vec3& position : positions) {
        if ((position - middle).norm() <= far)
            spread += (position - middle) * (position - middle).transpose();
    }
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3f> solver(spread);
    Vec3 axis = solver.eigenvectors().col(2);
    return axis[1] < 0.0f ? Vec3(-axis) : axis;
}

class Fitter {
 public:
    Fitter(std::span<const Vec3> positions, float volume, float least_half, float start, ShapeKind kind,
           const Quat& turn)
        : volume_(volume), least_half_(least_half), shape_{kind, Vec3::Zero()}, turn_(turn) {
        for (const Vec3& position : positions) positions_.push_back(turn.conjugate() * position);
        Vec3 low;
        Vec3 high;
        for (int axis = 0; axis < 3; ++axis) {
            std::vector<float> values;
            for (const Vec3& position : positions_) values.push_back(position[axis]);
            low[axis] = share_of(values, 0.02f);
            high[axis] = share_of(std::move(values), 0.98f);
        }
        middle_ = 0.5f * (low + high);
        shape_.half = 0.5f * start * (high - low);
        keep_form();
    }

    Fitter(std::span<const Vec3> positions, float volume, const PlacedShape& placed)
        : volume_(volume), shape_(placed.shape), turn_(placed.frame.rotation) {
        for (const Vec3& position : positions) positions_.push_back(turn_.conjugate() * position);
        middle_ = turn_.conjugate() * placed.frame.translation;
    }

    // Lower is better.
    float fit(bool wide_first) {
        if (wide_first) descend(k_wide);
        return descend(k_narrow);
    }

    PlacedShape result() const {
        PlacedShape placed{shape_, {}};
        placed.frame.rotation = turn_;
        placed.frame.translation = turn_ * middle_;
        return placed;
    }

    // `ramp`: over what share of its size a shape comes to hold a vertex; wide ones show the way.
    float cost(float ramp) const {
        float missed = 0.0f;
        float loose = 0.0f;
        for (const Vec3& position : positions_) {
            const float out = gauge(shape_, position - middle_);
            missed += std::clamp((out / k_grown - 1.0f) / ramp + 0.5f, 0.0f, 1.0f);
            loose += std::min(1.0f, std::abs(out - 1.0f));
        }
        const auto count = static_cast<float>(positions_.size());
        const float off = volume_ > 0.0f ? std::abs(std::log(volume_of(shape_) / volume_)) : 0.0f;
        const float share = missed / count;
        return share + 12.0f * std::max(0.0f, share - k_may_miss) + 0.4f * loose / count + 0.1f * off +
               40.0f * std::max(0.0f, off - k_may_differ);
    }

 private:
    float descend(float ramp) {
        float best = cost(ramp);
        float step = 0.2f;
        for (int round = 0; round < k_rounds; ++round) {
            bool better = false;
            for (int move = 0; move < 9; ++move) {
                for (const float by : {step, -step}) {
                    const Shape shape = shape_;
                    const Vec3 middle = middle_;
                    change(move, by);
                    const float now = cost(ramp);
                    if (now < best - 1e-6f) {
                        best = now;
                        better = true;
                    } else {
                        shape_ = shape;
                        middle_ = middle;
                    }
                }
            }
            if (!better) step *= 0.6f;
        }
        return best;
    }

    // One side longer, the middle moved along it, or one side longer and the next shorter.
    void change(int move, float by) {
        const int axis = move % 3;
        if (move >= 3 && move < 6) {
            middle_[axis] += by * shape_.half[axis];
            return;
        }
        shape_.half[axis] *= 1.0f + by;
        if (move >= 6) shape_.half[(axis + 1) % 3] /= 1.0f + by;
        keep_form(axis);
    }

    // A capsule is round, a sphere the more so.
    void keep_form(int changed = -1) {
        Vec3& half = shape_.half;
        half = half.cwiseMax(least_half_);
        if (shape_.kind == ShapeKind::sphere) {
            half.setConstant(changed >= 0 && changed < 3 ? half[changed] : half.mean());
        } else if (shape_.kind == ShapeKind::capsule) {
            const float radius = changed == 0 || changed == 2 ? half[changed] : 0.5f * (half.x() + half.z());
            half = Vec3(radius, std::max(half.y(), radius), radius);
        }
    }

    std::vector<Vec3> positions_;
    float volume_;
    float least_half_ = 0.0f;
    Shape shape_;
    Quat turn_;
    Vec3 middle_;
};

// As thick as the few vertices that there are lie from the line, else as a limb of that length most often is.
PlacedShape from_length(const FitTask& task, std::span<const Vec3> positions) {
    Vec3 along = task.to - task.from;
    if (along.norm() < 1e-3f * task.height) along = 0.05f * task.height * Vec3::UnitY();
    const float length = along.norm();
    const Vec3 axis = along / length;
    float radius = task.trunk ? 0.075f * task.height : std::min(0.2f * length, 0.05f * task.height);
    if (!positions.empty()) {
        float sum = 0.0f;
        for (const Vec3& position : positions) sum += axis.cross(position - task.from).norm();
        radius = std::max(sum / static_cast<float>(positions.size()), k_least_half * task.height);
    }
    PlacedShape placed{
        {ShapeKind::capsule, Vec3(radius, std::max(radius, 0.5f * length + 0.3f * radius), radius)}, {}};
    if (task.trunk) placed.shape = {ShapeKind::box, Vec3(1.2f * radius, 0.5f * length, 0.8f * radius)};
    placed.frame.rotation = frame_of(along, Vec3::UnitX());
    placed.frame.translation = task.from + 0.5f * along;
    return placed;
}

// A shape along a segment of which it leaves most bare is made as long as that: the few vertices of a coarse
// strip stand at its joints.
PlacedShape over_segment(PlacedShape placed, const FitTask& task) {
    const Vec3 axis = placed.frame.rotation * Vec3::UnitY();
    const auto along = [&](const Vec3& position) { return axis.dot(position - placed.frame.translation); };
    const float low = std::min(along(task.from), along(task.to));
    const float high = std::max(along(task.from), along(task.to));
    const float& half = placed.shape.half.y();
    if (std::min(high, half) - std::max(low, -half) > k_covered * (high - low)) return placed;
    placed.frame.translation += 0.5f * (low + high) * axis;
    placed.shape.half.y() = 0.5f * (high - low);
    return placed;
}

// A way to turn a shape, and what it costs.
struct Turn {
    Quat turn;
    float handicap;
};

// Along a line, turned about it by so much of a quarter.
std::vector<Turn> turns_about(const Vec3& axis) {
    std::vector<Turn> turns;
    const Quat first = frame_of(axis, Vec3::UnitX());
    for (const float degrees : {22.5f, 45.0f, 67.5f})
        turns.push_back({Quat(Eigen::AngleAxisf(degrees / k_degrees, axis)) * first, 0.01f});
    return turns;
}

// The box that nearly all of the skin lies on, as block figures have: its volume and its vertices say more
// than any fit. The smallest, if there is one.
std::optional<PlacedShape> block_of(std::span<const Vec3> positions, std::span<const Turn> turns,
                                    float least_half) {
    std::optional<PlacedShape> block;
    for (const Turn& turn : turns) {
        Vec3 low = Vec3::Constant(1e30f);
        Vec3 high = Vec3::Constant(-1e30f);
        for (const Vec3& position : positions) {
            const Vec3 own = turn.turn.conjugate() * position;
            low = low.cwiseMin(own);
            high = high.cwiseMax(own);
        }
        const Shape shape{ShapeKind::box, Vec3((0.5f * (high - low)).cwiseMax(least_half))};
        const Vec3 middle = 0.5f * (low + high);
        const auto outer = std::count_if(positions.begin(), positions.end(), [&](const Vec3& position) {
            return gauge(shape, turn.turn.conjugate() * position - middle) > k_block_shell;
        });
        if (static_cast<float>(outer) < k_block_share * static_cast<float>(positions.size())) continue;
        if (block && volume_of(block->shape) <= 1.02f * volume_of(shape)) continue;
        block = PlacedShape{shape, {turn.turn, turn.turn * middle, Vec3::Ones()}};
    }
    return block;
}

}  // namespace

float fit_cost(const PlacedShape& placed, std::span<const Vec3> positions, float volume) {
    return Fitter(positions, volume, placed).cost(k_narrow);
}

PlacedShape fit_body(const FitTask& task, std::span<const Vec3> positions, float volume) {
    const bool flat = volume <= 0.0f;
    if (positions.size() < (flat ? 4 : 8)) return from_length(task, positions);
    // Some at random, always the same: every so many would fall in step with the mesh's own rings.
    std::vector<Vec3> some(positions.begin(), positions.end());
    std::mt19937 engine(1);
    for (std::size_t i = 0; i < std::min(some.size(), k_last_places); ++i)
        std::swap(some[i], some[i + engine() % (some.size() - i)]);
    some.resize(std::min(some.size(), k_last_places));
    const std::span<const Vec3> few(some.data(), std::min(some.size(), k_first_places));
    const Vec3 along = task.to - task.from;
    // Along the bone and upright are easier to read and to edit than what merely fits a little better.
    std::vector<Turn> turns{{Quat::Identity(), task.boxy ? 0.0f : 0.03f},
                            {frame_of(long_axis(few), Vec3::UnitX()), task.boxy ? 0.2f : 0.03f},
                            {frame_of(Vec3::UnitX(), Vec3::UnitY()), 0.03f},
                            {frame_of(Vec3::UnitZ(), Vec3::UnitX()), 0.03f}};
    if (along.norm() > 0.005f * task.height) {
        if (task.loose) turns = turns_about(along.normalized());
        turns.push_back({frame_of(along, Vec3::UnitX()), task.boxy ? 0.2f : 0.0f});
    }
    if (const auto block = block_of(positions, turns, k_least_half * task.height))
        return task.loose ? over_segment(*block, task) : *block;
    float best = 1e30f;
    PlacedShape result;
    const auto attempt = [&](ShapeKind kind, const Turn& turn, float handicap) {
        for (const float start : {1.0f, 0.85f}) {
            for (const bool wide_first : {true, false}) {
                if (start < 1.0f && !wide_first) continue;
                Fitter fitter(few, volume, k_least_half * task.height, start, kind, turn.turn);
                const float cost = fitter.fit(wide_first) + turn.handicap + handicap;
                if (cost < best - 1e-5f) best = cost, result = fitter.result();
            }
        }
    };
    for (const Turn& turn : turns) {
        if (!flat) attempt(ShapeKind::capsule, turn, task.boxy ? 0.05f : 0.0f);
        attempt(ShapeKind::box, turn, task.boxy ? 0.0f : 0.05f);
    }
    if (!flat) attempt(ShapeKind::sphere, {Quat::Identity(), 0.0f}, 0.02f);
    Fitter last(some, volume, result);
    last.fit(false);
    return task.loose ? over_segment(last.result(), task) : last.result();
}

}  // namespace dendraxis::detail
