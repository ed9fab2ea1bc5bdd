// What the passes over a whole clip need to know about a pairing, found once.
#pragma once

#include "attach.hpp"

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/ik/limb.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <array>
#include <memory>
#include <span>
#include <vector>

namespace dendraxis::detail {

/// How long the hips take to follow a foot.
inline constexpr float k_hips_seconds = 0.08f;

class ArmClearer;

/// Where a limb bends: its first bone, its forearm or shin, and the bone that carries its end.
struct LimbBones {
    std::array<int, 3> bones{};  ///< one and the same if it does not bend
    Vec3 end = Vec3::Zero();     ///< in the last bone's frame without its scale; zero: its head
    /// All bones of the chain, if some do not hang on the one before and must be brought along.
    std::vector<int> loose;

    bool bends() const { return bones[0] != bones[1]; }
    bool has_no_ankle() const { return bends() && bones[1] == bones[2]; }
    bool ends_in_joint() const { return loose.empty() && bones[1] != bones[2]; }
    LimbJoints joints(std::span<const Transform> model) const;
    /// Turns the limb in a local pose; `model` is that pose in model space, before. A hand or foot keeps its
    /// orientation, or turns with the forearm or shin. Loose bones go with their part of the limb, whose root
    /// is at `root` by now.
    void turn(const Skeleton& skeleton, const LimbTurns& turns, const Vec3& root,
              std::span<const Transform> model, std::span<Transform> local, bool keep_end = true) const;
};

/// Turns a leg that does not bend so that its end moves over the floor by `step`, level, as far as its length
/// lets it. A leg that is lifted is left as it is, unless it `stands` (0 to 1). `joints` are its own in the
/// local pose. Returns the turn in model space.
Quat turn_aside(const Skeleton& skeleton, const LimbBones& limb, const LimbJoints& joints, const Vec3& step,
                const Vec3& up, float stands, std::span<Transform> local);

/// A limb of the target that answers to one of the source.
struct LimbPlan {
    std::string chain;  ///< the target's
    LimbBones source;
    LimbBones target;
    float source_length = 0.0f;
    float target_length = 0.0f;
    int source_shape = -1;  ///< index of its sole or arm in the chart's shape; -1: has none
    int target_shape = -1;
    float reach = 0.0f;
    Vec3 offset = Vec3::Zero();  ///< in the target's model space
};

struct PassPlan {
    explicit PassPlan(const Pairing& pairing);

    const Sole& source_sole(const LimbPlan& leg) const;
    const Sole& target_sole(const LimbPlan& leg) const;
    /// Null where what answers to the target's arm is none.
    const ArmShape* source_arm(const LimbPlan& arm) const;
    const ArmShape& target_arm(const LimbPlan& arm) const;
    /// Whether the target has legs without ankles: feet turn with the shins, which moves their soles.
    bool turns_feet() const;
    /// What the target stands on, with knees or without.
    const std::vector<LimbPlan>& standing_legs() const { return legs.empty() ? stiff_legs : legs; }

    Pairing pairing;
    Quat to_target;  ///< from the source's model space to the target's
    /// The target follows the source bone by bone and nothing was set by hand: no pass has anything to
    /// correct.
    bool is_exact = false;
    float leg_ratio = 1.0f;
    float source_floor = 0.0f;  ///< what the source treads on
    AttachProgram attachments;  ///< bones that hang elsewhere in the file than in the body
    float arm_ratio = 1.0f;
    std::vector<LimbPlan> legs;
    std::vector<LimbPlan> arms;
    /// Legs of one bone, which have no knee; only if no leg of the target has one.
    std::vector<LimbPlan> stiff_legs;
    std::vector<int> solid_of;  ///< for every solid of the source the target's that answers to it, or -1
};

/// One clip on its way through the passes.
struct PassRun {
    const PassPlan& plan;
    const Clip& source;
    Clip& result;  ///< poses of the target, changed by each pass
    /// Frames before the first and after the last of the clip itself are of a loop's rounds around it.
    std::size_t first = 0;
    std::vector<ContactSpan> contacts;  ///< set by hand, in frames of `source`
    std::vector<Vec3>
        shift;  ///< a frame: how far the floor was moved under the target by its root-motion rule
    std::vector<Transform> model;
    std::vector<Transform> source_model;  ///< the whole source clip in model space

    /// The source's frame in model space.
    std::span<const Transform> source_pose(std::size_t frame) const {
        return std::span(source_model).subspan(frame * source.bone_count, source.bone_count);
    }
    std::size_t frames() const { return result.frame_count(); }
    std::size_t end() const { return frames() - first; }
    const Skeleton& skeleton() const { return plan.pairing.target.skeleton; }
    float frames_in(float seconds) const { return seconds * result.fps; }
    /// Brings what hangs elsewhere in the file to where its holder is now.
    void attach_all();
    /// The result's frame in model space, in `model`.
    void pose(std::size_t frame);
};

// The passes, in the order in which they run; between the last three `ArmClearer` keeps arms out of the body.
void carry_root_motion(PassRun& run);
/// What brings feet where they belong: the hips going up and down, and the legs as well or not.
enum class FeetBy { hips, legs };
void hold_feet(PassRun& run, FeetBy by);
/// Turns legs without knees so that they stand where the source's do.
void plant_stiff_legs(PassRun& run);
/// Brings the hips up or down for legs without knees to stand on the floor.
void stand_on_stiff_legs(PassRun& run);
/// Turns feet towards how they stand at rest until their lowest place is where it belongs. Returns what that
/// costs, in lengths of the leg.
float tilt_feet(PassRun& run);
/// Moves the target's hips up in a frame whose pose is in `run.model`; negative is down.
void raise_hips(PassRun& run, std::size_t frame, float by);
/// Returns how far hands were moved to where they belong, a mean over frames and arms in lengths of the arm.
float place_hands(PassRun& run);
/// With a `clearer` hands that hold one thing are kept out of the body together; where that does not do, each
/// by itself. Returns the same.
float keep_hands_together(PassRun& run, ArmClearer* clearer);
void keep_in_ranges(PassRun& run);

}  // namespace dendraxis::detail
