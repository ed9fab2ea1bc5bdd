// How a character's way over the floor is carried: rules a clip, and a path for a ground bone that the source
// does not have.
#include "pass_plan.hpp"
#include "smoothing.hpp"

#include <dendraxis/retarget/travel.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis {
namespace {

constexpr float k_path_seconds = 0.35f;  // sways shorter than this are no part of the way

Vec3 on_floor(const Vec3& place, const Vec3& up) {
    return place - place.dot(up) * up;
}

// Where a bone goes over the floor; without the sway of each step where that is no ground bone.
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

// Moves a bone of a local pose in model space.
void move_bone(Take& take, std::size_t frame, int bone, const Vec3& by) {
    const int parent = take.skeleton().parent(bone);
    const Transform above =
        parent == k_no_bone ? take.skeleton().above() : take.model[static_cast<std::size_t>(parent)];
    Transform& local = take.result.frame(frame)[static_cast<std::size_t>(bone)];
    local.translation += inverse(above).scale.cwiseProduct(above.rotation.conjugate() * by);
}

void move_character(Take& take, const std::vector<Vec3>& by) {
    const Chart& target = take.plan.pairing.target;
    const bool carried = target.ground != k_no_bone && take.skeleton().is_above(target.ground, target.hub);
    for (std::size_t f = 0; f < take.frames(); ++f) {
        take.pose(f);
        move_bone(take, f, carried ? target.ground : target.hub, by[f]);
        if (!carried && target.ground != k_no_bone) move_bone(take, f, target.ground, by[f]);
    }
}

// The ground bone follows the hub without its sways; the body stays where it is.
void make_ground_path(Take& take) {
    const Chart& target = take.plan.pairing.target;
    const std::vector<Vec3> path = path_of(take.skeleton(), take.result, target.hub, target.up, false);
    float farthest = 0.0f;
    for (const Vec3& place : path) farthest = std::max(farthest, (place - path.front()).norm());
    // A character that stays where it is keeps its ground bone where it is.
    if (farthest < 0.25f * leg_length(target)) return;
    const bool carries = take.skeleton().is_above(target.ground, target.hub);
    for (std::size_t f = 0; f < take.frames(); ++f) {
        take.pose(f);
        const Vec3 by = path[f] - path.front();
        move_bone(take, f, target.ground, by);
        if (carries) move_bone(take, f, target.hub, -by);
    }
}

}  // namespace

std::vector<Vec3> travel_shift(const Pairing& pairing, const Clip& clip, float leg_ratio) {
    std::vector<Vec3> shift(clip.frame_count(), Vec3::Zero());
    const Travel travel = pairing.settings.travel_of(clip.name);
    if (travel == Travel::scaled || clip.frame_count() < 2) return shift;
    const Chart& source = pairing.source;
    const bool has_ground = source.ground != k_no_bone;
    const std::vector<Vec3> path =
        path_of(source.skeleton, clip, has_ground ? source.ground : source.hub, source.up, has_ground);
    const Quat to_target = source_to_target(pairing);
    const float more = travel == Travel::in_place ? -leg_ratio : 1.0f - leg_ratio;
    for (std::size_t f = 0; f < shift.size(); ++f) shift[f] = more * (to_target * (path[f] - path.front()));
    return shift;
}

void carry_travel(Take& take) {
    const Pairing& pairing = take.plan.pairing;
    take.shift = travel_shift(pairing, take.source, take.plan.leg_ratio);
    const Travel travel = pairing.settings.travel_of(take.source.name);
    if (travel != Travel::scaled) move_character(take, take.shift);
    // Copied travel leaves the floor where it is; what is planted stays on it.
    if (travel == Travel::copied) take.shift.assign(take.frames(), Vec3::Zero());
    // A build that has one bone more keeps it still: what is not in the source is not made up.
    const bool lacks_ground = pairing.source.ground == k_no_bone && pairing.target.ground != k_no_bone;
    if (lacks_ground && !pairing.is_same_build()) make_ground_path(take);
}

}  // namespace dendraxis
