// Things that were let go: they fall, come to rest, are pushed, picked up and stuck in each other.
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/equip/copy_sockets.hpp>
#include <dendraxis/equip/let_go.hpp>
#include <dendraxis/io/props.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/sim/world.hpp>
#include <dendraxis/skeleton/pose.hpp>

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
    HandOver go(const Vec3& impulse = Vec3::Zero()) const {
        return let_go(prop_body(prop, 0.4f), now, before, seconds, impulse, now.translation);
    }
};

}  // namespace

TEST_CASE("a hat that is let go flies as it was moved, falls, and lies still on the ground") {
    const Hat hat;
    const HandOver thing = hat.go();
    sim::World world;
    world.add_floor(Vec3::Zero(), Vec3::UnitY());
    const int number = world.add_loose(thing);
    CHECK((world.loose_state(number).place - thing.state.place).norm() < 1e-5f);
    CHECK((frame_of(thing, world.loose_state(number)).translation - hat.now.translation).norm() < 1e-5f);
    // Free fall, while nothing is in the way.
    world.step(0.25f);
    const Vec3 wanted =
        thing.state.place + 0.25f * thing.state.velocity + Vec3(0, -0.5f * 9.81f * 0.25f * 0.25f, 0);
    CHECK((world.loose_state(number).place - wanted).norm() < 0.01f);
    for (int i = 0; i < 480; ++i) world.step(1.0f / 60.0f);
    const BodyState lies = world.loose_state(number);
    CHECK(lies.velocity.norm() < 0.02f);
    CHECK(lies.place.y() > 0.02f);
    CHECK(lies.place.y() < 0.3f);
    world.remove_loose(number);
    CHECK_THROWS_AS(world.loose_state(number), Error);
}

TEST_CASE("an impulse gives what mechanics says, at once or later") {
    const Hat hat;
    const HandOver still = hat.go();
    const HandOver hit = hat.go(Vec3(0.8f, 0, 0));
    CHECK((hit.state.velocity - still.state.velocity - Vec3(2, 0, 0)).norm() < 1e-4f);
    sim::World world;
    const int number = world.add_loose(still);
    world.push_loose(number, Vec3(0.8f, 0, 0), still.state.place);
    CHECK((world.loose_state(number).velocity - still.state.velocity - Vec3(2, 0, 0)).norm() < 1e-4f);
    HandOver wrong = still;
    wrong.body.mass = 0.0f;
    CHECK_THROWS_AS(world.add_loose(wrong), Error);
    wrong = still;
    wrong.state.place.x() = NAN;
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
    const int man = world.add(binding, states, anchors);
    for (int b = 0; b < static_cast<int>(states.size()); ++b) world.pin(man, b, true);
    HandOver thing = hat.go();
    thing.state.velocity.setZero();
    thing.state.spin.setZero();
    const int number = world.add_loose(thing);
    for (int i = 0; i < 30; ++i) {
        world.step(1.0f / 120.0f);
        CHECK(world.loose_state(number).velocity.norm() < 3.0f);
    }
    // From high above it comes to lie on the head and does not fall through to the ground.
    world.remove_loose(number);
    thing.state.place.y() += 0.6f;
    const int dropped = world.add_loose(thing);
    float lowest = 10.0f;
    for (int i = 0; i < 60; ++i) {
        world.step(1.0f / 120.0f);
        lowest = std::min(lowest, world.loose_state(dropped).place.y());
    }
    CHECK(lowest > 1.5f);
}

TEST_CASE("what was picked up follows the bone again from where it lay") {
    const Hat hat;
    const HandOver thing = hat.go();
    BodyState lies = thing.state;
    lies.place = Vec3(1.0f, 0.1f, 0.5f);
    const Transform frame = frame_of(thing, lies);
    const auto hand = static_cast<std::size_t>(hat.own.find("arm.right")->bones[2]);
    const Transform on_hand = pinned(frame, hat.model[hand]);
    CHECK(((hat.model[hand] * on_hand).translation - frame.translation).norm() < 1e-5f);
    std::vector<Transform> later(hat.model.size());
    to_model_space(hat.diver.skeleton, hat.diver.clip("stroll").frame(20), later);
    const Transform then = later[hand] * on_hand;
    // As far from the hand as before, seen from it.
    CHECK((inverse(later[hand]) * then)
              .translation.isApprox((inverse(hat.model[hand]) * frame).translation, 1e-4f));
}
