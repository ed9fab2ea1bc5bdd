// What inverse kinematics costs a call.
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ik/aim.hpp>
#include <dendraxis/ik/body_setup.hpp>
#include <dendraxis/ik/ground_adaptation.hpp>
#include <dendraxis/ik/reaching.hpp>
#include <dendraxis/ik/two_bone.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include "people.hpp"

#include <benchmark/benchmark.h>

#include <random>

namespace {

using namespace dendraxis;

constexpr std::size_t k_sets = 1000;

Vec3 direction(std::mt19937& random) {
    std::normal_distribution<float> normal;
    return Vec3(normal(random), normal(random), normal(random)).normalized();
}

void two_bones(benchmark::State& state) {
    std::mt19937 random(1);
    std::uniform_real_distribution<float> share(0.2f, 1.1f);
    const LimbJoints limb{Vec3::Zero(), Vec3(0.05f, -0.4f, 0.02f), Vec3(0.0f, -0.8f, 0.0f)};
    std::vector<Vec3> targets;
    for (std::size_t i = 0; i < k_sets; ++i) targets.push_back(0.8f * share(random) * direction(random));
    std::size_t i = 0;
    for (auto step : state) {
        benchmark::DoNotOptimize(solve_two_bone(limb, targets[i]));
        i = (i + 1) % k_sets;
    }
}
BENCHMARK(two_bones);

void chain_of_ten(benchmark::State& state) {
    std::vector<Bone> bones(11);
    for (int i = 0; i <= 10; ++i) {
        Bone& bone = bones[static_cast<std::size_t>(i)];
        bone.name = bone.label = std::to_string(i);
        bone.parent = i - 1;
        bone.rest.translation = Vec3(0, i > 0 ? 0.1f : 0.0f, 0);
        bone.rest.rotation = Quat(Eigen::AngleAxisf(i % 2 == 0 ? 0.02f : -0.015f, Vec3::UnitX()));
    }
    const Skeleton skeleton(bones);
    const std::vector<int> chain{0, 1, 2, 3, 4, 5, 6, 7, 8, 9};
    const BodySolver solver = chain_solver(skeleton, chain);
    const std::vector<Transform> start = rest_pose(skeleton);
    std::vector<Transform> pose = start;
    Workspace workspace;
    SolveOptions options;
    options.tolerance = 1e-3f;
    std::mt19937 random(1);
    std::uniform_real_distribution<float> share(0.05f, 0.99f);
    std::vector<Effector> tips(k_sets);
    for (Effector& tip : tips) {
        tip.bone = 10;
        tip.target = share(random) * direction(random);
    }
    std::size_t i = 0;
    long iterations = 0;
    for (auto step : state) {
        std::copy(start.begin(), start.end(), pose.begin());
        iterations += solver.solve({&tips[i], 1}, pose, workspace, options).iterations;
        i = (i + 1) % k_sets;
    }
    state.counters["iterations"] = static_cast<double>(iterations) / static_cast<double>(state.iterations());
}
BENCHMARK(chain_of_ten);

// The diver with some tassels, 67 bones, its hips free; hands, feet and head each so many centimeters away in
// any direction from where they are in a frame of the crouch.
void whole_body(benchmark::State& state) {
    const Character diver = io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb");
    const Chart charted = chart(harbour::with_tassels(diver.skeleton, 67));
    const BodySolver solver = body_solver(charted);
    std::vector<Transform> start = rest_pose(charted.skeleton);
    const auto frame = diver.clip("crouch").frame(45);
    std::copy(frame.begin(), frame.end(), start.begin());
    std::vector<Transform> model(start.size());
    to_model_space(charted.skeleton, start, model);
    std::mt19937 random(1);
    std::vector<std::array<Effector, 5>> sets(k_sets);
    const float away = 0.01f * static_cast<float>(state.range(0));
    const char* const names[] = {"arm.left", "arm.right", "leg.left", "leg.right", "head"};
    for (auto& set : sets) {
        for (std::size_t e = 0; e < 5; ++e) {
            set[e] = effector_of(charted, names[e]);
            const Transform& bone = model[static_cast<std::size_t>(set[e].bone)];
            set[e].target = bone.translation + bone.rotation * set[e].offset + away * direction(random);
        }
    }
    SolveOptions options;
    options.tolerance = 1e-3f;
    options.hips_freedom = 1.0f;
    options.ranges = state.range(1) != 0;
    std::vector<Transform> pose(start.begin(), start.end());
    Workspace workspace;
    std::size_t i = 0;
    long iterations = 0;
    long reached = 0;
    for (auto step : state) {
        std::copy(start.begin(), start.end(), pose.begin());
        const SolveReport report = solver.solve(sets[i], pose, workspace, options);
        iterations += report.iterations;
        reached += report.reached ? 1 : 0;
        i = (i + 1) % k_sets;
    }
    const auto calls = static_cast<double>(state.iterations());
    state.counters["bones"] = static_cast<double>(charted.skeleton.size());
    state.counters["iterations"] = static_cast<double>(iterations) / calls;
    state.counters["reached"] = static_cast<double>(reached) / calls;
}
BENCHMARK(whole_body)->ArgsProduct({{7, 17}, {0, 1}});

// The diver's stroll on a slope, pose by pose; the copying of the pose is in `posing` too.
void adapt_two_feet(benchmark::State& state) {
    const Character diver = io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb");
    const GroundAdaptation adaptation(chart(diver));
    const Clip& stroll = diver.clip("stroll");
    const Ground slope = [](const Vec3& position) -> std::optional<GroundPoint> {
        return GroundPoint{0.15f * position.z(), Vec3(0.0f, 0.989f, -0.148f), 0.0f};
    };
    GroundOptions options;
    options.strength = state.range(0) != 0 ? 1.0f : 0.0f;
    Workspace workspace;
    GroundState feet;
    std::vector<Transform> pose(stroll.bone_count);
    std::size_t frame = 0;
    for (auto step : state) {
        std::copy(stroll.frame(frame).begin(), stroll.frame(frame).end(), pose.begin());
        adaptation.apply(pose, {}, slope, 1.0f / 30.0f, feet, workspace, options);
        frame = (frame + 1) % stroll.frame_count();
        benchmark::ClobberMemory();
    }
}
BENCHMARK(adapt_two_feet)->Arg(0)->Arg(1);

void aim_head(benchmark::State& state) {
    const Character diver = io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb");
    const Chart charted = chart(diver);
    const Aim aim = aim_of(charted, "head");
    AimState look;
    const auto start = diver.clip("idle").frame(0);
    std::vector<Transform> pose(start.size());
    std::vector<Transform> model(start.size());
    for (auto step : state) {
        std::copy(start.begin(), start.end(), pose.begin());
        apply_aim(charted.skeleton, aim, Vec3(2, 1, 3), 1.0f, 1.0f / 60.0f, look, pose, model);
        benchmark::ClobberMemory();
    }
}
BENCHMARK(aim_head);

void positions_of_ten(benchmark::State& state) {
    std::mt19937 random(1);
    std::uniform_real_distribution<float> share(0.05f, 0.99f);
    std::vector<Vec3> targets;
    for (std::size_t i = 0; i < k_sets; ++i) targets.push_back(share(random) * direction(random));
    std::size_t i = 0;
    for (auto step : state) {
        std::array<Vec3, 11> joints;
        for (std::size_t k = 0; k < joints.size(); ++k)
            joints[k] = Vec3(0.002f * static_cast<float>(k % 2), 0.1f * static_cast<float>(k), 0);
        benchmark::DoNotOptimize(reach_by_positions(joints, targets[i], 1e-3f));
        i = (i + 1) % k_sets;
    }
}
BENCHMARK(positions_of_ten);

}  // namespace
