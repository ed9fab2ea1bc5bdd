// Things that were let go: they fall, come to rest, are pushed, picked up and stuck in each other.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/equip/fit_piece.hpp>
#include <dendraxis/equip/let_go.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/sim/loose_prop.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;

namespace {

// The diver's hat as it is on his head between two frames of a clip.
struct Hat {
    const Character& diver = workshop::diver();
    Chart own = chart(diver);
    SocketBinding sockets{suggested_sockets(diver, own), own};
    Prop prop = io::load_prop(workshop::demo("oilskin-hat.glb"));
    std::vector<Transform> model{diver.skeleton.size()};
    Transform before;
    Transform now;
    float seconds = 0.0f;

    Hat() {
        const Clip& clip = diver.clip("stroll");
        seconds = 1.0f / clip.fps;
        for (const std::size_t f : {std::size_t{9}, std::size_t{10}}) {
            to_model_space(diver.skeleton, clip.frame(f), model);
            before = now;
            now = sockets.frame(head(), model) * placement_of(prop, {});
        }
    }
    std::size_t head() const {
        for (std::size_t i = 0; i < sockets.sockets().size(); ++i) {
            if (sockets.sockets()[i].name == "head") return i;
        }
        return 0;
    }
    ReleasedProp go(const Vec3& impulse = Vec3::Zero()) const {
        return let_go(prop_body(prop, 0.4f), now, before, seconds, impulse, now.translation);
    }
};

}  // namespace

TEST_CASE("a hat that is let go flies as it was moved, falls, and lies still on the ground") {
    const Hat hat;
    const ReleasedProp thing = hat.go();
    sim::World world;
    world.add_floor(Vec3::Zero(), Vec3::UnitY());
    const sim::LooseHandle number = world.add_loose(thing);
    CHECK((world.loose_state(number).position - thing.state.position).norm() < 1e-5f);
    CHECK((frame_of(thing, world.loose_state(number)).translation - hat.now.translation).norm() < 1e-5f);
    // Free fall, while nothing is in the way.
    world.step(0.25f);
    const Vec3 wanted =
        thing.state.position + 0.25f * thing.state.velocity + Vec3(0, -0.5f * 9.81f * 0.25f * 0.25f, 0);
    CHECK((world.loose_state(number).position - wanted).norm() < 0.01f);
    for (int i = 0; i < 480; ++i) world.step(1.0f / 60.0f);
    const BodyState lies = world.loose_state(number);
    CHECK(lies.velocity.norm() < 0.02f);
    CHECK(lies.position.y() > 0.02f);
    CHECK(lies.position.y() < 0.3f);
    world.remove_loose(number);
    CHECK_THROWS_AS(world.loose_state(number), Error);
}

TEST_CASE("an impulse gives what mechanics says, at once or later") {
    const Hat hat;
    const ReleasedProp still = hat.go();
    const ReleasedProp hit = hat.go(Vec3(0.8f, 0, 0));
    CHECK((hit.state.velocity - still.state.velocity - Vec3(2, 0, 0)).norm() < 1e-4f);
    sim::World world;
    const sim::LooseHandle number = world.add_loose(still);
    world.push_loose(number, Vec3(0.8f, 0, 0), still.state.position);
    CHECK((world.loose_state(number).velocity - still.state.velocity - Vec3(2, 0, 0)).norm() < 1e-4f);
    ReleasedProp wrong = still;
    wrong.body.mass = 0.0f;
    CHECK_THROWS_AS(world.add_loose(wrong), Error);
    wrong = still;
    wrong.state.position.x() = NAN;
    CHECK_THROWS_AS(world.add_loose(wrong), Error);
}

