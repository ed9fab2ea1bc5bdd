// Feet on slopes, steps and holes: they stand on them, and nothing jumps.
#include "allocations.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/chart/loop.hpp>
#include <dendraxis/ik/ground_adaptation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <cmath>

using namespace dendraxis;

namespace {

const Chart& hound() {
    static const Chart charted = chart(workshop::hound());
    return charted;
}

Ground slope(float degrees, const Vec3& toward = Vec3::UnitZ()) {
    const float rise = std::tan(degrees / k_degrees);
    return [=](const Vec3& position) -> std::optional<GroundPoint> {
        return GroundPoint{rise * position.dot(toward), Vec3(Vec3::UnitY() - rise * toward).normalized(),
                           0.0f};
    };
}

// Steps of 12 cm every 60 cm.
std::optional<GroundPoint> steps(const Vec3& position) {
    return GroundPoint{0.12f * std::floor(position.z() / 0.6f), Vec3::UnitY(), 0.0f};
}

// The clip walks, comes to a stop within `brake` seconds, stands for a second and walks on.
Clip with_a_stop(const Clip& clip, std::size_t stop_at) {
    Clip result = clip;
    result.transforms.clear();
    std::vector<Transform> pose(clip.bone_count);
    const float stop = static_cast<float>(stop_at);
    const auto add = [&](float frame) {
        sample(clip, frame / clip.fps, pose);
        result.transforms.insert(result.transforms.end(), pose.begin(), pose.end());
    };
    constexpr float k_brake = 14.0f;  // frames, over which half as much is walked
    float at = 0.0f;
    while (at < stop - 0.5f * k_brake) add(at++);
    for (float t = 0.0f; t < k_brake; ++t) add(stop - 0.5f * (k_brake - t) * (k_brake - t) / k_brake);
    for (int i = 0; i < 30; ++i) add(stop);
    for (float t = 0.0f; t < k_brake; ++t) add(stop + 0.5f * t * t / k_brake);
    for (at = stop + 0.5f * k_brake; at < static_cast<float>(clip.frame_count() - 1); ++at) add(at);
    return result;
}

struct Measured {
    float worst_gap = 0.0f;    // metres, of a sole that stands, to the ground, either way
    float worst_kink = 0.0f;   // radians a frame, a frame: angular acceleration of any joint
    float most_beyond = 0.0f;  // radians, out of the ranges
};

float worst_kink(const Skeleton& skeleton, const Clip& clip) {
    float worst = 0.0f;
    for (std::size_t f = 1; f + 1 < clip.frame_count(); ++f) {
        for (std::size_t b = 0; b < skeleton.size(); ++b) {
            const auto turn = [&](std::size_t from) {
                return rotation_vector(clip.frame(from)[b].rotation.conjugate() *
                                       clip.frame(from + 1)[b].rotation);
            };
            worst = std::max(worst, (turn(f) - turn(f - 1)).norm());
        }
    }
    return worst;
}

// Metres a frame, a frame: acceleration of any paw, in the frames that both clips have.
float paw_kink(const Clip& source, const Clip& clip) {
    std::vector<Transform> model(clip.bone_count);
    std::vector<std::vector<Vec3>> balls;
    for (std::size_t f = 0; f < source.frame_count(); ++f) {
        to_model_space(hound().skeleton, clip.frame(f), model);
        std::vector<Vec3>& now = balls.emplace_back();
        for (const Sole& sole : hound().shape.soles)
            now.push_back(position_of(sole, sole.parts[k_ball], model));
    }
    float worst = 0.0f;
    for (std::size_t f = 1; f + 1 < balls.size(); ++f) {
        for (std::size_t i = 0; i < balls[f].size(); ++i)
            worst = std::max(worst, (balls[f + 1][i] - 2.0f * balls[f][i] + balls[f - 1][i]).norm());
    }
    return worst;
}

// How far the soles that stand in `source` are from the ground in `result`, in these frames.
float worst_gap(const Chart& chart, const Clip& source, const Clip& result, const Ground& ground,
                std::size_t first, std::size_t last) {
    std::vector<Transform> before(source.bone_count);
    std::vector<Transform> model(source.bone_count);
    float worst = 0.0f;
    int stood = 0;
    for (std::size_t f = first; f <= last; ++f) {
        to_model_space(chart.skeleton, source.frame(f), before);
        to_model_space(chart.skeleton, result.frame(f), model);
        for (const Sole& sole : chart.shape.soles) {
            const float own = lowest_of(sole, before, chart.up) - chart.floor;
            if (own > 0.008f) continue;
            ++stood;
            float gap = 1e30f;
            for (const SolePoint& point : sole.points) {
                const Vec3 position = position_of(sole, point, model);
                gap = std::min(gap, position.dot(chart.up) - ground(position)->height);
            }
            worst = std::max(worst, std::abs(gap - own));
        }
    }
    CHECK(stood > 0);
    return worst;
}

float most_beyond(const Chart& chart, const Clip& source, const Clip& result) {
    float worst = 0.0f;
    for (const JointRange& joint : usual_ranges(chart)) {
        const JointFrame frame = joint_frame(chart, joint.bone);
        const auto b = static_cast<std::size_t>(joint.bone);
        float own = 0.0f;
        float now = 0.0f;
        for (std::size_t f = 0; f < source.frame_count(); ++f) {
            own = std::max(own, overshoot(joint.range, frame.turn(source.frame(f)[b].rotation)));
            now = std::max(now, overshoot(joint.range, frame.turn(result.frame(f)[b].rotation)));
        }
        worst = std::max(worst, now - own);
    }
    return worst;
}

}  // namespace

