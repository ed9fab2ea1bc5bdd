// The world by itself: what hangs swings as it must, what is pinned stays, what is driven gets there.
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/sim/drop.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;

namespace {

struct Hung {
    const Character& character = workshop::diver();
    Chart chart = dendraxis::chart(character);
    RagdollBinding binding{build_ragdoll(character, chart), chart};
    std::vector<BodyState> states{binding.plan().bodies.size()};
    std::vector<JointAnchor> anchors{binding.plan().joints.size()};
    sim::World world;
    sim::RagdollHandle handle = sim::RagdollHandle::none;

    explicit Hung(const sim::WorldSettings& settings = {}) : world(settings) {
        const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
        Transform placement;
        placement.translation = Vec3(0, 2, 0);
        binding.bodies_of(rest, placement, states);
        binding.anchors_of(rest, anchors);
        handle = world.add(binding, states, anchors);
    }
    void run(int frames) {
        for (int i = 0; i < frames; ++i) world.step(1.0f / 60.0f);
        world.states(handle, states);
    }
    std::size_t body(const char* name) const { return static_cast<std::size_t>(binding.plan().find(name)); }
};

}  // namespace

TEST_CASE("a free figure falls as fast as anything") {
    Hung hung;
    const float start = hung.states[hung.body("chest")].position.y();
    hung.run(30);
    CHECK(start - hung.states[hung.body("chest")].position.y() ==
          doctest::Approx(0.5f * 9.81f * 0.25f).epsilon(0.03));
    CHECK(hung.states[hung.body("chest")].velocity.y() == doctest::Approx(-9.81f * 0.5f).epsilon(0.03));
    CHECK(hung.world.penetration(hung.handle).ground == 0.0f);
    CHECK_FALSE(hung.world.asleep(hung.handle));
}

TEST_CASE("without weight nothing moves, and a push gives all of it the speed that it must") {
    sim::WorldSettings settings;
    settings.gravity.setZero();
    Hung hung(settings);
    hung.world.push(hung.handle, static_cast<int>(hung.body("hips")), Vec3(0, 0, 40),
                    hung.states[hung.body("hips")].position);
    hung.run(60);
    Vec3 momentum = Vec3::Zero();
    for (std::size_t b = 0; b < hung.states.size(); ++b)
        momentum += hung.binding.plan().bodies[b].mass * hung.states[b].velocity;
    CHECK(momentum.z() == doctest::Approx(40.0f).epsilon(0.02));
    CHECK(momentum.head<2>().norm() < 0.5f);
}

TEST_CASE("pinned by the head it hangs together, let go it falls, taken out it is gone") {
    Hung hung;
    hung.world.hold(hung.handle, static_cast<int>(hung.body("head")), true);
    const Vec3 head = hung.states[hung.body("head")].position;
    hung.run(300);
    CHECK((hung.states[hung.body("head")].position - head).norm() < 1e-4f);
    CHECK(hung.states[hung.body("foot.left")].position.y() < head.y() - 1.2f);
    for (std::size_t j = 0; j < hung.anchors.size(); ++j) {
        const RagdollJoint& joint = hung.binding.plan().joints[j];
        const BodyState& above = hung.states[static_cast<std::size_t>(joint.above)];
        CHECK(separation_of(hung.anchors[j], above, hung.states[static_cast<std::size_t>(joint.body)]) <
              2e-3f);
    }
    hung.world.hold(hung.handle, static_cast<int>(hung.body("head")), false);
    hung.run(30);
    CHECK(hung.states[hung.body("head")].position.y() < head.y() - 0.9f);
    hung.world.remove(hung.handle);
    CHECK_THROWS(hung.world.states(hung.handle, hung.states));
}

