#include "allocations.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ik/body_solver.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <random>

using namespace dendraxis;

namespace {

// Ten bones of 10 cm and a tip, standing up.
Skeleton ten_bones() {
    std::vector<Bone> bones;
    for (int i = 0; i <= 10; ++i) {
        Bone bone;
        bone.name = bone.label = "link_" + std::to_string(i);
        bone.parent = i - 1;
        if (i > 0) bone.rest.translation = Vec3(0, 0.1f, 0);
        bones.push_back(bone);
    }
    return Skeleton(std::move(bones));
}

std::vector<int> first_bones(int count) {
    std::vector<int> bones;
    for (int i = 0; i < count; ++i) bones.push_back(i);
    return bones;
}

Vec3 tip_of(const Skeleton& skeleton, std::span<const Transform> pose, int bone) {
    std::vector<Transform> model(skeleton.size());
    to_model_space(skeleton, pose, model);
    return model[static_cast<std::size_t>(bone)].translation;
}

// A nearly straight start, so that nothing is known of where to bend.
std::vector<Transform> nearly_straight(const Skeleton& skeleton) {
    std::vector<Transform> pose = rest_pose(skeleton);
    for (std::size_t i = 0; i < pose.size(); ++i)
        pose[i].rotation = Quat(Eigen::AngleAxisf(i % 2 == 0 ? 0.02f : -0.015f, Vec3::UnitX()));
    return pose;
}

std::vector<SolverJoint> coned(const Skeleton& skeleton, float half) {
    std::vector<SolverJoint> joints;
    for (const int bone : first_bones(static_cast<int>(skeleton.size()) - 1)) {
        SolverJoint& joint = joints.emplace_back();
        joint.bone = bone;
        joint.ranged = true;
        joint.range.bend = joint.range.side = {-half, half};
        joint.range.twist = {-k_pi, k_pi};
    }
    return joints;
}

}  // namespace

TEST_CASE("a chain of ten bones reaches whatever is in reach, in few iterations") {
    const Skeleton skeleton = ten_bones();
    const std::vector<int> bones = first_bones(10);
    const BodySolver solver = chain_solver(skeleton, bones);
    Workspace workspace;
    SolveOptions options;
    options.tolerance = 1e-3f;
    std::mt19937 random(7);
    std::uniform_real_distribution<float> share(0.05f, 0.99f);
    int iterations = 0;
    int solved = 0;
    constexpr int k_count = 1000;
    for (int i = 0; i < k_count; ++i) {
        std::vector<Transform> pose = nearly_straight(skeleton);
        Effector tip;
        tip.bone = 10;
        tip.target = share(random) * workshop::any_direction(random);
        const SolveReport report = solver.solve({&tip, 1}, pose, workspace, options);
        iterations += report.iterations;
        solved += report.reached && (tip_of(skeleton, pose, 10) - tip.target).norm() < 1.1e-3f ? 1 : 0;
    }
    MESSAGE("mean iterations ", static_cast<double>(iterations) / k_count, ", solved ", solved);
    CHECK(solved == k_count);
    CHECK(iterations <= 7 * k_count);
}

TEST_CASE("with cones of 60 degrees a chain reaches what is known to be reachable, within them") {
    const Skeleton skeleton = ten_bones();
    const float half = 30.0f / k_degrees;
    for (const float cone : {half, 2.0f * half}) {
        const std::vector<SolverJoint> joints = coned(skeleton, cone);
        const BodySolver solver(skeleton, joints);
        Workspace workspace;
        SolveOptions options;
        options.tolerance = 1e-3f;
        std::mt19937 random(9);
        std::uniform_real_distribution<float> any(-cone, cone);
        int solved = 0;
        int iterations = 0;
        float beyond = 0.0f;
        constexpr int k_count = 1000;
        for (int i = 0; i < k_count; ++i) {
            // Reachable, since a pose within all cones stands there.
            std::vector<Transform> known = rest_pose(skeleton);
            for (std::size_t b = 0; b < 10; ++b) {
                Vec3 swing(any(random), 0.0f, any(random));
                if (swing.norm() > cone) swing *= 0.7f;
                known[b].rotation = Quat(Eigen::AngleAxisf(swing.norm(), swing.normalized()));
            }
            std::vector<Transform> pose = nearly_straight(skeleton);
            Effector tip;
            tip.bone = 10;
            tip.target = tip_of(skeleton, known, 10);
            const SolveReport report = solver.solve({&tip, 1}, pose, workspace, options);
            solved += report.reached ? 1 : 0;
            iterations += report.iterations;
            for (const SolverJoint& joint : joints)
                beyond = std::max(
                    beyond, overshoot(joint.range, pose[static_cast<std::size_t>(joint.bone)].rotation));
        }
        MESSAGE("cone ", cone * k_degrees, ": solved ", solved, ", mean iterations ",
                static_cast<double>(iterations) / k_count, ", beyond ", beyond * k_degrees);
        CHECK(solved >= 995);
        CHECK(beyond * k_degrees < 0.1f);
    }
}