TEST_CASE("on a flat floor, and switched off, a pose comes back as it was") {
    const GroundAdaptation adaptation(workshop::diver_chart());
    const Clip& stroll = workshop::diver().clip("stroll");
    Workspace workspace;
    GroundState state;
    for (const float strength : {1.0f, 0.0f}) {
        GroundOptions options;
        options.strength = strength;
        for (std::size_t f = 0; f < stroll.frame_count(); ++f) {
            std::vector<Transform> pose(stroll.frame(f).begin(), stroll.frame(f).end());
            const Ground flat = slope(strength > 0.0f ? 0.0f : 30.0f);
            adaptation.apply(pose, {}, flat, 1.0f / 30.0f, state, workspace, options);
            for (std::size_t b = 0; b < pose.size(); ++b)
                CHECK(angle_between(pose[b].rotation, stroll.frame(f)[b].rotation) < 0.002f);
        }
    }
}

TEST_CASE("walking, stopping and walking on: feet stand on slopes and steps, and no joint jumps") {
    const Clip stroll = with_a_stop(workshop::diver().clip("stroll"), 32);
    const float own = worst_kink(workshop::diver_chart().skeleton, stroll);
    struct Case {
        std::string name;
        Ground ground;
    };
    for (const Case& c : {Case{"up 10 degrees", slope(10)}, Case{"down 10 degrees", slope(-10)},
                          Case{"aslant", slope(8, Vec3::UnitX())}, Case{"steps", steps}}) {
        CAPTURE(c.name);
        const Clip result = walk_over(workshop::diver_chart(), stroll, c.ground);
        const float gap = worst_gap(workshop::diver_chart(), stroll, result, c.ground, 50, 68);
        const float kink = worst_kink(workshop::diver_chart().skeleton, result);
        MESSAGE(c.name, ": gap ", 1e3f * gap, " mm, kinks ", kink / own,
                " times the clip's own, beyond ranges ",
                most_beyond(workshop::diver_chart(), stroll, result) * k_degrees);
        CHECK(gap < 5e-3f);
        CHECK(kink < 2.0f * own);
        CHECK(most_beyond(workshop::diver_chart(), stroll, result) * k_degrees < 0.1f);
    }
}

TEST_CASE("a hound on four feet does the same") {
    const Clip trot = with_a_stop(workshop::hound().clip("trot"), 13);
    const float own = worst_kink(hound().skeleton, trot);
    for (const float degrees : {8.0f, -8.0f}) {
        CAPTURE(degrees);
        const Ground ground = slope(degrees);
        const Clip result = walk_over(hound(), trot, ground);
        const float gap = worst_gap(hound(), trot, result, ground, 28, 40);
        const float kink = worst_kink(hound().skeleton, result);
        MESSAGE(degrees, ": gap ", 1e3f * gap, " mm, kinks ", kink / own);
        CHECK(gap < 5e-3f);
        CHECK(kink < 2.0f * own);
    }
}

