// How feet must move over the floor so that they stand still where the source's do.
#pragma once

#include "pass_plan.hpp"

#include <dendraxis/chart/contacts.hpp>

namespace dendraxis::detail {

/// One leg of the target through a clip; one entry a frame.
struct LegTrack {
    std::vector<LimbJoints> joints;                     ///< model space
    std::vector<std::array<Vec3, k_foot_parts>> parts;  ///< of its sole, from the leg's end
    std::vector<float> lowest;                          ///< along up, from the model's origin
};

/// The target's legs as they are in `run.result`. Changes `run.model`.
std::vector<LegTrack> track_legs(PassRun& run, std::span<const LimbPlan> legs);

/// A foot from one pose to the next.
struct FootStep {
    std::array<Vec3, k_foot_parts> source_before;  ///< model space of the source
    std::array<Vec3, k_foot_parts> source_now;
    std::array<Vec3, k_foot_parts> target_before;  ///< from the end of the target's leg
    std::array<Vec3, k_foot_parts> target_now;
    std::array<bool, k_foot_parts> rests;  ///< before or now
    Vec3 floor_step = Vec3::Zero();        ///< how far the source's floor runs
    float seconds = 0.0f;
};

/// How the end of the target's leg must move, level, so that its foot rolls as the source's does.
Vec3 rolled(const PassPlan& plan, const LimbPlan& leg, const FootStep& step);

/// A foot that stands rolls without slipping: from frame to frame the part of the target's sole that answers
/// to the one the source stands on moves as that one does, in proportion, and so not at all where it rests.
/// Between two contacts the steps are bridged with the slopes that they have at their ends.
class FootSteps {
 public:
    /// `feet` are the source's, in the order of its soles. `run` must outlive this.
    FootSteps(const PassRun& run, const std::vector<FootTrack>& feet);

    /// How the end of one leg must move in each frame, level, in model space.
    std::vector<Vec3> of(const LimbPlan& leg, const LegTrack& own) const;

 private:
    const PassRun& run_;
    const std::vector<FootTrack>& feet_;
    Vec3 belt_;  // how the source's floor moves
};

}  // namespace dendraxis::detail
