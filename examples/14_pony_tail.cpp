// The deckhand does the diver's hop, her pony tail swinging; she is pushed over and lies there; she gets up,
// and the hair goes on from where it lay. Usage: 14_pony_tail DIVER DECKHAND
#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/ragdoll.hpp>
#include <dendraxis/ragdoll/sway.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/sim/world.hpp>

#include <fmt/core.h>

#include <algorithm>
#include <utility>

namespace dx = dendraxis;

int main(int count, char** words) {
    if (count != 3) {
        fmt::print(stderr, "usage: {} DIVER DECKHAND\n", words[0]);
        return 2;
    }
    try {
        const dx::Character diver = dx::io::load_character(words[1]);
        const dx::Character deckhand = dx::io::load_character(words[2]);
        const dx::Chart chart = dx::chart(deckhand);
        const dx::Clip hop = dx::Transfer(dx::pair(dx::chart(diver), chart)).apply(diver.clip("hop-down"));

        const dx::SwayBinding hair(dx::plan_sway(deckhand, chart), chart);  // found, not set up
        dx::Sway sway(hair);
        sway.set_ground(dx::SwayGround{});
        const dx::RagdollBinding bodies(dx::build_ragdoll(deckhand, chart), chart);
        dx::Ragdoll ragdoll(bodies);
        dx::sim::World world;
        world.add_floor(chart.floor * chart.up, chart.up);
        const auto handle = world.add(bodies);

        constexpr float dt = 1.0f / 60.0f;
        dx::Transform controller;
        std::vector<dx::Transform> pose(deckhand.skeleton.size());
        std::vector<dx::BodyState> states(bodies.plan().bodies.size());
        float most = 0.0f;
        float time = 0.0f;
        for (int frame = 0; frame < 600; ++frame) {
            if (frame == 100)
                ragdoll.hit(bodies.plan().find("chest"), dx::Vec3(0.0f, 0.0f, 90.0f),
                            ragdoll.states()[0].position + dx::Vec3(0.0f, 0.3f, 0.0f), false, 3.0f);
            if (ragdoll.time_is_up() && ragdoll.state() == dx::RagdollState::limp) {
                controller = ragdoll.recover(hop.frame(0), 1.0f);
                time = 0.0f;
                fmt::print("{:5.2f} s  gets up\n", static_cast<double>(frame) * static_cast<double>(dt));
            }
            time += dt;
            dx::sample(hop, time, pose);
            // Hair first, so that a fall starts with it where it is seen.
            const bool swings = ragdoll.state() == dx::RagdollState::following;
            if (swings) sway.step(pose, controller, dt);
            ragdoll.animate(pose, controller, dt);
            world.apply(handle, ragdoll);
            world.step(dt);
            world.states(handle, states);
            ragdoll.set_states(states);
            ragdoll.pose(pose);  // what to draw
            if (!swings) sway.follow(pose, ragdoll.controller(), dt);
            if (swings) most = std::max(most, sway.turned(0));
            if (frame % 60 == 59)
                fmt::print("{:5.2f} s  {}: turned by up to {:.0f} degrees\n",
                           static_cast<double>(frame + 1) * static_cast<double>(dt),
                           hair.plan().chains.front().name,
                           static_cast<double>(std::exchange(most, 0.0f) * dx::k_degrees));
        }
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "{}\n", problem.what());
        return 3;
    }
}
