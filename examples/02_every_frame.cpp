// What a game does each frame: one source drives two targets, feet held as it goes, one arm left to itself,
// and the target changed on the fly. After the first frame nothing asks for memory. Usage: 02_every_frame
// SOURCE CLIP TARGET_A TARGET_B
#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/retarget/foot_lock.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/blend.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/core.h>

#include <array>

namespace dx = dendraxis;

namespace {

// Made once for each pair of characters; shared by all threads.
struct Link {
    dx::Pairing pairing;
    dx::Transfer transfer;
    dx::FootLock foot_lock;
    std::vector<dx::Transform> rest;
    std::vector<float> left_arm;

    Link(const dx::Chart& source, const dx::Character& target)
        : pairing(dx::pair(source, dx::chart(target))),
          transfer(pairing),
          foot_lock(pairing),
          rest(dx::rest_pose(target.skeleton)),
          left_arm(dx::chain_mask(pairing.target, std::vector<std::string>{"arm.left"})) {}
};

}  // namespace

int main(int count, char** words) {
    if (count != 5) {
        fmt::print(stderr, "usage: {} SOURCE CLIP TARGET_A TARGET_B\n", words[0]);
        return 2;
    }
    try {
        const dx::Character source = dx::io::load_character(words[1]);
        const dx::Clip& clip = source.clip(words[2]);
        const dx::Chart chart = dx::chart(source);
        const std::array<Link, 2> links{Link(chart, dx::io::load_character(words[3])),
                                        Link(chart, dx::io::load_character(words[4]))};

        std::vector<dx::Transform> driving(source.skeleton.size());
        dx::Workspace workspace;
        for (const Link& link : links) {  // so that no frame allocates
            link.transfer.reserve(workspace);
            link.foot_lock.reserve(workspace);
        }
        dx::FootLockState fresh;
        fresh.floor_velocity = dx::moving_floor(chart, clip);  // not zero if the clip walks on the spot
        dx::FootLockState feet = fresh;
        const float step = 1.0f / 60.0f;
        std::size_t worn = 0;
        std::vector<dx::Transform> pose;
        for (int frame = 0; static_cast<float>(frame) * step < clip.seconds(); ++frame) {
            if (frame == 30) {  // another body from here on: a fresh state, nothing else
                worn = 1;
                feet = fresh;
            }
            const Link& link = links[worn];
            dx::sample(clip, static_cast<float>(frame) * step, driving);
            pose.resize(link.pairing.target.skeleton.size());
            link.transfer.apply(driving, pose, workspace);
            link.foot_lock.apply(driving, pose, step, feet, workspace);
            dx::blend_poses(pose, link.rest, 0.5f,
                            link.left_arm);  // the left arm alone, half way to its rest
            if (frame % 15 != 0) continue;
            dx::to_model_space(link.pairing.target.skeleton, pose, pose);
            const auto hips = static_cast<std::size_t>(link.pairing.target.hips);
            fmt::print("frame {:>3}  {:<10} hips at {:.3f} m\n", frame, link.pairing.target.character,
                       pose[hips].translation.dot(link.pairing.target.up));
        }
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "{}\n", problem.what());
        return 3;
    }
}