TEST_CASE("a clip over steps is adapted at any speed: no foot is in a step, and no paw jumps") {
    const Clip& trot = workshop::hound().clip("trot");
    const Clip result = walk_over(hound(), trot, steps);
    std::vector<Transform> model(trot.bone_count);
    float deepest = 0.0f;
    for (std::size_t f = 0; f < trot.frame_count(); ++f) {
        to_model_space(hound().skeleton, result.frame(f), model);
        for (const Sole& sole : hound().shape.soles) {
            for (const SolePoint& point : sole.points) {
                const Vec3 position = position_of(sole, point, model);
                deepest = std::max(deepest, steps(position)->height - position.dot(hound().up));
            }
        }
    }
    const float kink = paw_kink(trot, result) / paw_kink(trot, trot);
    MESSAGE("deepest ", 1e3f * deepest, " mm, paws ", kink, " times the clip's own");
    CHECK(deepest < 5e-3f);
    CHECK(kink < 2.0f);
}

TEST_CASE("a clip that walks on the spot has the slope below it running under it, and stays a loop") {
    const Chart& diver = workshop::diver_chart();
    const Clip& on_the_spot = workshop::diver().clip("stroll-in-place");
    const Ground ground = slope(10);
    CHECK_FALSE(slope_on_the_spot(diver, workshop::diver().clip("stroll"), ground));
    CHECK_FALSE(slope_on_the_spot(diver, workshop::diver().clip("idle"), ground));
    CHECK_FALSE(slope_on_the_spot(diver, on_the_spot, Ground{}));
    const std::optional<GroundPoint> point = slope_on_the_spot(diver, on_the_spot, ground);
    REQUIRE(point);
    CHECK(point->normal.z() == doctest::Approx(-std::sin(10.0f / k_degrees)));
    const Clip result = walk_over(diver, on_the_spot, ground);
    CHECK(loop_gap(diver, result).distance < 1e-3f + loop_gap(diver, on_the_spot).distance);
    CHECK(worst_gap(diver, on_the_spot, result, ground, 0, on_the_spot.frame_count() - 1) < 5e-3f);
    // Steps that it does not come to are no steps: it stands on the one below it.
    const Clip level = walk_over(diver, on_the_spot, steps);
    const Clip flat = walk_over(diver, on_the_spot, slope(0));
    std::vector<Transform> on_step(level.bone_count);
    std::vector<Transform> on_floor(level.bone_count);
    to_model_space(diver.skeleton, level.frame(20), on_step);
    to_model_space(diver.skeleton, flat.frame(20), on_floor);
    const float step = slope_on_the_spot(diver, on_the_spot, steps)->height;
    for (std::size_t b = 0; b < on_step.size(); ++b)
        CHECK((on_step[b].translation - on_floor[b].translation - step * Vec3::UnitY()).norm() < 1e-3f);
}

TEST_CASE("what runs is not adapted, what slows down is, bit by bit") {
    const GroundAdaptation adaptation(workshop::diver_chart());
    const auto rest = rest_pose(workshop::diver_chart().skeleton);
    Workspace workspace;
    GroundState state;
    const Ground ground = slope(15, Vec3::UnitX());
    const auto adapted = [&](float metres_a_second) {
        float turned = 0.0f;
        float distance = 0.0f;
        for (int f = 0; f < 60; ++f) {
            std::vector<Transform> pose = rest;
            Transform placement;
            distance += metres_a_second / 60.0f;
            placement.translation = Vec3(0, 0, distance);
            adaptation.apply(pose, placement, ground, 1.0f / 60.0f, state, workspace);
            turned = 0.0f;
            for (std::size_t b = 0; b < pose.size(); ++b)
                turned = std::max(turned, angle_between(pose[b].rotation, rest[b].rotation));
        }
        return turned;
    };
    const float standing = adapted(0.0f);
    CHECK(standing > 0.1f);
    CHECK(adapted(1.2f) == doctest::Approx(standing).epsilon(0.05));
    const float jogging = adapted(2.9f);
    CHECK(jogging < 0.9f * standing);
    CHECK(adapted(6.0f) < 0.002f);
    CHECK(adapted(0.0f) == doctest::Approx(standing).epsilon(0.05));
}

