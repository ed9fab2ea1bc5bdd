#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>

#include <doctest/doctest.h>

#include <random>
#include <vector>

using namespace dendraxis;

namespace {

std::mt19937 random_source(11);

Vec3 random_vector() {
    std::normal_distribution<float> normal;
    return {normal(random_source), normal(random_source), normal(random_source)};
}

Quat random_rotation() {
    std::normal_distribution<float> normal;
    return Quat(normal(random_source), normal(random_source), normal(random_source), normal(random_source))
        .normalized();
}

}  // namespace

TEST_CASE("a transform and its inverse undo each other") {
    for (int i = 0; i < 100; ++i) {
        const Transform t{random_rotation(), random_vector(),
                          Vec3::Constant(0.01f + std::abs(random_vector().x()))};
        const Vec3 point = random_vector();
        CHECK((apply(inverse(t), apply(t, point)) - point).norm() < 1e-3f);
        CHECK((to_affine(t) * point - apply(t, point)).norm() < 1e-4f);
        CHECK((apply(t * t, point) - apply(t, apply(t, point))).norm() < 1e-3f);
    }
}

TEST_CASE("a matrix comes apart into the transform that made it, mirrored ones too") {
    for (int i = 0; i < 100; ++i) {
        Transform t{random_rotation(), random_vector(), Vec3(0.5f, 1.0f, 2.0f)};
        if (i % 2 == 1) t.scale.x() = -0.5f;
        const Transform again = from_affine(to_affine(t));
        CHECK((to_affine(again).matrix() - to_affine(t).matrix()).norm() < 1e-5f);
        CHECK((again.scale - t.scale).norm() < 1e-5f);
    }
}

TEST_CASE(
    "swing and twist make up the rotation, the twist keeps its axis and the swing has no part about it") {
    for (int i = 0; i < 200; ++i) {
        const Quat rotation = random_rotation();
        const Vec3 axis = random_vector().normalized();
        const SwingTwist parts = swing_twist(rotation, axis);
        CHECK(angle_between(parts.swing * parts.twist, rotation) < 1e-5f);
        CHECK((parts.twist * axis - axis).norm() < 1e-5f);
        CHECK(std::abs(rotation_vector(parts.swing).normalized().dot(axis)) < 1e-3f);
    }
    const Quat half_turn(Eigen::AngleAxisf(3.14159265f, Vec3::UnitX()));
    CHECK(angle_between(swing_twist(half_turn, Vec3::UnitY()).twist, Quat::Identity()) < 1e-6f);
}

TEST_CASE("the shortest arc brings one direction onto another, opposite ones too") {
    for (int i = 0; i < 100; ++i) {
        const Vec3 a = random_vector();
        const Vec3 b = i % 10 == 0 ? Vec3(-2.0f * a) : random_vector();
        CHECK((shortest_arc(a, b) * a.normalized() - b.normalized()).norm() < 1e-5f);
    }
    CHECK(angle_between(shortest_arc(Vec3::Zero(), Vec3::UnitX()), Quat::Identity()) == 0.0f);
}

TEST_CASE("the best turn about an axis is found again") {
    const Vec3 axis = Vec3(1, 2, 3).normalized();
    const std::vector<Vec3> from{random_vector(), random_vector(), random_vector()};
    const Quat turn(Eigen::AngleAxisf(1.3f, axis));
    std::vector<Vec3> to;
    for (const Vec3& point : from) to.push_back(turn * point);
    CHECK(angle_between(best_turn_about(axis, from, to), turn) < 1e-5f);
    CHECK(angle_between(best_turn_about(axis, {}, {}), Quat::Identity()) == 0.0f);
}

TEST_CASE("the nearest name is the one with the fewest changes, and none where all are far") {
    const std::vector<std::string> names{"stroll", "idle", "wave-lantern"};
    CHECK(nearest_name("strol", names) == "stroll");
    CHECK(nearest_name("IDLE", names) == "idle");
    CHECK(nearest_name("xyzxyz", names).empty());
}