TEST_CASE("a hat is not shot off the head that it was on, and lands on a body that lies there") {
    const Hat hat;
    RagdollBinding binding(build_ragdoll(hat.diver, hat.own), hat.own);
    std::vector<BodyState> states(binding.plan().bodies.size());
    std::vector<JointAnchor> anchors(binding.plan().joints.size());
    binding.bodies_of(hat.model, {}, states);
    binding.anchors_of(hat.model, anchors);
    sim::World world;
    world.add_floor(Vec3::Zero(), Vec3::UnitY());
    const auto man = world.add(binding, states, anchors);
    for (int b = 0; b < static_cast<int>(states.size()); ++b) world.hold(man, b, true);
    ReleasedProp thing = hat.go();
    thing.state.velocity.setZero();
    thing.state.angular_velocity.setZero();
    const sim::LooseHandle number = world.add_loose(thing);
    for (int i = 0; i < 30; ++i) {
        world.step(1.0f / 120.0f);
        CHECK(world.loose_state(number).velocity.norm() < 3.0f);
    }
    // From high above it comes to lie on the head and does not fall through to the ground.
    world.remove_loose(number);
    thing.state.position.y() += 0.6f;
    const auto dropped = world.add_loose(thing);
    float lowest = 10.0f;
    for (int i = 0; i < 60; ++i) {
        world.step(1.0f / 120.0f);
        lowest = std::min(lowest, world.loose_state(dropped).position.y());
    }
    CHECK(lowest > 1.5f);
}

TEST_CASE("what was picked up follows the bone again from where it lay") {
    const Hat hat;
    const ReleasedProp thing = hat.go();
    BodyState lies = thing.state;
    lies.position = Vec3(1.0f, 0.1f, 0.5f);
    const Transform frame = frame_of(thing, lies);
    const auto hand = static_cast<std::size_t>(hat.own.find("arm.right")->bones[2]);
    const Transform on_hand = offset_on_bone(frame, hat.model[hand]);
    CHECK(((hat.model[hand] * on_hand).translation - frame.translation).norm() < 1e-5f);
    std::vector<Transform> later(hat.model.size());
    to_model_space(hat.diver.skeleton, hat.diver.clip("stroll").frame(20), later);
    const Transform then = later[hand] * on_hand;
    // As far from the hand as before, seen from it.
    CHECK((inverse(later[hand]) * then)
              .translation.isApprox((inverse(hat.model[hand]) * frame).translation, 1e-4f));
}

TEST_CASE("what a clip carries pushes loose things aside and is not pushed") {
    const Hat hat;
    const RagdollBinding binding(build_ragdoll(hat.diver, hat.own), hat.own);
    std::vector<BodyState> states(binding.plan().bodies.size());
    const Clip& clip = hat.diver.clip("stroll");
    const auto bodies_in = [&](std::size_t frame) {
        std::vector<Transform> model(hat.diver.skeleton.size());
        to_model_space(hat.diver.skeleton, clip.frame(frame), model);
        binding.bodies_of(model, {}, states);
    };
    sim::World world;
    world.add_floor(Vec3::Zero(), Vec3::UnitY());
    const auto walks = world.add(binding);
    bodies_in(0);
    world.carry(walks, states);
    // On the floor, in the way of the feet.
    ReleasedProp thing = hat.go();
    thing.state = {Vec3(0, 0.12f, 0.75f), Quat::Identity(), Vec3::Zero(), Vec3::Zero()};
    const auto lies = world.add_loose(thing);
    std::vector<BodyState> got(states.size());
    for (std::size_t f = 1; f < clip.frame_count(); ++f) {
        bodies_in(f);
        world.carry(walks, states);
        world.step(1.0f / clip.fps);
        world.states(walks, got);
        for (std::size_t b = 0; b < got.size(); ++b)
            CHECK((got[b].position - states[b].position).norm() < 1e-4f);
    }
    CHECK(world.loose_state(lies).position.z() > 0.85f);
    states[0].position.x() = NAN;
    CHECK_THROWS_AS(world.carry(walks, states), Error);
}

