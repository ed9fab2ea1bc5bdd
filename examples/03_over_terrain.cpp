// A character walks over ground that its clip knows nothing of: a diver on a slipway, a hound on steps. What
// the loop does is what a game does each frame; after the first one nothing asks for memory. Usage:
// 03_over_terrain CHARACTER CLIP TERRAIN
#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ik/ground_adaptation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/gltf/ground.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

namespace dx = dendraxis;

int main(int count, char** words) {
    if (count != 4) {
        fmt::print(stderr, "usage: {} CHARACTER CLIP TERRAIN\n", words[0]);
        return 2;
    }
    try {
        const dx::Character character = dx::io::load_character(words[1]);
        const dx::Clip& clip = character.clip(words[2]);
        const dx::Chart chart = dx::chart(character);
        const dx::Ground ground = dx::io::load_ground(words[3], chart);  // or any function of a position
        const dx::GroundAdaptation adaptation(chart);

        dx::GroundState state;
        dx::Workspace workspace;
        std::vector<dx::Transform> pose(character.skeleton.size());
        std::vector<dx::Transform> model(pose.size());
        const float step = 1.0f / 60.0f;
        float height = 0.0f;
        for (int frame = 0; static_cast<float>(frame) * step < clip.seconds(); ++frame) {
            dx::sample(clip, static_cast<float>(frame) * step, pose);
            // Where the game's character controller has the character: on the ground below its hips, gently.
            dx::to_model_space(character.skeleton, pose, model);
            const dx::Vec3 hips = model[static_cast<std::size_t>(chart.hips)].translation;
            const auto below = ground(hips - hips.dot(chart.up) * chart.up + height * chart.up);
            if (below) height += 0.15f * (below->height - height);
            dx::Transform placement;
            placement.translation = height * chart.up;

            adaptation.apply(pose, placement, ground, step, state, workspace);

            if (frame % 20 != 0) continue;
            dx::to_model_space(character.skeleton, pose, model);
            fmt::print("frame {:>3}  body at {:.2f} m", frame, height);
            for (const dx::Sole& sole : chart.shape.soles)
                fmt::print("  {} {:.3f}", sole.leg, height + dx::lowest_of(sole, model, chart.up));
            fmt::print("\n");
        }
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "{}\n", problem.what());
        return 3;
    }
}
