// The diver's whole body: five effectors, all joints within the ranges that anatomy gives.
#include "allocations.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/body_setup.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <random>

using namespace dendraxis;

namespace {

const Chart& diver() {
    static const Chart charted = chart(workshop::diver());
    return charted;
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
    const BodySolver solver = body_solver(diver());
    std::vector<Effector> effectors = five_effectors(diver());
    BodySolver::Workspace workspace;
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
