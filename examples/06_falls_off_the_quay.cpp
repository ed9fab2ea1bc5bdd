// The diver hops down, lands too fast and goes limp with all the speed that he has; after four seconds he
// gets up from where he lies and plays on. Usage: 06_falls_off_the_quay DIVER
#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/ragdoll.hpp>
#include <dendraxis/sim/world.hpp>

#include <fmt/core.h>

namespace dx = dendraxis;

namespace {

const char* name_of(dx::RagdollState state) {
    switch (state) {
        case dx::RagdollState::following:
            return "following";
        case dx::RagdollState::limp:
            return "limp";
        case dx::RagdollState::held:
            return "held";
        case dx::RagdollState::recovering:
            return "recovering";
    }
    return "";
}

}  // namespace

int main(int count, char** words) {
    if (count != 2) {
        fmt::print(stderr, "usage: {} DIVER\n", words[0]);
        return 2;
    }
    try {
        const dx::Character diver = dx::io::load_character(words[1]);
        const dx::Chart chart = dx::chart(diver);
        const dx::RagdollBinding binding(dx::build_ragdoll(diver, chart), chart);
        dx::Ragdoll ragdoll(binding);

        dx::sim::World world;
        world.add_floor(chart.floor * chart.up, chart.up);
        const auto body = world.add(binding);

        const dx::Clip* clip = &diver.clip("hop-down");
        const dx::Clip& after = diver.clip("idle");
        dx::Transform controller;
        controller.translation = dx::Vec3(0.0f, 1.2f, 0.0f);  // the quay
        float fall = 0.0f;
        float clip_time = 0.0f;
        constexpr float dt = 1.0f / 60.0f;
        std::vector<dx::Transform> pose(diver.skeleton.size());
        std::vector<dx::BodyState> states(binding.plan().bodies.size());
        dx::RagdollState shown = dx::RagdollState::held;
        for (int frame = 0; frame < 480; ++frame) {
            // The game: it moves the character and picks the clip.
            if (ragdoll.controller_active() && ragdoll.state() == dx::RagdollState::following &&
                clip != &after) {
                fall += 9.81f * dt;
                controller.translation.y() -= fall * dt;
                if (controller.translation.y() <= 0.0f) {
                    controller.translation.y() = 0.0f;
                    ragdoll.land(fall + 3.0f);  // he jumped, too
                    ragdoll.let_go({}, 4.0f);
                }
            }
            if (ragdoll.time_is_up() && ragdoll.state() == dx::RagdollState::limp) {
                fmt::print("{:5.2f} s  lies face {}, gets up\n",
                           static_cast<double>(frame) * static_cast<double>(dt),
                           ragdoll.lies_face_up() ? "up" : "down");
                clip = &after;
                clip_time = 0.0f;
                controller = ragdoll.recover(clip->frame(0), 1.0f, chart.floor);
            }
            clip_time += dt;
            dx::sample(*clip, clip_time, pose);

            // The ragdoll and the physics.
            ragdoll.animate(pose, controller, dt);
            world.apply(body, ragdoll);
            world.step(dt);
            world.states(body, states);
            ragdoll.set_states(states);
            ragdoll.pose(pose);  // what to draw, relative to ragdoll.controller()

            if (ragdoll.state() != shown) {
                shown = ragdoll.state();
                fmt::print("{:5.2f} s  {}\n", static_cast<double>(frame) * static_cast<double>(dt),
                           name_of(shown));
            }
        }
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "{}\n", problem.what());
        return 3;
    }
}
