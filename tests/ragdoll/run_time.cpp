// The switch between animation and physics, and snapshots.
#include "allocations.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/ragdoll.hpp>
#include <dendraxis/ragdoll/snapshot.hpp>
#include <dendraxis/sim/world.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <limits>

using namespace dendraxis;

namespace {

struct Stage {
    const Character& character = workshop::diver();
    Chart chart = dendraxis::chart(character);
    RagdollBinding binding{build_ragdoll(character, chart), chart};
    Ragdoll ragdoll{binding};
    sim::World world;
    sim::RagdollHandle number = world.add(binding);
    std::vector<BodyState> states{binding.plan().bodies.size()};
    std::vector<Transform> shown{character.skeleton.size()};
    float time = 0.0f;

    Stage() { world.add_floor(Vec3::Zero(), Vec3::UnitY()); }

    int body(const char* name) const { return binding.plan().find(name); }

    void animate(const Clip& clip, float dt = 1.0f / 60.0f, const Transform& controller = {}) {
        std::vector<Transform> pose(shown.size());
        time += dt;
        sample(clip, std::fmod(time, clip.seconds()), pose);
        ragdoll.animate(pose, controller, dt);
    }
    void simulate(float dt = 1.0f / 60.0f) {
        world.apply(number, ragdoll);
        world.step(dt);
        world.states(number, states);
        ragdoll.set_states(states);
        ragdoll.pose(shown);
    }
    void frames(const Clip& clip, int count) {
        for (int i = 0; i < count; ++i) animate(clip), simulate();
    }
    void fall_out_of(const char* clip, int count) {
        frames(character.clip(clip), 20);
        ragdoll.let_go();
        frames(character.clip(clip), count);
    }
};

float farthest_apart(const Skeleton& skeleton, std::span<const Transform> a, std::span<const Transform> b) {
    std::vector<Transform> at(a.size());
    std::vector<Transform> bt(b.size());
    to_model_space(skeleton, a, at);
    to_model_space(skeleton, b, bt);
    float most = 0.0f;
    for (std::size_t i = 0; i < a.size(); ++i)
        most = std::max(most, (at[i].translation - bt[i].translation).norm());
    return most;
}

}  // namespace

TEST_CASE("while it follows nothing is simulated, and the pose is the animation's") {
    Stage stage;
    const Clip& stroll = stage.character.clip("stroll");
    stage.frames(stroll, 10);
    for (const BodyOrder& order : stage.ragdoll.bodies()) CHECK(order.motion == BodyMotion::absent);
    std::vector<Transform> pose(stage.shown.size());
    sample(stroll, stage.time, pose);
    CHECK(farthest_apart(stage.character.skeleton, pose, stage.shown) == 0.0f);
    CHECK(stage.ragdoll.controller_active());
}

TEST_CASE("let go and taken back, no frame jumps, and getting up ends in the clip") {
    Stage stage;
    const Clip& stroll = stage.character.clip("stroll");
    stage.frames(stroll, 30);
    stage.animate(stroll);
    std::vector<Transform> animated(stage.shown.size());
    sample(stroll, stage.time, animated);
    stage.ragdoll.let_go({}, 1.5f);
    stage.ragdoll.pose(stage.shown);
    CHECK(farthest_apart(stage.character.skeleton, animated, stage.shown) < 1e-4f);
    CHECK_FALSE(stage.ragdoll.controller_active());

    // Bodies go on as fast as the animation moved them.
    const BodyState at_switch = stage.ragdoll.bodies()[0].state;
    CHECK(at_switch.velocity.norm() > 0.5f);
    CHECK(at_switch.velocity.norm() < 2.5f);

    stage.simulate();
    CHECK_FALSE(stage.ragdoll.time_is_up());
    stage.frames(stroll, 240);
    CHECK(stage.ragdoll.time_is_up());
    CHECK(stage.states[static_cast<std::size_t>(stage.body("head"))].position.y() < 0.6f);
    for (int i = 0; i < 600 && !stage.ragdoll.at_rest(); ++i) stage.frames(stroll, 1);
    CHECK(stage.ragdoll.at_rest());

    // Up again: at first as it lies, in the world; at last exactly in the clip.
    const Clip& idle = stage.character.clip("idle");
    std::vector<Transform> lying(stage.shown.size());
    std::vector<Transform> model(stage.shown.size());
    to_model_space(stage.character.skeleton, stage.shown, model);
    const Vec3 head_lies =
        stage.ragdoll.controller().rotation *
            model[static_cast<std::size_t>(stage.character.skeleton.find("head"))].translation +
        stage.ragdoll.controller().translation;
    const Transform controller = stage.ragdoll.recover(idle.frame(0), 1.0f);
    stage.ragdoll.pose(lying);
    to_model_space(stage.character.skeleton, lying, model);
    const Vec3 head_now =
        controller.rotation *
            model[static_cast<std::size_t>(stage.character.skeleton.find("head"))].translation +
        controller.translation;
    CHECK((head_now - head_lies).norm() < 1e-3f);
    CHECK((controller.rotation * Vec3::UnitY()).y() > 0.9999f);
    CHECK(std::abs(controller.translation.y()) < 0.05f);
    CHECK(stage.ragdoll.controller_active());
    CHECK(stage.ragdoll.state() == RagdollState::recovering);
    for (int i = 0; i < 61; ++i) {
        stage.ragdoll.animate(idle.frame(0), controller, 1.0f / 60.0f);
        stage.simulate();
    }
    CHECK(stage.ragdoll.state() == RagdollState::following);
    CHECK(farthest_apart(stage.character.skeleton, idle.frame(0), stage.shown) == 0.0f);
}