TEST_CASE("a limp figure that only creeps is held back until it lies still, a driven or weightless one not") {
    sim::WorldSettings slippery;
    slippery.friction = 0.0f;
    slippery.bodies_touch = false;
    // How fast it is after three seconds of a draft that gives all of it 0.1 m/s each second.
    const auto speed_in_draft = [&](const sim::WorldSettings& settings, bool driven) {
        Hung hung(settings);
        hung.world.add_floor(Vec3::Zero(), Vec3::UnitY());
        hung.run(300);
        if (driven) hung.world.drive(hung.handle, 0, Quat::Identity(), 0.001f);
        const auto speed = [&] {
            float momentum = 0.0f;
            float mass = 0.0f;
            for (std::size_t b = 0; b < hung.states.size(); ++b) {
                mass += hung.binding.plan().bodies[b].mass;
                momentum += hung.binding.plan().bodies[b].mass * hung.states[b].velocity.x();
            }
            return momentum / mass;
        };
        const float before = speed();
        for (int i = 0; i < 180; ++i) {
            for (std::size_t b = 0; b < hung.states.size(); ++b)
                hung.world.push(hung.handle, static_cast<int>(b),
                                Vec3(0.1f / 60.0f * hung.binding.plan().bodies[b].mass, 0, 0),
                                hung.states[b].position);
            hung.run(1);
        }
        return speed() - before;
    };
    CHECK(std::abs(speed_in_draft(slippery, false)) < 0.02f);
    CHECK(speed_in_draft(slippery, true) == doctest::Approx(0.3f).epsilon(0.1));
    slippery.gravity.setZero();
    CHECK(speed_in_draft(slippery, false) == doctest::Approx(0.3f).epsilon(0.05));
}

TEST_CASE("a driven elbow goes where it is told, against the arm's weight") {
    sim::WorldSettings settings;
    settings.bodies_touch = false;
    Hung hung(settings);
    hung.world.hold(hung.handle, static_cast<int>(hung.body("upper-arm.left")), true);
    const int joint = hung.binding.plan().joint_of(static_cast<int>(hung.body("forearm.left")));
    const RagdollJoint& plan = hung.binding.plan().joints[static_cast<std::size_t>(joint)];
    const Quat target(Eigen::AngleAxisf(1.2f, plan.range.about));
    hung.world.drive(hung.handle, joint, target, plan.strength);
    hung.run(120);
    const TurnAngles now = turn_angles(plan.range, turn_of(hung.anchors[static_cast<std::size_t>(joint)],
                                                           hung.states[hung.body("upper-arm.left")],
                                                           hung.states[hung.body("forearm.left")]));
    CHECK(std::abs(now.bend - 1.2f) < 2e-3f);
    CHECK(std::abs(now.side) < 2e-3f);
    CHECK(std::abs(now.twist) < 2e-3f);
}

TEST_CASE("what touched in a step is told: which, where, how hard") {
    const Character& diver = workshop::diver();
    const Chart& chart = workshop::diver_chart();
    const RagdollBinding binding(build_ragdoll(diver, chart), chart);
    std::vector<Transform> model(diver.skeleton.size());
    to_model_space(diver.skeleton, rest_pose(diver.skeleton), model);
    std::vector<BodyState> states(binding.plan().bodies.size());
    std::vector<JointAnchor> anchors(binding.plan().joints.size());
    Transform at;
    at.translation.y() = 0.5f;
    binding.bodies_of(model, at, states);
    binding.anchors_of(model, anchors);
    sim::WorldSettings settings;
    for (const bool noted : {true, false}) {
        settings.note_contacts = noted;
        sim::World world(settings);
        world.add_floor(Vec3::Zero(), Vec3::UnitY());
        const sim::RagdollHandle ragdoll = world.add(binding, states, anchors);
        world.step(0.1f);
        CHECK(world.contacts().empty());
        float impulse = 0.0f;
        float weight = 0.0f;
        for (const RagdollBody& body : binding.plan().bodies) weight += body.mass;
        for (int f = 0; f < 420; ++f) {
            world.step(1.0f / 60.0f);
            for (const sim::Contact& contact : world.contacts()) {
                CHECK(contact.one.ragdoll == ragdoll);
                CHECK(contact.one.body >= 0);
                CHECK(contact.normal.norm() == doctest::Approx(1.0f).epsilon(1e-3));
                if (!contact.other.is_ground()) continue;
                CHECK(std::abs(contact.position.y()) < 0.03f);
                CHECK(contact.normal.y() > 0.99f);
                if (f >= 360) impulse += contact.impulse;
            }
        }
        // At rest the ground bears the weight: a second of it.
        if (noted) CHECK(impulse == doctest::Approx(9.81f * weight).epsilon(0.05));
        CHECK((impulse > 0.0f) == noted);
    }
}
