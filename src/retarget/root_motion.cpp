// How a character's way over the floor is carried: rules a clip, and a path for a root that the source
// does not have.
#include "pass_plan.hpp"
#include "smoothing.hpp"
#include "standing.hpp"

#include <dendraxis/chart/body_tree.hpp>
#include <dendraxis/retarget/root_motion.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {
namespace {

using detail::Beyond;
using detail::move_bone;
using detail::PassRun;
using detail::smoothed;

constexpr float k_path_seconds = 0.35f;  // sways shorter than this are no part of the way

Vec3 on_floor(const Vec3& position, const Vec3& up) {
    return position - position.dot(up) * up;
}

// Where a bone goes over the floor; without the sway of each step where that is no root.
std::vector<Vec3> path_of(const Skeleton& skeleton, const Clip& clip, int bone, const Vec3& up,
                          bool is_smooth) {
    std::vector<Vec3> path;
    std::vector<Transform> model(skeleton.size());
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(skeleton, clip.frame(f), model);
        path.push_back(on_floor(head_of(bone, model), up));
    }
    return is_smooth ? path : smoothed(path, k_path_seconds * clip.fps, Beyond::mirrored);
}

// The hips, all chains and what else hangs elsewhere in the file than in the body; of bones below each other
// the topmost.
std::vector<int> parts_of_body(const Chart& target) {
    const BodyTree body(target);
    std::vector<char> is_part(target.skeleton.size(), 0);
    is_part[static_cast<std::size_t>(target.hips)] = 1;
    for (const Chain& chain : target.chains) {
        for (const int bone : chain.bones) is_part[static_cast<std::size_t>(bone)] = 1;
    }
    std::vector<int> parts;
    for (int bone = 0; bone < static_cast<int>(is_part.size()); ++bone) {
        if (!is_part[static_cast<std::size_t>(bone)] && body.holder(bone) == k_no_bone) continue;
        int above = target.skeleton.parent(bone);
        while (above != k_no_bone && !is_part[static_cast<std::size_t>(above)] &&
               body.holder(above) == k_no_bone)
            above = target.skeleton.parent(above);
        if (above == k_no_bone) parts.push_back(bone);
    }
    return parts;
}

void move_character(PassRun& run, const std::vector<Vec3>& by) {
    const Chart& target = run.plan.pairing.target;
    std::vector<int> parts = parts_of_body(target);
    if (target.root != k_no_bone) {
        std::erase_if(parts, [&](int bone) { return run.skeleton().is_above(target.root, bone); });
        parts.push_back(target.root);
    }
    for (std::size_t f = 0; f < run.frames(); ++f) {
        run.pose(f);
        for (const int part : parts) move_bone(run.skeleton(), run.model, run.result.frame(f), part, by[f]);
    }
}

// The root follows the hips without their sways; the body stays where it is.
void make_root_path(PassRun& run) {
    const Chart& target = run.plan.pairing.target;
    const std::vector<Vec3> path = path_of(run.skeleton(), run.result, target.hips, target.up, false);
    float farthest = 0.0f;
    for (const Vec3& position : path) farthest = std::max(farthest, (position - path[run.first]).norm());
    // A character that stays where it is keeps its root where it is.
    if (farthest < 0.25f * leg_length(target)) return;
    std::vector<int> carried = parts_of_body(target);
    std::erase_if(carried, [&](int bone) { return !run.skeleton().is_above(target.root, bone); });
    for (std::size_t f = 0; f < run.frames(); ++f) {
        run.pose(f);
        const Vec3 by = path[f] - path[run.first];
        const auto local = run.result.frame(f);
        move_bone(run.skeleton(), run.model, local, target.root, by);
        for (const int bone : carried) move_bone(run.skeleton(), run.model, local, bone, -by);
    }
}

}  // namespace

std::vector<Vec3> root_motion_shift(const Pairing& pairing, const Clip& clip, float leg_ratio,
                                    std::size_t first) {
    std::vector<Vec3> shift(clip.frame_count(), Vec3::Zero());
    const RootMotion root_motion = pairing.settings.root_motion_of(clip.name);
    if (root_motion == RootMotion::scaled || clip.frame_count() < 2) return shift;
    const Chart& source = pairing.source;
    const bool has_root = source.root != k_no_bone;
    const std::vector<Vec3> path =
        path_of(source.skeleton, clip, has_root ? source.root : source.hips, source.up, has_root);
    const Quat to_target = source_to_target(pairing);
    const float more = root_motion == RootMotion::in_place ? -leg_ratio : 1.0f - leg_ratio;
    for (std::size_t f = 0; f < shift.size(); ++f) shift[f] = more * (to_target * (path[f] - path[first]));
    return shift;
}

void detail::carry_root_motion(PassRun& run) {
    const Pairing& pairing = run.plan.pairing;
    run.shift = root_motion_shift(pairing, run.source, run.plan.leg_ratio, run.first);
    const RootMotion root_motion = pairing.settings.root_motion_of(run.source.name);
    if (root_motion != RootMotion::scaled) move_character(run, run.shift);
    // Copied root motion leaves the floor where it is; what is planted stays on it.
    if (root_motion == RootMotion::copied) run.shift.assign(run.frames(), Vec3::Zero());
    // A build that has one bone more keeps it still: what is not in the source is not made up.
    const bool lacks_root = pairing.source.root == k_no_bone && pairing.target.root != k_no_bone;
    if (lacks_root && !pairing.is_same_build()) make_root_path(run);
}

}  // namespace dendraxis