TEST_CASE("it faces the same way when it gets up, and knows how it lies") {
    Stage stage;
    const Clip& idle = stage.character.clip("idle");
    for (const float direction : {-1.0f, 1.0f}) {
        Stage one;
        one.frames(idle, 2);
        one.animate(idle);
        one.ragdoll.let_go();
        one.ragdoll.hit(one.body("chest"), Vec3(0, 0, direction * 80.0f),
                        one.ragdoll.states()[static_cast<std::size_t>(one.body("chest"))].position);
        one.simulate();
        one.frames(idle, 240);
        CHECK(one.ragdoll.lies_face_up() == (direction < 0.0f));
        const Transform controller = one.ragdoll.recover(idle.frame(0), 0.5f);
        CHECK((controller.rotation * Vec3::UnitZ()).z() > 0.0f);
    }
}

TEST_CASE("triggers: a fast landing, a hard hit, one arm alone") {
    Stage stage;
    const Clip& idle = stage.character.clip("idle");
    stage.frames(idle, 3);
    CHECK_FALSE(stage.ragdoll.land(3.0f));
    CHECK_FALSE(stage.ragdoll.hit(stage.body("chest"), Vec3(0, 0, 5), Vec3::Zero()).let_go);
    const auto arm = static_cast<std::size_t>(stage.body("upper-arm.left"));
    stage.animate(idle);
    const HitOutcome outcome = stage.ragdoll.hit(stage.body("upper-arm.left"), Vec3(0, 0, -60),
                                                 stage.ragdoll.states()[arm].position, true);
    CHECK(outcome.let_go);
    CHECK(outcome.clamped);
    stage.simulate();
    CHECK(stage.ragdoll.controller_active());
    CHECK(stage.ragdoll.bodies()[arm].motion == BodyMotion::free);
    CHECK(stage.ragdoll.bodies()[static_cast<std::size_t>(stage.body("hand.left"))].motion ==
          BodyMotion::free);
    CHECK(stage.ragdoll.bodies()[0].motion == BodyMotion::kinematic);
    stage.frames(idle, 60);
    std::vector<Transform> animated(stage.shown.size());
    sample(idle, std::fmod(stage.time, idle.seconds()), animated);
    std::vector<Transform> a(animated.size());
    std::vector<Transform> b(animated.size());
    to_model_space(stage.character.skeleton, animated, a);
    to_model_space(stage.character.skeleton, stage.shown, b);
    const auto apart = [&](const char* bone) {
        const auto index = static_cast<std::size_t>(stage.character.skeleton.find(bone));
        return (a[index].translation - b[index].translation).norm();
    };
    CHECK(apart("head") < 1e-3f);
    CHECK(apart("foot_right") < 1e-3f);
    CHECK(apart("upper_arm_left") < 0.02f);
    stage.ragdoll.follow();
    CHECK(stage.ragdoll.land(9.0f));
    CHECK(stage.ragdoll.state() == RagdollState::limp);
}

TEST_CASE("held, it keeps the animation's pose, held loosely, it sags") {
    for (const float share : {1.0f, 0.0f}) {
        Stage stage;
        const Clip& idle = stage.character.clip("idle");
        stage.frames(idle, 3);
        stage.animate(idle);
        stage.ragdoll.let_go_below(stage.body("upper-arm.left"));
        stage.ragdoll.hold({&share, 1});
        for (int i = 0; i < 90; ++i) {
            stage.simulate();
            std::vector<Transform> rest = rest_pose(stage.character.skeleton);
            stage.ragdoll.animate(rest, {}, 1.0f / 60.0f);  // arms out level
        }
        const float drop = stage.chart.height * 0.7f -
                           stage.states[static_cast<std::size_t>(stage.body("forearm.left"))].position.y();
        CAPTURE(share);
        if (share > 0.5f)
            CHECK(drop < 0.0f);
        else
            CHECK(drop > 0.1f);
    }
}

