// One handle moves a puppet's arm: two bones in the puppet's plane, the elbow always on the chosen side, the
// hand turned by itself. Usage: 05_puppet_arm PUPPET
#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ik/planar.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace dx = dendraxis;

int main(int count, char** words) {
    if (count != 2) {
        fmt::print(stderr, "usage: {} PUPPET\n", words[0]);
        return 2;
    }
    try {
        const dx::Character puppet = dx::io::load_character(words[1]);
        const dx::Chart chart = dx::chart(puppet);
        const std::vector<dx::Limb> limbs = dx::limbs_of(chart);
        const auto arm = std::find_if(limbs.begin(), limbs.end(),
                                      [](const dx::Limb& limb) { return limb.name == "arm.left"; });
        if (arm == limbs.end()) throw dx::Error(words[1], "has no left arm");
        std::vector<dx::Transform> model(puppet.skeleton.size());
        for (int step = 0; step <= 4; ++step) {
            std::vector<dx::Transform> pose = dx::rest_pose(puppet.skeleton);
            dx::to_model_space(puppet.skeleton, pose, model);
            const float angle = 0.4f * static_cast<float>(step);
            const dx::Vec3 handle = dx::head_of(arm->bones[0], model) +
                                    0.3f * dx::Vec3(std::cos(angle), std::sin(angle) - 0.5f, 0.0f);
            dx::reach_in_plane(puppet.skeleton, *arm, chart.facing, handle, dx::BendSide::right, -angle,
                               model, pose);
            dx::to_model_space(puppet.skeleton, pose, model);
            const dx::Vec3 hand = dx::head_of(arm->bones[2], model);
            const dx::Vec3 elbow = dx::head_of(arm->bones[1], model);
            fmt::print("handle ({:+.2f}, {:.2f})  hand ({:+.2f}, {:.2f})  elbow ({:+.2f}, {:.2f})\n",
                       handle.x(), handle.y(), hand.x(), hand.y(), elbow.x(), elbow.y());
        }
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "{}\n", problem.what());
        return 3;
    }
}
