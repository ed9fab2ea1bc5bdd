// A hit on one arm: the arm hangs limp while the rest of the clip plays on; then it is pulled back and
// animation takes over. Bare names and other bodies do: try the hound. Usage: 07_one_arm_hit CHARACTER CLIP
// BODY
#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/ragdoll.hpp>
#include <dendraxis/ragdoll/snapshot.hpp>
#include <dendraxis/sim/world.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

#include <cmath>

namespace dx = dendraxis;

int main(int count, char** words) {
    if (count != 4) {
        fmt::print(stderr, "usage: {} CHARACTER CLIP BODY\n", words[0]);
        return 2;
    }
    try {
        const dx::Character character = dx::io::load_character(words[1]);
        const dx::Clip& clip = character.clip(words[2]);
        const dx::Chart chart = dx::chart(character);
        const dx::RagdollBinding binding(dx::build_ragdoll(character, chart), chart);
        const int hit = binding.plan().find(words[3]);
        if (hit < 0) throw dx::Error(words[1], std::string("has no body '") + words[3] + "'");
        dx::Ragdoll ragdoll(binding);
        dx::sim::World world;
        world.add_floor(chart.floor * chart.up, chart.up);
        const dx::sim::RagdollHandle handle = world.add(binding);

        std::vector<dx::Transform> pose(character.skeleton.size());
        std::vector<dx::BodyState> states(binding.plan().bodies.size());
        std::vector<std::uint8_t> snapshot(dx::snapshot_size(states.size()));
        constexpr float dt = 1.0f / 60.0f;
        for (int frame = 0; frame < 180; ++frame) {
            const float time = static_cast<float>(frame) * dt;
            dx::sample(clip, std::fmod(time, clip.seconds()), pose);
            ragdoll.animate(pose, {}, dt);
            if (frame == 20) {
                const dx::Vec3 position = ragdoll.states()[static_cast<std::size_t>(hit)].position;
                ragdoll.hit(hit, -45.0f * chart.facing, position, true);
            }
            if (frame == 80) {
                const float half = 0.5f;  // of each joint's strength
                ragdoll.hold({&half, 1});
            }
            if (frame == 140) ragdoll.recover(pose, 0.3f);
            world.apply(handle, ragdoll);
            world.step(dt);
            world.states(handle, states);
            ragdoll.set_states(states);
            if (frame % 20 == 0) {
                const auto index = static_cast<std::size_t>(hit);
                std::vector<dx::BodyState> animated(states.size());
                std::vector<dx::Transform> model(pose.size());
                dx::to_model_space(character.skeleton, pose, model);
                binding.bodies_of(model, {}, animated);
                const dx::Vec3& now = ragdoll.states()[index].position;
                dx::write_snapshot(ragdoll.states(), static_cast<double>(time), snapshot);
                fmt::print(
                    "{:4.2f} s  {:<10} {} is {:5.1f} cm from where the clip has it; {} bytes tell it to "
                    "others\n",
                    static_cast<double>(time),
                    ragdoll.state() == dx::RagdollState::following ? "following"
                    : ragdoll.state() == dx::RagdollState::limp    ? "limp"
                    : ragdoll.state() == dx::RagdollState::held    ? "held"
                                                                   : "recovering",
                    words[3], 100.0 * static_cast<double>((now - animated[index].position).norm()),
                    snapshot.size());
            }
        }
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "{}\n", problem.what());
        return 3;
    }
}