TEST_CASE("what a game may hand in by mistake does no harm, and a frame asks for no memory") {
    Stage stage;
    const Clip& idle = stage.character.clip("idle");
    stage.frames(idle, 2);
    const float nan = std::numeric_limits<float>::quiet_NaN();
    stage.ragdoll.animate(idle.frame(0), {}, 0.0f);
    stage.ragdoll.animate(idle.frame(0), {}, 10.0f);
    stage.ragdoll.animate(idle.frame(0), {}, nan);
    CHECK(stage.ragdoll.hit(0, Vec3(nan, 0, 0), Vec3::Zero()).clamped);
    CHECK_FALSE(stage.ragdoll.hit(-1, Vec3(1, 0, 0), Vec3::Zero()).let_go);
    stage.ragdoll.let_go("no-such-profile");
    CHECK(stage.ragdoll.hit(0, Vec3(1e30f, 0, 0), Vec3(1e30f, 0, 0)).clamped);
    for (const BodyOrder& order : stage.ragdoll.bodies()) CHECK(order.state.velocity.norm() < 50.0f);
    CHECK(stage.world.step(0.0f) == 0.0f);
    CHECK(stage.world.step(nan) == 0.0f);
    CHECK(stage.world.step(10.0f) <= 0.26f);
    std::vector<BodyState> broken(stage.states.size());
    for (BodyState& state : broken) state.position.setConstant(nan);
    stage.ragdoll.set_states(broken);
    stage.simulate();
    for (const Transform& bone : stage.shown) CHECK(bone.translation.allFinite());
    RagdollSettings settings;
    settings.profile = "none";
    CHECK_THROWS_AS(Ragdoll(stage.binding, settings), Error);

    const long before = workshop::allocations();
    stage.ragdoll.animate(idle.frame(1), {}, 1.0f / 60.0f);
    stage.ragdoll.set_states(stage.states);
    stage.ragdoll.pose(stage.shown);
    stage.ragdoll.recover(idle.frame(0), 0.3f);
    stage.ragdoll.let_go();
    CHECK(workshop::allocations() == before);
}

TEST_CASE("a snapshot of 15 bodies is small and true") {
    std::vector<BodyState> states(15);
    std::srand(3);
    for (BodyState& state : states) {
        state.position = Vec3(120, 3, -40) + Vec3::Random();
        state.turn = Quat::UnitRandom();
    }
    std::vector<std::uint8_t> bytes(snapshot_size(states.size()));
    CHECK(bytes.size() < 200);
    REQUIRE(write_snapshot(states, 12.5, bytes));
    std::vector<BodyState> back(states.size());
    double seconds = 0.0;
    REQUIRE(read_snapshot(bytes, back, seconds));
    CHECK(seconds == 12.5);
    for (std::size_t b = 0; b < states.size(); ++b) {
        CHECK((states[b].position - back[b].position).norm() < 2e-3f);
        CHECK(angle_between(states[b].turn, back[b].turn) < 0.5f / k_degrees);
    }
    std::vector<BodyState> between(states.size());
    blend_snapshots(states, back, 0.5f, between);
    CHECK((between[3].position - states[3].position).norm() < 2e-3f);
    // Damaged ones are refused.
    std::vector<BodyState> fewer(3);
    CHECK_FALSE(read_snapshot(bytes, fewer, seconds));
    bytes[0] = 0;
    CHECK_FALSE(read_snapshot(bytes, back, seconds));
    states[2].position.x() = std::numeric_limits<float>::infinity();
    CHECK_FALSE(write_snapshot(states, 1.0, bytes));
}

TEST_CASE("a figure whose origin is at its pelvis gets up on the ground, not in it") {
    const Character& diver = workshop::diver();
    Chart usual = workshop::diver_chart();
    // The same body, told from a point a metre up.
    Transform above = diver.skeleton.above();
    above.translation.y() -= 1.0f;
    Chart raised = usual;
    raised.skeleton = Skeleton({diver.skeleton.bones().begin(), diver.skeleton.bones().end()}, above);
    raised.floor -= 1.0f;
    raised.rest_floor -= 1.0f;
    const RagdollPlan plan = build_ragdoll(diver, usual);
    for (const Chart* chart : {&usual, &raised}) {
        CAPTURE(chart->floor);
        const RagdollBinding binding(plan, *chart);
        Ragdoll ragdoll(binding);
        sim::World world;
        world.add_floor(Vec3::Zero(), Vec3::UnitY());
        const sim::RagdollHandle handle = world.add(binding);
        std::vector<BodyState> states(plan.bodies.size());
        Transform at;
        at.translation.y() = -chart->floor;
        const std::vector<Transform> rest = rest_pose(chart->skeleton);
        ragdoll.animate(rest, at, 1.0f / 60.0f);
        ragdoll.let_go();
        for (int f = 0; f < 240; ++f) {
            ragdoll.animate(rest, at, 1.0f / 60.0f);
            world.apply(handle, ragdoll);
            world.step(1.0f / 60.0f);
            world.states(handle, states);
            ragdoll.set_states(states);
        }
        const Transform put = ragdoll.recover(rest, 0.5f);
        CHECK(std::abs(put.translation.y() + chart->floor) < 0.05f);
    }
}

