// Somebody who waves a lantern looks at a boat that passes, and points at it while it is near: two aims,
// eased on and off, every frame. Usage: 04_look_and_point CHARACTER CLIP
#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ik/aim.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

#include <cmath>

namespace dx = dendraxis;

int main(int count, char** words) {
    if (count != 3) {
        fmt::print(stderr, "usage: {} CHARACTER CLIP\n", words[0]);
        return 2;
    }
    try {
        const dx::Character character = dx::io::load_character(words[1]);
        const dx::Clip& clip = character.clip(words[2]);
        const dx::Chart chart = dx::chart(character);
        const dx::Aim head = dx::aim_of(chart, "head");
        const dx::Aim arm = dx::aim_of(chart, "arm.left");
        dx::AimState head_state;
        dx::AimState arm_state;
        std::vector<dx::Transform> pose(character.skeleton.size());
        std::vector<dx::Transform> scratch(pose.size());
        const float step = 1.0f / 60.0f;
        const dx::Vec3 left = chart.up.cross(chart.facing);
        for (int frame = 0; static_cast<float>(frame) * step < clip.seconds(); ++frame) {
            const float seconds = static_cast<float>(frame) * step;
            dx::sample(clip, seconds, pose);
            const float aside = 6.0f - 4.0f * seconds;  // the boat, from its left to its right
            const dx::Vec3 boat = 5.0f * chart.facing + aside * left + 0.8f * chart.up;
            const bool near = std::abs(aside) < 4.0f;
            dx::apply_aim(character.skeleton, head, boat, 1.0f, step, head_state, pose, scratch);
            dx::apply_aim(character.skeleton, arm, boat, near ? 1.0f : 0.0f, step, arm_state, pose, scratch);
            if (frame % 20 != 0) continue;
            fmt::print("frame {:>3}  boat {:+.1f} m aside, head turned {:+.0f} degrees, arm at {:.0f} %\n",
                       frame, aside, head_state.weight * head_state.sideways * dx::k_degrees,
                       100.0f * arm_state.weight);
        }
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "{}\n", problem.what());
        return 3;
    }
}
