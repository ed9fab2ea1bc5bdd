#include <dendraxis/base/range.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/geometry/capsule.hpp>

#include <doctest/doctest.h>

#include <random>

using namespace dendraxis;

namespace {

Quat about(const Vec3& axis, float degrees) {
    return Quat(Eigen::AngleAxisf(degrees / k_degrees, axis.normalized()));
}

// An elbow: bends 0 to 140 degrees, hardly sideways, twists a little.
Range elbow() {
    Range range;
    range.bone = Vec3::UnitX();
    range.about = Vec3::UnitY();
    range.twist = {-20.0f / k_degrees, 30.0f / k_degrees};
    range.bend = {0.0f, 140.0f / k_degrees};
    range.side = {-4.0f / k_degrees, 4.0f / k_degrees};
    return range;
}

}  // namespace

TEST_CASE("what lies within a range stays, what lies beyond is told and brought back") {
    const Range range = elbow();
    const Quat within = about(Vec3::UnitY(), 70) * about(Vec3::UnitX(), 10);
    CHECK(overshoot(range, within) == 0.0f);
    CHECK(angle_between(limited(range, within), within) < 1e-5f);

    const Quat too_far = about(Vec3::UnitY(), 160);
    CHECK(overshoot(range, too_far) * k_degrees == doctest::Approx(20.0).epsilon(0.01));
    CHECK(angle_between(limited(range, too_far), about(Vec3::UnitY(), 140)) * k_degrees < 0.05f);

    const Quat backward = about(Vec3::UnitY(), -35);
    CHECK(overshoot(range, backward) * k_degrees == doctest::Approx(35.0).epsilon(0.01));
    CHECK(angle_between(limited(range, backward), Quat::Identity()) * k_degrees < 0.05f);

    const Quat twisted = about(Vec3::UnitY(), 60) * about(Vec3::UnitX(), -50);
    CHECK(overshoot(range, twisted) * k_degrees == doctest::Approx(30.0).epsilon(0.01));
    CHECK(angle_between(limited(range, twisted), about(Vec3::UnitY(), 60) * about(Vec3::UnitX(), -20)) *
              k_degrees <
          0.05f);
}

TEST_CASE("a limited turn is always within the range, hard or soft") {
    std::mt19937 random(3);
    std::normal_distribution<float> normal;
    const Range range = elbow();
    for (int i = 0; i < 2000; ++i) {
        const Quat turn = Quat(normal(random), normal(random), normal(random), normal(random)).normalized();
        CHECK(overshoot(range, limited(range, turn)) * k_degrees < 0.05f);
        CHECK(overshoot(range, limited(range, turn, 0.8f)) * k_degrees < 0.05f);
    }
}

TEST_CASE("a soft limit is neared without a jump in speed") {
    const Range range = elbow();
    float before = -1.0f;
    float slope = 1.0f;
    for (float degrees = 71.0f; degrees < 170.0f; degrees += 0.5f) {
        const Quat kept = limited(range, about(Vec3::UnitY(), degrees), 0.8f);
        const float now = rotation_vector(kept).y() * k_degrees;
        CHECK(now < 140.0f);
        if (before >= 0.0f) {
            const float own = (now - before) / 0.5f;
            CHECK(own > -0.01f);
            CHECK(std::abs(own - slope) < 0.06f);
            slope = own;
        }
        before = now;
    }
}

TEST_CASE("how far a point is from a capsule") {
    const Capsule limb{Vec3(0, 1, 0), Vec3(0, 0.5f, 0), Vec3::Zero(), 0.1f};
    CHECK(nearest_on(limb, Vec3(0.3f, 1.2f, 0)).gap == doctest::Approx(0.2));
    CHECK(nearest_on(limb, Vec3(0.3f, 1.2f, 0)).along_share == doctest::Approx(0.4));
    CHECK((nearest_on(limb, Vec3(0.3f, 1.2f, 0)).normal - Vec3::UnitX()).norm() < 1e-5f);
    CHECK(nearest_on(limb, Vec3(0, 1.9f, 0)).gap == doctest::Approx(0.3));
    CHECK(nearest_on(limb, Vec3(0.04f, 1, 0)).gap == doctest::Approx(-0.06));
    CHECK(nearest_on(limb, Vec3(0, 1, 0)).gap == doctest::Approx(-0.1));
    CHECK(nearest_on(limb, Vec3(0, 1, 0)).normal.norm() == doctest::Approx(1.0));

    // Drawn out sideways: a torso.
    const Capsule torso{Vec3::Zero(), Vec3(0, 0.2f, 0), Vec3(0.1f, 0, 0), 0.1f};
    CHECK(nearest_on(torso, Vec3(0.3f, 0, 0)).gap == doctest::Approx(0.1));
    CHECK(nearest_on(torso, Vec3(0.05f, 0.1f, 0.3f)).gap == doctest::Approx(0.2));
    CHECK(std::abs(nearest_on(torso, Vec3(0, 0, 0)).normal.z()) == doctest::Approx(1.0));
    Transform frame;
    frame.rotation = about(Vec3::UnitZ(), 90);
    frame.translation = Vec3(1, 0, 0);
    CHECK(nearest_on(placed(torso, frame), Vec3(1, 0.3f, 0)).gap == doctest::Approx(0.1));
}
