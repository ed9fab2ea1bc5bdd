#include "smoothing.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace dendraxis;
using dendraxis::detail::Beyond;
using dendraxis::detail::closed;
using dendraxis::detail::rounded_up;
using dendraxis::detail::smoothed;
using dendraxis::detail::smoother_step;

TEST_CASE("smoothing keeps what is constant, and a straight line where it is asked to") {
    const std::vector<float> constant(40, 3.0f);
    for (const float value : smoothed(constant, 4.0f)) CHECK(value == doctest::Approx(3.0));
    std::vector<Vec3> line;
    for (int f = 0; f < 40; ++f) line.emplace_back(0.1f * static_cast<float>(f), 0.0f, 2.0f);
    const std::vector<Vec3> kept = smoothed(line, 5.0f, Beyond::mirrored);
    for (std::size_t f = 0; f < line.size(); ++f) CHECK((kept[f] - line[f]).norm() < 1e-4f);
    CHECK(smoothed(line, 5.0f).front().x() > 0.15f);
    CHECK(smoothed(std::vector<float>{1.0f}, 5.0f).front() == 1.0f);
}

TEST_CASE("a sway is taken off a path, its way is not") {
    std::vector<float> path;
    for (int f = 0; f < 120; ++f)
        path.push_back(0.02f * static_cast<float>(f) + 0.05f * std::sin(0.4f * static_cast<float>(f)));
    const std::vector<float> smooth = smoothed(path, 12.0f, Beyond::mirrored);
    for (std::size_t f = 30; f < 90; ++f)
        CHECK(smooth[f] == doctest::Approx(0.02 * static_cast<double>(f)).epsilon(0.005));
}

TEST_CASE("what is rounded up is never below, and never steep") {
    std::vector<float> needs(60, 0.0f);
    needs[20] = 1.0f;
    needs[21] = 0.4f;
    needs[45] = 0.7f;
    const std::vector<float> eased = rounded_up(needs, 6);
    for (std::size_t f = 0; f < needs.size(); ++f) {
        CHECK(eased[f] >= needs[f] - 0.002f);
        if (f > 0) CHECK(std::abs(eased[f] - eased[f - 1]) < 0.25f);
    }
    CHECK(eased[0] == 0.0f);
    CHECK(eased[59] < 0.01f);
    CHECK(*std::max_element(eased.begin(), eased.end()) < 1.001f);
}

TEST_CASE("a valley is closed by a parabola, and nothing else is changed") {
    constexpr float k_most = 0.02f;
    std::vector<float> valley;
    std::vector<float> bowl;
    for (int f = 0; f < 61; ++f) {
        const float away = std::abs(static_cast<float>(f - 30));
        valley.push_back(0.1f * away);
        bowl.push_back(0.5f * k_most * away * away);
    }
    const std::vector<float> rounded = closed(valley, k_most, 20);
    // Slopes of 0.1 either way are turned over by a parabola of width 0.2 / 0.02.
    CHECK(rounded[30] == doctest::Approx(0.2 * 0.2 / (8.0 * 0.02)));
    for (std::size_t f = 1; f + 1 < valley.size(); ++f) {
        CHECK(rounded[f] >= valley[f] - 1e-6f);
        CHECK(rounded[f - 1] - 2.0f * rounded[f] + rounded[f + 1] < k_most + 1e-5f);
        if (f < 24 || f > 36) CHECK(rounded[f] == doctest::Approx(valley[f]));
    }
    const std::vector<float> kept = closed(bowl, k_most, 20);
    for (std::size_t f = 0; f < bowl.size(); ++f) CHECK(kept[f] == doctest::Approx(bowl[f]).epsilon(1e-4));
    std::vector<float> peak = valley;
    for (float& value : peak) value = -value;
    const std::vector<float> same = closed(peak, k_most, 20);
    for (std::size_t f = 0; f < peak.size(); ++f) CHECK(same[f] == doctest::Approx(peak[f]));
}

TEST_CASE("a step without speed or acceleration at its ends") {
    CHECK(smoother_step(-1.0f) == 0.0f);
    CHECK(smoother_step(0.0f) == 0.0f);
    CHECK(smoother_step(0.5f) == doctest::Approx(0.5));
    CHECK(smoother_step(1.0f) == 1.0f);
    CHECK(smoother_step(2.0f) == 1.0f);
    CHECK(smoother_step(0.01f) < 2e-5f);
}

TEST_CASE("noise is calmed, curves and single kinks stay") {
    std::vector<float> curve;
    std::vector<float> noisy;
    for (int f = 0; f < 90; ++f) {
        const float t = static_cast<float>(f) / 30.0f;
        curve.push_back(f < 40 ? 0.1f * std::sin(3.0f * t) : 0.1f * std::sin(4.0f));  // it lands on frame 40
        noisy.push_back(curve.back() + (f % 2 == 0 ? 0.01f : -0.01f));
    }
    const std::vector<float> kept = detail::calmed(curve, 1.5f);
    const std::vector<float> calm = detail::calmed(noisy, 1.5f);
    float moved = 0.0f;
    float left = 0.0f;
    for (std::size_t f = 2; f + 2 < curve.size(); ++f) {
        moved = std::max(moved, std::abs(kept[f] - curve[f]));
        if (f < 35 || f > 45) left = std::max(left, std::abs(calm[f] - curve[f]));
    }
    CHECK(moved < 0.0012f);  // what it bends by itself in a frame
    CHECK(left < 0.003f);
}