TEST_CASE("over a hole a foot hangs, a lift is followed, the floor may be missing altogether") {
    const GroundAdaptation adaptation(workshop::diver_chart());
    const auto rest = rest_pose(workshop::diver_chart().skeleton);
    Workspace workspace;
    const auto settled = [&](const Ground& ground) {
        GroundState state;
        std::vector<Transform> pose;
        for (int f = 0; f < 60; ++f) {
            pose = rest;
            adaptation.apply(pose, {}, ground, 1.0f / 60.0f, state, workspace);
        }
        std::vector<Transform> model(pose.size());
        to_model_space(workshop::diver_chart().skeleton, pose, model);
        std::vector<float> soles;
        for (const Sole& sole : workshop::diver_chart().shape.soles)
            soles.push_back(lowest_of(sole, model, workshop::diver_chart().up));
        for (const Transform& t : pose) CHECK(t.rotation.coeffs().allFinite());
        return soles;
    };
    const float floor = workshop::diver_chart().floor;
    const bool left_first = workshop::diver_chart().shape.soles[0].leg == "leg.left";
    const std::size_t left = left_first ? 0 : 1;
    // No ground to the left of the body: only the right foot goes down with its step.
    const auto ledge = settled([](const Vec3& position) -> std::optional<GroundPoint> {
        if (position.x() > 0.0f) return std::nullopt;
        return GroundPoint{-0.1f, Vec3::UnitY(), 0.0f};
    });
    CHECK(ledge[1 - left] == doctest::Approx(floor - 0.1f).epsilon(0.01));
    const auto nothing = settled([](const Vec3&) { return std::optional<GroundPoint>(); });
    CHECK(nothing[0] == doctest::Approx(floor).epsilon(0.001));
    const auto broken = settled([](const Vec3&) -> std::optional<GroundPoint> {
        return GroundPoint{NAN, Vec3(NAN, 0, 0), 0.0f};
    });
    CHECK(broken[0] == doctest::Approx(floor).epsilon(0.001));
    const auto far_below = settled([](const Vec3&) -> std::optional<GroundPoint> {
        return GroundPoint{-30.0f, Vec3::UnitY(), 0.0f};
    });
    CHECK(far_below[0] == doctest::Approx(floor).epsilon(0.001));

    // A deck that rises at 0.4 m/s under one foot carries it without lag.
    GroundState state;
    float worst = 0.0f;
    for (int f = 0; f < 30; ++f) {
        const float height = 0.4f * static_cast<float>(f) / 60.0f;
        std::vector<Transform> pose = rest;
        adaptation.apply(
            pose, {},
            [&](const Vec3& position) -> std::optional<GroundPoint> {
                return position.x() > 0.0f ? GroundPoint{height, Vec3::UnitY(), f > 0 ? 0.4f : 0.0f}
                                           : GroundPoint{};
            },
            1.0f / 60.0f, state, workspace);
        std::vector<Transform> model(pose.size());
        to_model_space(workshop::diver_chart().skeleton, pose, model);
        worst = std::max(worst, std::abs(lowest_of(workshop::diver_chart().shape.soles[left], model,
                                                   workshop::diver_chart().up) -
                                         height));
    }
    CHECK(worst < 6e-3f);
}

TEST_CASE("adapting does not depend on local axes, units or size") {
    const auto adapted = [](const Character& character, float factor) {
        const Chart charted = chart(character);
        // It stands for a while, aslant on a slope.
        Clip standing;
        standing.bone_count = charted.skeleton.size();
        const std::vector<Transform> rest = rest_pose(charted.skeleton);
        for (int f = 0; f < 61; ++f)
            standing.transforms.insert(standing.transforms.end(), rest.begin(), rest.end());
        const Clip result = walk_over(charted, standing, slope(12, Vec3(0.6f, 0, 0.8f)));
        std::vector<Transform> model(result.bone_count);
        std::vector<Vec3> positions;
        for (const std::size_t f : {0u, 20u, 40u, 60u}) {
            to_model_space(charted.skeleton, result.frame(f), model);
            for (const Transform& bone : model) positions.push_back(bone.translation / factor);
        }
        return positions;
    };
    const Character& own = workshop::diver();
    const std::vector<Vec3> plain = adapted(own, 1.0f);
    const auto worst = [&](const std::vector<Vec3>& other) {
        float distance = 0.0f;
        for (std::size_t i = 0; i < plain.size(); ++i)
            distance = std::max(distance, (plain[i] - other[i]).norm());
        return distance;
    };
    CHECK(worst(adapted(variants::reaxed(own, 5), 1.0f)) < 1e-3f);
    CHECK(worst(adapted(variants::under_scaled_node(own, 100.0f), 1.0f)) < 1e-3f);
    CHECK(worst(adapted(variants::scaled(own, 1.7f), 1.7f)) < 2e-3f);
}

