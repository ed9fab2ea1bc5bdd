// When a volume is live, clip by clip, and what it touches then.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/equip/sweep.hpp>
#include <dendraxis/ragdoll/plan.hpp>

#include <functional>
#include <span>
#include <string>
#include <vector>

namespace dendraxis {

/// A span of a clip in which a volume touches things; plain data, kept in the rig sheet.
struct ClipWindow {
    std::string clip;
    std::string volume;  ///< `mallet.head`: the prop's name and the volume's
    float from = 0.0f;   ///< frames, or seconds
    float to = 0.0f;
    bool in_seconds = false;
    std::vector<std::string> groups;  ///< that it touches; all where empty
};

/// `window.no-clip` and `window.outside-clip` for windows that never or not wholly come to pass.
Findings check_windows(std::span<const ClipWindow> windows, std::span<const Clip> clips);

/// The window in frames of this clip. Throws `Error` where it ends before it starts.
LiveWindow live_window(const ClipWindow& window, const Clip& clip);

/// A volume and the frame that carries it, relative to a bone.
struct SweptVolume {
    SweepVolume volume;
    int bone = k_no_bone;
    Transform on_bone;
};

/// The bodies of a ragdoll as targets, their groups `trunk`, `head`, `arm`, `leg`, `tail` (else their names).
std::vector<SweepTarget> targets_of(const RagdollPlan& plan);

/// Fills in where the targets are in a frame of the clip: one transform a target, in the world.
using TargetsAt = std::function<void(std::size_t frame, std::span<Transform> frames)>;

/// Sweeps the volume through all of a clip that lies in the window; the touches are in the window then.
/// `stands` is where the character's model space is in the world. Not to be called where time matters to the
/// microsecond: it poses the whole skeleton, frame by frame; a game calls `LiveWindow::step`.
void sweep_clip(LiveWindow& window, const Skeleton& skeleton, const Clip& clip, const SweptVolume& swept,
                std::span<const SweepTarget> targets, const TargetsAt& targets_at,
                const Transform& placement = {});

}  // namespace dendraxis
