#include <dendraxis/ragdoll/get_up.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

// Tells a pose in the model space of the fall. What is above the hips stays as it was there: as in the fall,
// the hips carry the way.
class InFall {
 public:
    InFall(const Skeleton& skeleton, int hips, std::span<const Transform> fallen)
        : skeleton_(skeleton), hips_(hips), fallen_(fallen.begin(), fallen.end()), model_(fallen.size()) {
        fallen_model_.resize(fallen.size());
        to_model_space(skeleton, fallen, fallen_model_);
    }

    void put(const Transform& controller, std::span<Transform> local) {
        to_model_space(skeleton_, local, model_);
        for (std::size_t b = 0; b < local.size(); ++b) {
            const int bone = static_cast<int>(b);
            const int parent = skeleton_.parent(bone);
            if (is_above_hips(bone))
                local[b] = fallen_[b];
            else if (parent == k_no_bone)
                local[b] = inverse(skeleton_.above()) * controller * model_[b];
            else if (is_above_hips(parent))
                local[b] = inverse(fallen_model_[static_cast<std::size_t>(parent)]) * controller * model_[b];
        }
    }

 private:
    bool is_above_hips(int bone) const { return bone != hips_ && skeleton_.is_above(bone, hips_); }

    const Skeleton& skeleton_;
    int hips_;
    std::vector<Transform> fallen_;
    std::vector<Transform> fallen_model_;
    std::vector<Transform> model_;
};

}  // namespace

GetUp append_get_up(const RagdollBinding& binding, const Clip& clip, float seconds,
                    const RagdollSettings& settings, std::optional<float> ground, Clip& fall) {
    const std::size_t bones = binding.skeleton().size();
    for (const Clip* one : {static_cast<const Clip*>(&fall), &clip}) {
        if (one->frame_count() == 0 || one->bone_count != bones)
            throw Error("clip '" + one->name + "'", "cannot be got up into", "",
                        "give a clip of the ragdoll's own skeleton, of one frame at least");
    }
    if (!(seconds >= 0.0f) || !std::isfinite(seconds))
        throw Error("getting up", "cannot take that long", "", "give seconds, 0 or more");
    GetUp result;
    result.from = fall.frame_count() - 1;
    result.clip = &clip;
    std::vector<Transform> pose(fall.frame(result.from).begin(), fall.frame(result.from).end());
    InFall in_fall(binding.skeleton(), binding.plan().bodies[0].bone, pose);
    Ragdoll ragdoll(binding, settings);
    ragdoll.animate(pose, Transform(), 0.0f);
    ragdoll.let_go();
    result.controller = ragdoll.recover(clip.frame(0), seconds, ground);
    const float step = 1.0f / fall.fps;
    const auto rest_of_clip = static_cast<std::size_t>(std::lround(clip.seconds() * fall.fps));
    for (std::size_t f = 1; result.to == 0 || f <= rest_of_clip; ++f) {
        sample(clip, static_cast<float>(f) * step, pose);
        ragdoll.animate(pose, result.controller, step);
        ragdoll.pose(pose);
        in_fall.put(ragdoll.controller(), pose);
        if (result.to == 0 && ragdoll.state() == RagdollState::following) result.to = fall.frame_count();
        fall.transforms.insert(fall.transforms.end(), pose.begin(), pose.end());
    }
    return result;
}

float fastest_turn(std::span<const Clip> clips) {
    float fastest = 0.0f;
    for (const Clip& clip : clips) {
        for (std::size_t f = 1; f < clip.frame_count(); ++f) {
            for (std::size_t b = 0; b < clip.bone_count; ++b) {
                if (clip.holds(b, k_rotation_steps)) continue;
                fastest = std::max(fastest, clip.fps * angle_between(clip.frame(f - 1)[b].rotation,
                                                                     clip.frame(f)[b].rotation));
            }
        }
    }
    return fastest;
}

}  // namespace dendraxis
