// What shapes measure, and how deep they are in each other.
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/plan.hpp>

#include <doctest/doctest.h>

#include <numbers>
#include <random>

using namespace dendraxis;

namespace {

PlacedShape at(const Shape& shape, const Vec3& position, const Quat& turn = Quat::Identity()) {
    return {shape, {turn, position, Vec3::Ones()}};
}

const Shape k_unit_ball{ShapeKind::sphere, Vec3::Constant(0.5f)};
const Shape k_unit_box{ShapeKind::box, Vec3(0.2f, 0.3f, 0.4f)};
const Shape k_unit_capsule{ShapeKind::capsule, Vec3(0.1f, 0.5f, 0.1f)};

}  // namespace

TEST_CASE("volumes and moments of shapes are those of solids, found by points within them") {
    std::mt19937 engine(2);
    std::uniform_real_distribution<float> chance(-1.0f, 1.0f);
    for (const Shape& shape : {k_unit_ball, k_unit_box, k_unit_capsule}) {
        CAPTURE(to_string(shape.kind));
        constexpr int k_points = 200000;
        int within = 0;
        Vec3 squares = Vec3::Zero();
        for (int i = 0; i < k_points; ++i) {
            const Vec3 point = shape.half.cwiseProduct(Vec3(chance(engine), chance(engine), chance(engine)));
            if (gauge(shape, point) > 1.0f) continue;
            ++within;
            squares += point.cwiseProduct(point);
        }
        const float share = static_cast<float>(within) / k_points;
        CHECK(volume_of(shape) == doctest::Approx(8.0f * shape.half.prod() * share).epsilon(0.01));
        const Vec3 mean = squares / static_cast<float>(within);
        const Vec3 moments(mean.y() + mean.z(), mean.x() + mean.z(), mean.x() + mean.y());
        CHECK((inertia_of(shape, 3.0f) - 3.0f * moments).norm() < 0.02f * 3.0f * moments.norm());
    }
}

TEST_CASE("gauge grows evenly: a shape grown by it goes through the point") {
    for (const Shape& shape : {k_unit_ball, k_unit_box, k_unit_capsule}) {
        CAPTURE(to_string(shape.kind));
        for (const Vec3& point :
             {Vec3(0.3f, 0.1f, 0.2f), Vec3(0.01f, 0.9f, 0.05f), Vec3(0.2f, -0.7f, 0.0f)}) {
            Shape grown = shape;
            grown.half *= gauge(shape, point);
            CHECK(gauge(grown, point) == doctest::Approx(1.0f).epsilon(1e-3));
        }
    }
}

TEST_CASE("overlaps: known depths, however both are turned, and room between") {
    const Quat turn(Eigen::AngleAxisf(0.8f, Vec3(1, 2, -1).normalized()));
    for (const Quat& by : {Quat(Quat::Identity()), turn}) {
        const auto both = [&](const PlacedShape& a, const PlacedShape& b) {
            const auto turned = [&](const PlacedShape& one) {
                return at(one.shape, by * one.frame.translation, by * one.frame.rotation);
            };
            return overlap(turned(a), turned(b));
        };
        CHECK(both(at(k_unit_ball, Vec3::Zero()), at(k_unit_ball, Vec3(0.9f, 0, 0))) ==
              doctest::Approx(0.1f).epsilon(1e-3));
        CHECK(both(at(k_unit_ball, Vec3::Zero()), at(k_unit_ball, Vec3(1.3f, 0, 0))) ==
              doctest::Approx(-0.3f).epsilon(1e-3));
        CHECK(both(at(k_unit_capsule, Vec3::Zero()), at(k_unit_capsule, Vec3(0.15f, 0.3f, 0))) ==
              doctest::Approx(0.05f).epsilon(1e-2));
        CHECK(both(at(k_unit_capsule, Vec3::Zero()), at(k_unit_ball, Vec3(0, 1.2f, 0))) ==
              doctest::Approx(-0.2f).epsilon(1e-2));
        CHECK(both(at(k_unit_box, Vec3::Zero()), at(k_unit_box, Vec3(0.5f, 0, 0))) ==
              doctest::Approx(-0.1f).epsilon(1e-2));
        CHECK(both(at(k_unit_box, Vec3::Zero()), at(k_unit_ball, Vec3(0, 0.75f, 0))) ==
              doctest::Approx(0.05f).epsilon(1e-2));
        // Corner to corner, and an edge in a face.
        const Vec3 half = k_unit_box.half;
        CHECK(both(at(k_unit_box, Vec3::Zero()), at(k_unit_box, 2.0f * half - Vec3::Constant(0.01f))) ==
              doctest::Approx(0.01f).epsilon(1e-2));
        CHECK(both(at(k_unit_box, Vec3::Zero()), at(k_unit_box, 2.0f * half + Vec3::Constant(0.01f))) ==
              doctest::Approx(-0.01f * std::sqrt(3.0f)).epsilon(1e-2));
        Shape die = k_unit_box;
        die.half.setConstant(0.1f);
        const Quat on_edge(Eigen::AngleAxisf(0.785398f, Vec3::UnitZ()));
        const float high = half.y() + 0.1f * std::sqrt(2.0f) - 0.02f;
        CHECK(both(at(k_unit_box, Vec3::Zero()), at(die, Vec3(0, high, 0), on_edge)) ==
              doctest::Approx(0.02f).epsilon(1e-2));
    }
}

TEST_CASE("a hinge's overshoot is told by angles: how far it bends, how far it leaves its plane") {
    Range knee;
    knee.bone = -Vec3::UnitY();
    knee.about = Vec3::UnitX();
    knee.bend = {0.0f, 2.4f};
    knee.side = {-0.08f, 0.08f};
    knee.twist = {-0.2f, 0.2f};
    REQUIRE(is_hinge(knee));
    const auto about = [](float angle, const Vec3& axis) { return Quat(Eigen::AngleAxisf(angle, axis)); };
    CHECK(joint_overshoot(knee, about(2.0f, Vec3::UnitX())) == doctest::Approx(0.0f));
    CHECK(joint_overshoot(knee, about(2.6f, Vec3::UnitX())) == doctest::Approx(0.2f).epsilon(1e-3));
    CHECK(joint_overshoot(knee, about(-0.3f, Vec3::UnitX())) == doctest::Approx(0.3f).epsilon(1e-3));
    CHECK(joint_overshoot(knee, about(0.5f, Vec3::UnitZ())) == doctest::Approx(0.42f).epsilon(1e-2));
    CHECK(joint_overshoot(knee, about(0.5f, Vec3::UnitY())) == doctest::Approx(0.3f).epsilon(1e-2));
    knee.side = {-1.0f, 1.0f};
    CHECK_FALSE(is_hinge(knee));
}
