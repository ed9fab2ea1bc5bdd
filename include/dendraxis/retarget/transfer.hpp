// The transfer: a pairing compiled for evaluation.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <memory>
#include <span>
#include <vector>

namespace dendraxis {

struct PassPlan;
struct TurnProgram;

/// Carries motion from the source of a pairing to its target.
///
/// Every bone of a paired chain turns away from the matched stance, in model space, as the source's bone
/// turns away from its rest; where bone counts differ the turn is spread along the chain by arc length. Bones
/// of no chain follow their parents. The hub's height goes by the ratio of hub heights, its travel by the
/// ratio of leg lengths; a ground bone is carried where both have one.
///
/// Immutable once made; shared by threads freely.
class Transfer {
 public:
    /// Throws `Error` where either character has no hub.
    explicit Transfer(const Pairing& pairing);

    /// Scratch memory of one thread; it grows on first use and is then only used again.
    struct Workspace {
        std::vector<float> lanes;
    };

    /// Local poses of the source in, local poses of the target out: any number of whole poses, frame after
    /// frame. Allocates only where `workspace` has not been used before; throws nothing.
    void apply(std::span<const Transform> source, std::span<Transform> target, Workspace& workspace) const;

    /// A whole clip with all passes: travel by its rule, feet that stand where the source's do, hands kept on
    /// the body and together, arms kept out of the body, joints kept in their ranges, as the pairing's
    /// settings ask. Throws `Error` where it is not a clip of the source.
    Clip apply(const Clip& clip) const;

    /// A whole clip by its turning alone: what `apply` of poses gives, without any pass.
    Clip apply_turns(const Clip& clip) const;

    float leg_ratio() const noexcept { return leg_ratio_; }
    float hub_ratio() const noexcept { return hub_ratio_; }

 private:
    void compile_follow(const Pairing& pairing, const std::vector<Quat>& matched_turns,
                        const std::vector<Quat>& source_stance);
    void compile_travel(const Pairing& pairing, float hub_drop);
    Vec3 hub_place(const Vec3& source_hub, const Quat& heading) const;
    Vec3 ground_place(const Vec3& source_ground) const;
    void place_body(std::span<const Transform> source, std::span<Transform> target) const;

    std::shared_ptr<const PassPlan> passes_;
    Skeleton source_;
    Skeleton target_;
    std::shared_ptr<const TurnProgram> program_;
    Quat ground_stance_ =
        Quat::Identity();             // orientation of the source's ground bone that turns are measured from
    std::vector<int> source_to_hub_;  // bones from the root to the hub, to the ground bone
    std::vector<int> source_to_ground_;
    std::vector<int> target_to_hub_;
    std::vector<int> target_to_ground_;
    Quat to_target_;  // from the source's model space to the target's
    int source_hub_ = k_no_bone;
    int target_hub_ = k_no_bone;
    int source_ground_ = k_no_bone;  // set only where both characters have one
    int target_ground_ = k_no_bone;
    Vec3 source_up_;
    Vec3 target_up_;
    float source_floor_ = 0.0f;
    float target_floor_ = 0.0f;
    Vec3 source_ground_rest_ = Vec3::Zero();
    Vec3 target_ground_rest_ = Vec3::Zero();
    Vec3 hub_offset_ =
        Vec3::Zero();  // over the floor, in the target's model space: what scaling leaves over at rest
    float leg_ratio_ = 1.0f;
    float hub_ratio_ = 1.0f;
};

}  // namespace dendraxis
