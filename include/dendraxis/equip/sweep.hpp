// What a moving volume touches, however fast it moves.
#pragma once

#include <dendraxis/equip/surface.hpp>
#include <dendraxis/equip/volume.hpp>

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
    const Surface* surface = nullptr;  ///< where there is one it counts, told in the target's frame
};

/// A rigid frame at the start and the end of one step; evenly moved and turned between.
struct Motion {
    Transform from;
    Transform to;
    Transform at(float share) const noexcept;
};

/// The first moment in a step at which two shapes touch.
struct Touch {
    float share = 0.0f;           ///< of the step, 0 to 1
    Vec3 point = Vec3::Zero();    ///< between the two surfaces
    Vec3 normal = Vec3::UnitY();  ///< out of the target
    float speed = 0.0f;           ///< metres a step at which the surfaces come together there
};

/// Whether, and when first, two moving shapes touch within a step: conservative advancement (B. Mirtich,
/// "Impulse-based dynamic simulation", 1996). Nothing is missed at any speed, and nothing nearer than 0.02 mm
/// counts as apart. Shapes that touch at the start touch at share 0. Never allocates or throws.
bool first_touch(const Shape& a, const Motion& a_moves, const Shape& b, const Motion& b_moves,
                 Touch& touch) noexcept;

/// The same against a mesh, told in the frame that moves; `triangle` is the one that is touched first.
bool first_touch(const Shape& a, const Motion& a_moves, const Surface& mesh, const Motion& mesh_moves,
                 Touch& touch, std::size_t& triangle) noexcept;

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