TEST_CASE(
    "let go in a clip it starts where it was mounted, as fast, and falls whatever the file's axes and unit") {
    const Hat hat;
    Character diver = hat.diver;
    const Quat quarter(Eigen::AngleAxisf(1.5707963f, Vec3::UnitX()));
    std::optional<sim::LooseFall> first;
    for (const Character& who :
         {diver, variants::under_scaled_node(diver, 100.0f), variants::turned(diver, quarter),
          variants::reaxed(diver, 5), variants::scaled(diver, 100.0f)}) {
        const Chart own = chart(who);
        const float metres = metres_in_unit(own);
        PropFit fit;
        fit.scale = usual_scale(hat.prop, own);
        CHECK(fit.scale == doctest::Approx(1.0f / metres));
        const SocketBinding sockets({*find_socket(suggested_sockets(who, own), "head")}, own);
        const RagdollBinding binding(build_ragdoll(who, own), own);
        const Clip clip = Transfer(pair(hat.own, own)).apply(diver.clip("stroll"));
        const sim::LooseProp loose{&hat.prop, fit, 0, 20, Vec3(0.2f, 0.5f, -1.0f)};
        const sim::LooseFall fall = sim::fall_in_clip(loose, sockets, binding, own, clip);
        REQUIRE(fall.frames.size() == clip.frame_count() - 20);
        std::vector<Transform> model(who.skeleton.size());
        const auto mounted = [&](std::size_t frame) {
            to_model_space(who.skeleton, clip.frame(frame), model);
            return sockets.frame(0, model) * placement_of(hat.prop, fit);
        };
        const Transform before = mounted(19);
        const Transform now = mounted(20);
        CHECK(metres * (fall.frames[0].translation - now.translation).norm() < 1e-5f);
        CHECK(angle_between(fall.frames[0].rotation, now.rotation) * k_degrees < 0.01f);
        const PropBody body = prop_body(hat.prop);
        CHECK(body.mass == 0.4f);
        const Vec3 wanted = (apply(now, body.at) - apply(before, body.at)) * metres * clip.fps +
                            own.to_upright().conjugate() * (loose.push / body.mass);
        CHECK(fall.speed == doctest::Approx(wanted.norm()).epsilon(0.01));
        // It is on the floor in the end, a hat's breadth above it at the most, and behind the walker.
        CHECK(fall.ends.y() < 0.35f);
        CHECK(fall.ends.y() > 0.02f);
        if (!first) first = fall;
        CHECK((fall.ends - first->ends).norm() < 0.15f);
        CHECK_THROWS_AS(sim::fall_in_clip({&hat.prop, {}, 0, 4000}, sockets, binding, own, clip), Error);
    }
}

TEST_CASE("a piece of clothing that was sized and mirrored falls from where it sat, without a jump") {
    const Hat hat;
    const Prop guard = io::load_piece(workshop::demo("guards.glb"), "shin.left");
    PieceOptions options;
    options.mirrored = true;
    const FittedPiece fitted = fit_piece(guard, "shin.right", hat.diver, hat.own, options);
    const SocketBinding sockets({fitted.socket}, hat.own);
    const RagdollBinding binding(build_ragdoll(hat.diver, hat.own), hat.own);
    const Clip& clip = hat.diver.clip("idle");
    const sim::LooseFall fall =
        sim::fall_in_clip({&guard, fitted.fit, 0, 10}, sockets, binding, hat.own, clip);
    std::vector<Transform> model(hat.diver.skeleton.size());
    to_model_space(hat.diver.skeleton, clip.frame(10), model);
    const Transform sat = sockets.frame(0, model) * placement_of(guard, fitted.fit);
    const Surface surface = surface_of(guard.model);
    const Affine mirror = mirror_of(guard, fitted.fit);
    for (std::size_t v = 0; v < surface.positions.size(); v += 5) {
        const Vec3 own = mirror * surface.positions[v];
        CHECK((apply(fall.frames[0], own) - apply(sat, own)).norm() < 1e-5f);
        // In a thirtieth of a second it falls half a centimetre.
        const Vec3 step = apply(fall.frames[1], own) - apply(fall.frames[0], own);
        CHECK(step.norm() < 0.015f);
        CHECK(step.y() < 0.0f);
    }
}
