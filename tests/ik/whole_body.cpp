// The diver's whole body: five effectors, all joints within the ranges that anatomy gives.
#include "allocations.hpp"
#include "people.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/body_setup.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <random>

using namespace dendraxis;

namespace {

// The diver without surface but with tassels: 67 bones.
const Chart& tasseled_diver() {
    static const Chart charted = chart(harbour::with_tassels(workshop::diver().skeleton, 67));
    return charted;
}

// A frame of one of the diver's clips; the tassels hang.
std::vector<Transform> pose_of(const std::string& clip, std::size_t frame) {
    std::vector<Transform> pose = rest_pose(tasseled_diver().skeleton);
    const auto own = workshop::diver().clip(clip).frame(frame);
    std::copy(own.begin(), own.end(), pose.begin());
    return pose;
}

std::vector<Effector> five_effectors(const Chart& chart) {
    std::vector<Effector> effectors;
    for (const char* name : {"arm.left", "arm.right", "leg.left", "leg.right", "head"})
        effectors.push_back(effector_of(chart, name));
    return effectors;
}

void aim_at(std::span<Effector> effectors, const Skeleton& skeleton, std::span<const Transform> pose) {
    std::vector<Transform> model(skeleton.size());
    to_model_space(skeleton, pose, model);
    for (Effector& effector : effectors) {
        const Transform& bone = model[static_cast<std::size_t>(effector.bone)];
        effector.target = bone.translation + bone.rotation * effector.offset;
    }
}

float most_beyond(const BodySolver& solver, std::span<const Transform> pose) {
    float beyond = 0.0f;
    for (const SolverJoint& joint : solver.joints()) {
        if (!joint.ranged) continue;
        const Quat turn = joint.frame.turn(pose[static_cast<std::size_t>(joint.bone)].rotation);
        beyond = std::max(beyond, overshoot(joint.range, turn));
    }
    return beyond * k_degrees;
}

// A pose within all ranges, each joint turned by up to `most` of its spans.
std::vector<Transform> random_pose(const BodySolver& solver, float most, std::mt19937& random) {
    std::uniform_real_distribution<float> share(-most, most);
    std::vector<Transform> pose = rest_pose(solver.skeleton());
    for (const SolverJoint& joint : solver.joints()) {
        if (!joint.ranged) continue;
        const auto pick = [&](const AngleSpan& span) {
            const float part = share(random);
            return part < 0.0f ? -part * span.from : part * span.to;
        };
        const Vec3 swing = pick(joint.range.bend) * joint.range.about +
                           pick(joint.range.side) * joint.range.bone.cross(joint.range.about);
        const Quat turn = Quat(Eigen::AngleAxisf(swing.norm(), swing.stableNormalized())) *
                          Quat(Eigen::AngleAxisf(0.5f * pick(joint.range.twist), joint.range.bone));
        pose[static_cast<std::size_t>(joint.bone)].rotation = joint.frame.local(limited(joint.range, turn));
    }
    return pose;
}

}  // namespace

TEST_CASE("a body reaches what it is known to reach, with all joints in their ranges") {
    const BodySolver solver = body_solver(tasseled_diver());
    std::vector<Effector> effectors = five_effectors(tasseled_diver());
    Workspace workspace;
    std::mt19937 random(3);
    SolveOptions options;
    options.tolerance = 1e-3f;
    options.most_iterations = 60;
    for (const float most : {0.3f, 0.6f}) {
        int solved = 0;
        int iterations = 0;
        float beyond = 0.0f;
        constexpr int k_count = 500;
        for (int i = 0; i < k_count; ++i) {
            aim_at(effectors, solver.skeleton(), random_pose(solver, most, random));
            std::vector<Transform> pose = rest_pose(solver.skeleton());
            const SolveReport report = solver.solve(effectors, pose, workspace, options);
            solved += report.reached ? 1 : 0;
            iterations += report.iterations;
            beyond = std::max(beyond, most_beyond(solver, pose));
        }
        MESSAGE("turned by up to ", most, " of the spans: solved ", solved, " of ", k_count, ", iterations ",
                static_cast<double>(iterations) / k_count, ", beyond ", beyond);
        CHECK(solved >= 0.99 * k_count);
        CHECK(beyond < 0.1f);
    }
}