TEST_CASE("a hound leans into a slope alike whichever way the clip faces") {
    const GroundAdaptation adaptation(hound());
    const auto laid = [&](float yaw) {
        const Quat turn(Eigen::AngleAxisf(yaw, Vec3::UnitY()));
        const auto stand = workshop::hound().clip("stand").frame(0);
        std::vector<Transform> pose(stand.begin(), stand.end());
        for (std::size_t bone = 0; bone < pose.size(); ++bone) {
            if (hound().skeleton.parent(static_cast<int>(bone)) == k_no_bone)
                pose[bone] = Transform{turn, Vec3::Zero(), Vec3::Ones()} * pose[bone];
        }
        Workspace workspace;
        GroundState state;
        adaptation.apply(pose, {}, slope(15.0f, turn * hound().facing), 0.0f, state, workspace);
        return pose;
    };
    const std::vector<Transform> ahead = laid(0.0f);
    const std::vector<Transform> aside = laid(1.5f);
    const auto hips = static_cast<std::size_t>(hound().hips);
    REQUIRE(angle_between(ahead[hips].rotation, workshop::hound().clip("stand").frame(0)[hips].rotation) >
            10.0f / k_degrees);
    for (std::size_t bone = 0; bone < ahead.size(); ++bone) {
        CAPTURE(hound().skeleton.bone(static_cast<int>(bone)).label);
        if (hound().skeleton.parent(static_cast<int>(bone)) != k_no_bone)
            CHECK(angle_between(ahead[bone].rotation, aside[bone].rotation) < 0.5f / k_degrees);
    }
}

TEST_CASE("ground of triangles is the ground that it was made from") {
    // A slope of 10 degrees with a deck 3 m over it and a hole in the middle.
    std::vector<Vec3> positions;
    std::vector<std::array<unsigned, 3>> triangles;
    const float rise = std::tan(10.0f / k_degrees);
    const auto add_square = [&](float x, float z, float size, float lift, bool flipped) {
        const auto first = static_cast<unsigned>(positions.size());
        for (const auto& [dx, dz] : {std::pair{0.0f, 0.0f}, {size, 0.0f}, {size, size}, {0.0f, size}})
            positions.emplace_back(x + dx, rise * (z + dz) + lift, z + dz);
        triangles.push_back({first, first + 1, first + 2});
        triangles.push_back({first, first + (flipped ? 2u : 3u), first + (flipped ? 3u : 2u)});
    };
    for (int x = -4; x < 4; ++x) {
        for (int z = -4; z < 4; ++z) {
            if (x == 1 && z == 1) continue;
            add_square(static_cast<float>(x), static_cast<float>(z), 1.0f, 0.0f, (x + z) % 2 == 0);
            if (x > 1) add_square(static_cast<float>(x), static_cast<float>(z), 1.0f, 3.0f, false);
        }
    }
    triangles.push_back({0, 1, 99999});
    const TriangleGround ground(positions, triangles);
    REQUIRE(ground.findings().size() == 1);
    CHECK(ground.findings()[0].code == "ground.broken-triangles");
    for (float x = -3.9f; x < 4.0f; x += 0.37f) {
        for (float z = -3.9f; z < 4.0f; z += 0.41f) {
            const auto found = ground(Vec3(x, rise * z + 0.2f, z));
            const bool hole = x > 1.001f && x < 1.999f && z > 1.001f && z < 1.999f;
            REQUIRE(found.has_value() == !hole);
            if (hole) continue;
            CHECK(found->height == doctest::Approx(rise * z).epsilon(1e-3));
            CHECK(found->normal.y() == doctest::Approx(std::cos(10.0f / k_degrees)).epsilon(1e-3));
            CHECK(found->normal.z() < 0.0f);
        }
    }
    CHECK_FALSE(ground(Vec3(9, 0, 0)));
    CHECK_FALSE(ground(Vec3(NAN, 0, 0)));
    CHECK(ground(Vec3(3, 3.5f, 0))->height == doctest::Approx(3.0f).epsilon(0.01));  // on the deck
    const TriangleGround none(std::span<const Vec3>{}, std::span<const std::array<unsigned, 3>>{});
    CHECK(none.findings()[0].code == "ground.nothing-to-stand-on");
    CHECK_FALSE(none(Vec3::Zero()));
}

TEST_CASE("ground adaptation asks for no memory") {
    const GroundAdaptation adaptation(hound());
    const Clip& trot = workshop::hound().clip("trot");
    const Ground ground = slope(8);
    Workspace workspace;
    GroundState state;
    std::vector<Transform> pose(trot.bone_count);
    const auto run = [&](std::size_t f) {
        std::copy(trot.frame(f).begin(), trot.frame(f).end(), pose.begin());
        adaptation.apply(pose, {}, ground, 1.0f / 30.0f, state, workspace);
    };
    run(0);
    const long before = workshop::allocations();
    for (std::size_t f = 1; f < trot.frame_count(); ++f) run(f);
    CHECK(workshop::allocations() == before);
}