TEST_CASE("getting up no joint turns faster than it may, also from half a turn off") {
    Stage stage;
    stage.fall_out_of("stroll", 180);
    std::vector<Transform> first = rest_pose(stage.character.skeleton);
    // An arm that waves about the pose half a turn off.
    const auto arm = static_cast<std::size_t>(stage.character.skeleton.find("upper_arm_left"));
    const Quat lying = stage.shown[arm].rotation;
    const auto clip_at = [&](int f) {
        std::vector<Transform> pose = first;
        const float off = k_pi + 0.1f * std::sin(0.9f * static_cast<float>(f));
        pose[arm].rotation = lying * Quat(Eigen::AngleAxisf(off, Vec3::UnitZ()));
        return pose;
    };
    stage.ragdoll.recover(clip_at(0), 0.1f);
    std::vector<Transform> before = stage.shown;
    float most = 0.0f;
    int frames = 0;
    for (; stage.ragdoll.state() == RagdollState::recovering && frames < 600; ++frames) {
        stage.ragdoll.animate(clip_at(frames), {}, 1.0f / 60.0f);
        stage.simulate();
        if (frames > 0) {
            for (std::size_t b = 0; b < before.size(); ++b) {
                if (stage.character.skeleton.parent(static_cast<int>(b)) == k_no_bone) continue;
                most = std::max(most, angle_between(before[b].rotation, stage.shown[b].rotation));
            }
        }
        before = stage.shown;
    }
    // Half a turn at 8 rad/s at the most, however the clip itself moves (5 rad/s).
    CHECK(frames > 20);
    CHECK(frames < 120);
    CHECK(most * 60.0f < 8.01f);
}

TEST_CASE("getting up ends, also into a clip that turns faster than joints may") {
    Stage stage;
    stage.fall_out_of("stroll", 120);
    const auto head = static_cast<std::size_t>(stage.character.skeleton.find("head"));
    std::vector<Transform> pose = rest_pose(stage.character.skeleton);
    stage.ragdoll.recover(pose, 0.5f);
    int frames = 0;
    for (; stage.ragdoll.state() == RagdollState::recovering && frames < 600; ++frames) {
        pose[head].rotation = pose[head].rotation * Quat(Eigen::AngleAxisf(0.5f, Vec3::UnitY()));  // 30 rad/s
        stage.ragdoll.animate(pose, {}, 1.0f / 60.0f);
        stage.simulate();
    }
    CHECK(frames < 240);
    CHECK(farthest_apart(stage.character.skeleton, pose, stage.shown) == 0.0f);
}

TEST_CASE("a cut gives no speed, a teleport takes fallen bodies along, landing and hits may last a while") {
    Stage stage;
    const Clip& idle = stage.character.clip("idle");
    stage.frames(idle, 5);
    Transform far;
    far.translation = {0.0f, 0.0f, 4.0f};
    stage.ragdoll.cut();
    stage.animate(idle, 1.0f / 60.0f, far);
    stage.ragdoll.let_go();
    for (const BodyState& state : stage.ragdoll.states()) CHECK(state.velocity.norm() < 0.5f);
    stage.simulate();
    stage.frames(idle, 10);
    const BodyState before = stage.ragdoll.states()[0];
    Transform to;
    to.translation = {3.0f, 1.0f, -2.0f};
    to.rotation = Quat(Eigen::AngleAxisf(1.0f, Vec3::UnitY()));
    stage.ragdoll.teleport(Transform(), to);
    stage.frames(idle, 1);
    const BodyState after = stage.ragdoll.states()[0];
    CHECK((after.position - apply(to, before.position)).norm() < 0.1f);
    CHECK((after.velocity - to.rotation * before.velocity).norm() < 0.5f);

    Stage other;
    other.frames(idle, 3);
    CHECK(other.ragdoll.land(9.0f, 0.5f));
    other.frames(idle, 20);
    CHECK_FALSE(other.ragdoll.time_is_up());
    other.frames(idle, 20);
    CHECK(other.ragdoll.time_is_up());
}
