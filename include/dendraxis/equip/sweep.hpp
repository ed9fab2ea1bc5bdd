// What a moving volume touches, however fast it moves.
#pragma once

#include <dendraxis/equip/volume.hpp>
#include <dendraxis/geometry/touch.hpp>

#include <limits>
#include <span>
#include <string>
#include <vector>

namespace dendraxis {

/// What can be touched: a shape or a mesh that moves too. Of a mesh its triangles count, from both sides, not
/// what they enclose.
struct SweepTarget {
    std::string name;
    std::string group;  ///< for filters; may be empty
    int bone = -1;
    Shape shape;
    const Surface* surface = nullptr;  ///< where there is one it counts, given in the target's frame
};

/// One touch of a window.
struct WindowTouch {
    std::string target;
    int bone = -1;
    float frame = 0.0f;  ///< in frames, with fractions
    Vec3 point = Vec3::Zero();
    Vec3 normal = Vec3::UnitY();
    float speed = 0.0f;  ///< m/s
};

/// Keeps what one live window has touched: each target counts once.
class LiveWindow {
 public:
    /// `first` to `last` frame; the frames between count too. Only targets of these groups (all where empty).
    /// Throws `Error` where `last` is before `first`.
    LiveWindow(float first, float last, std::vector<std::string> groups = {});

    float first() const noexcept { return first_; }
    float last() const noexcept { return last_; }
    std::span<const WindowTouch> touches() const noexcept { return touches_; }

    /// Sweeps a volume through one step of the clip, from frame `frame` to the next, against the targets:
    /// `volume_moves` are its frames (the volume's own, in the world) and `target_moves` those of the
    /// targets' middles. Only the part of the step within the window counts. Asks for memory only where it
    /// touches something new.
    void step(float frame, float fps, const SweepVolume& volume, const Motion& volume_moves,
              std::span<const SweepTarget> targets, std::span<const Motion> target_moves);

 private:
    float first_;
    float last_;
    std::vector<std::string> groups_;
    std::vector<WindowTouch> touches_;
};

}  // namespace dendraxis