TEST_CASE("from frame to frame no joint jumps farther than its targets move") {
    const BodySolver solver = body_solver(tasseled_diver());
    std::vector<Effector> effectors = five_effectors(tasseled_diver());
    Workspace workspace;
    SolveOptions options;
    options.hips_freedom = 1.0f;
    options.persistent = false;
    std::vector<Transform> before;
    float worst = 0.0f;
    for (int f = 0; f < 200; ++f) {
        // The left hand goes around in a circle that leads it out of reach and back, everything else stands.
        std::vector<Transform> pose = pose_of("crouch", 40);
        aim_at(effectors, solver.skeleton(), pose);
        const float angle = 2.0f * k_pi * static_cast<float>(f) / 100.0f;
        effectors[0].target +=
            Vec3(0.3f * std::sin(angle), 0.3f - 0.3f * std::cos(angle), 0.5f * std::sin(0.5f * angle));
        solver.solve(effectors, pose, workspace, options);
        float jump = 0.0f;
        for (std::size_t b = 0; !before.empty() && b < pose.size(); ++b)
            jump = std::max(jump, angle_between(before[b].rotation, pose[b].rotation));
        worst = std::max(worst, jump);
        before = pose;
    }
    // The target moves 25 mm a frame at most: about a tenth of a radian of a forearm's length.
    MESSAGE("worst jump ", worst * k_degrees, " degrees");
    CHECK(worst < 0.2f);
}

TEST_CASE("a solution does not depend on local axes, units or size") {
    const auto placed = [](const Character& character, float factor) {
        const Chart charted = chart(character);
        const BodySolver solver = body_solver(charted);
        std::vector<Effector> effectors = five_effectors(charted);
        for (std::size_t i = 0; i < effectors.size(); ++i)
            effectors[i].target +=
                charted.to_upright().conjugate() *
                Vec3(factor * Vec3(0.05f, i < 2 ? -0.3f : -0.05f, 0.1f + 0.05f * static_cast<float>(i)));
        SolveOptions options;
        options.hips_freedom = 1.0f;
        options.tolerance *= factor;
        Workspace workspace;
        std::vector<Transform> pose = rest_pose(solver.skeleton());
        solver.solve(effectors, pose, workspace, options);
        std::vector<Transform> model(pose.size());
        to_model_space(solver.skeleton(), pose, model);
        std::vector<Vec3> positions;
        for (const Transform& bone : model)
            positions.push_back(charted.to_upright() * bone.translation / factor);
        return positions;
    };
    const Character& own = workshop::diver();
    const std::vector<Vec3> plain = placed(own, 1.0f);
    const auto worst = [&](const std::vector<Vec3>& other) {
        float distance = 0.0f;
        for (std::size_t i = 0; i < plain.size(); ++i)
            distance = std::max(distance, (plain[i] - other[i]).norm());
        return distance;
    };
    CHECK(worst(placed(variants::reaxed(own, 5), 1.0f)) < 1e-3f);
    CHECK(worst(placed(variants::under_scaled_node(own, 100.0f), 1.0f)) < 1e-3f);
    CHECK(worst(placed(variants::scaled(own, 1.7f), 1.7f)) < 1e-3f);
    CHECK(worst(placed(variants::renamed(own), 1.0f)) < 1e-3f);
}

TEST_CASE("solving asks for no memory, and orientations are met") {
    const BodySolver solver = body_solver(tasseled_diver());
    std::vector<Effector> effectors = five_effectors(tasseled_diver());
    effectors[0].turn_weight = 1.0f;
    effectors[0].orientation = Quat(Eigen::AngleAxisf(0.2f, Vec3::UnitY())) * effectors[0].orientation;
    effectors[0].target += Vec3(-0.2f, -0.2f, 0.2f);
    Workspace workspace;
    SolveOptions options;
    options.ranges = false;  // a wrist does not turn so far
    const std::vector<Transform> rest = rest_pose(solver.skeleton());
    std::vector<Transform> pose = rest;
    solver.solve(effectors, pose, workspace, options);
    const long before = workshop::allocations();
    std::copy(rest.begin(), rest.end(), pose.begin());
    const SolveReport report = solver.solve(effectors, pose, workspace, options);
    CHECK(workshop::allocations() == before);
    CHECK(report.reached);
    CHECK(report.worst_turn < 0.002f);
    // Drawn to a rest pose first, what is not asked for goes there.
    const std::vector<Transform> crouch = pose_of("crouch", 45);
    options.rest = crouch;
    options.rest_pull = 1.0f;
    std::copy(rest.begin(), rest.end(), pose.begin());
    Effector head = effector_of(tasseled_diver(), "head");
    head.position_weight = 0.0f;
    head.turn_weight = 1.0f;
    solver.solve({&head, 1}, pose, workspace, options);
    const auto knee = static_cast<std::size_t>(tasseled_diver().find("leg.left")->bones[1]);
    CHECK(angle_between(pose[knee].rotation, options.rest[knee].rotation) < 0.01f);
    SolverJoint nowhere;
    nowhere.bone = 9999;
    CHECK_THROWS_AS(BodySolver(tasseled_diver().skeleton, {nowhere}), Error);
}