TEST_CASE("a straight chain with its target on its own line bends toward its hint") {
    const Skeleton skeleton = ten_bones();
    std::vector<SolverJoint> joints(10);
    for (int i = 0; i < 10; ++i) {
        joints[static_cast<std::size_t>(i)].bone = i;
        joints[static_cast<std::size_t>(i)].bend = Vec3::UnitX();
    }
    const BodySolver solver(skeleton, joints);
    Workspace workspace;
    std::vector<Transform> pose = rest_pose(skeleton);
    Effector tip;
    tip.bone = 10;
    tip.target = Vec3(0, 0.6f, 0);
    CHECK(solver.solve({&tip, 1}, pose, workspace).reached);
    const Vec3 middle = tip_of(skeleton, pose, 5);
    CHECK(middle.z() < -0.1f);  // turned back about x: the middle goes to -z
    CHECK(std::abs(middle.x()) < 1e-3f);
}

TEST_CASE("what is out of reach is neared as far as it goes, without a jump") {
    const Skeleton skeleton = ten_bones();
    const std::vector<int> bones = first_bones(10);
    const BodySolver solver = chain_solver(skeleton, bones);
    Workspace workspace;
    std::vector<Transform> before;
    for (float distance = 0.8f; distance < 1.6f; distance += 0.005f) {
        std::vector<Transform> pose = nearly_straight(skeleton);
        Effector tip;
        tip.bone = 10;
        tip.target = distance * Vec3(1, 1, 0.2f).normalized();
        const SolveReport report = solver.solve({&tip, 1}, pose, workspace);
        CHECK(report.reached == (distance < 0.996f));
        CHECK(report.worst_position ==
              doctest::Approx((tip_of(skeleton, pose, 10) - tip.target).norm()).epsilon(0.01));
        CHECK((tip_of(skeleton, pose, 10) - tip.target).norm() < std::max(0.0f, distance - 1.0f) + 0.012f);
        float jump = 0.0f;
        for (std::size_t b = 0; !before.empty() && b < 10; ++b)
            jump = std::max(jump, angle_between(before[b].rotation, pose[b].rotation));
        CHECK(jump < 0.2f);  // near full stretch 5 mm are ten degrees of each joint
        before = pose;
    }
}

TEST_CASE("what makes no sense gives a defined result") {
    const Skeleton skeleton = ten_bones();
    const std::vector<int> bones = first_bones(10);
    const BodySolver solver = chain_solver(skeleton, bones);
    Workspace workspace;
    const auto finite_after = [&](std::vector<Effector> effectors) {
        std::vector<Transform> pose = rest_pose(skeleton);
        solver.solve(effectors, pose, workspace);
        for (const Transform& t : pose) CHECK(t.rotation.coeffs().allFinite());
        return pose;
    };
    Effector tip;
    tip.bone = 10;
    tip.target = Vec3(NAN, 0, 0);
    CHECK(finite_after({tip})[4].rotation.coeffs() == Quat::Identity().coeffs());
    tip.target = Vec3(INFINITY, 0, 0);
    finite_after({tip});
    tip.target = Vec3::Zero();  // at the root
    finite_after({tip});
    tip.target = Vec3(1e20f, 0, 0);
    finite_after({tip});
    tip.bone = 77;
    finite_after({tip});
    tip = {};
    tip.bone = 10;
    tip.target = Vec3(0.3f, 0.4f, 0);
    Effector same = tip;
    finite_after({tip, same});
    same.target = Vec3(-0.3f, 0.4f, 0);
    const auto torn = finite_after({tip, same});
    CHECK(std::abs(tip_of(skeleton, torn, 10).x()) < 0.02f);  // between the two
    same.priority = 1;
    const auto first = finite_after({tip, same});
    CHECK((tip_of(skeleton, first, 10) - tip.target).norm() < 0.02f);
    // One bone; a range that is the wrong way around.
    const std::vector<int> one{9};
    std::vector<Transform> single = rest_pose(skeleton);
    tip.target = Vec3(0.05f, 0.95f, 0);
    chain_solver(skeleton, one).solve({&tip, 1}, single, workspace);
    CHECK(tip_of(skeleton, single, 10).x() > 0.03f);
    std::vector<SolverJoint> odd = coned(skeleton, -0.5f);
    std::vector<Transform> kept = rest_pose(skeleton);
    BodySolver(skeleton, odd).solve({&tip, 1}, kept, workspace);
    for (const Transform& t : kept) CHECK(t.rotation.coeffs().allFinite());
    // A chain without length.
    std::vector<Bone> none(3);
    for (int i = 0; i < 3; ++i) {
        none[static_cast<std::size_t>(i)].name = none[static_cast<std::size_t>(i)].label = std::to_string(i);
        none[static_cast<std::size_t>(i)].parent = i - 1;
    }
    const Skeleton point(none);
    const std::vector<int> two{0, 1};
    std::vector<Transform> pose = rest_pose(point);
    tip.bone = 2;
    chain_solver(point, two).solve({&tip, 1}, pose, workspace);
    for (const Transform& t : pose) CHECK(t.rotation.coeffs().allFinite());
}
