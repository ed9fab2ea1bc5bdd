// Secondary motion: hair, tails, ears, coat tails and straps that swing while the animation plays.
#pragma once

#include <dendraxis/chart/chart.hpp>

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace dendraxis {

/// A row of bones that swings, and how.
struct SwayChain {
    std::string name;        ///< unique: `tail`, or the label of the first bone
    std::vector<int> bones;  ///< root side first; each hangs from the one before it
    /// Hz: how fast the chain swings about where the animation has it, gravity left out. 0: it hangs limp.
    float frequency = 1.0f;
    float damping = 0.2f;    ///< of the critical: 0 swings on, 1 comes back without going beyond
    float drag = 0.5f;       ///< 1/s: how fast still air takes its speed
    float gravity = 1.0f;    ///< share of it; a chain that stands as at rest keeps its shape at any share
    float radius = 0.0f;     ///< model units between its bones' ends and the body, unless nearer at rest
    float most_turn = 1.3f;  ///< radians: how far a bone turns away from where the animation has it
};

/// What swings of a character. Plain data, kept in the rig sheet.
struct SwayPlan {
    std::vector<SwayChain> chains;  ///< what hangs from another chain comes after it
};

/// The chains that swing: tails, ears, and rows of bones that have no part in standing, walking or holding
/// (hair, cloth, straps), if they move skin (where there is skin) and measure 4 % of the height. Jaws, eyes,
/// wings and props are none. How they swing follows from what they are and from their length in metres
/// (`metres_in_unit`), as that of a pendulum does.
SwayPlan plan_sway(const Character& character, const Chart& chart);

/// A chain of these bones as `plan_sway` would make it. Throws `Error` where there are no bones.
SwayChain sway_chain(const Chart& chart, const std::string& name, std::vector<int> bones);

struct SwaySettings {
    Vec3 gravity{0.0f, -9.81f, 0.0f};  ///< in the world, in units of model space a second squared
    bool collide = true;               ///< whether chains stay out of the body
};

namespace detail {
struct SwayProgram;
}

/// A plan bound to a skeleton. Immutable; shared by threads; cheap to copy.
class SwayBinding {
 public:
    /// Throws `Error` where a chain has no bones, bones that do not hang from each other or stand in two
    /// chains, the same name as another, or a figure that is not finite or out of range.
    SwayBinding(SwayPlan plan, const Chart& chart, const SwaySettings& settings = {});

    const SwayPlan& plan() const noexcept;
    const Skeleton& skeleton() const noexcept;
    const detail::SwayProgram& program() const noexcept { return *program_; }

 private:
    std::shared_ptr<const detail::SwayProgram> program_;
};

/// Level ground, in the world.
struct SwayGround {
    Vec3 point = Vec3::Zero();
    Vec3 normal = Vec3::UnitY();
};

/// One character's swinging chains at run time. What is called each frame never allocates or throws. Not for
/// several threads at once. In a frame it comes after the animation and before `Ragdoll::animate`.
/// Sources: steps of 1/240 s at most, M. Macklin and others, "Small steps in physics simulation" (2019), with
/// implicit springs; the lengths of a chain all at once, D. Han and T. Harada, "Tridiagonal matrix
/// formulation for inextensible hair strand simulation" (2013).
class Sway {
 public:
    explicit Sway(const SwayBinding& binding);
    ~Sway();
    Sway(Sway&&) noexcept;
    Sway& operator=(Sway&&) noexcept;

    /// Goes on by `dt` seconds (brought to 0 to 0.25). `local` holds, before, the animation's pose, one a
    /// bone; after, the same with the chains' bones turned. `placement`: where the character's model space is
    /// in the world (its scale is not applied). The first time, and after a jump that no body makes (60
    /// degrees or ten lengths of the chain at once), a chain is where the animation has it.
    void step(std::span<Transform> local, const Transform& placement, float dt) noexcept;

    /// Something else, as a ragdoll, has moved the chains to `local`: the next `step` goes on from there, as
    /// fast as they were moved since the call before.
    void follow(std::span<const Transform> local, const Transform& placement, float dt) noexcept;

    /// The next `step` starts anew where the animation has the chains, at rest: after a cut.
    void reset() noexcept;

    /// The character is put elsewhere, chains and all: what was at `from` is at `to`.
    void teleport(const Transform& from, const Transform& to) noexcept;

    /// What chains lie on; none: they fall through.
    void set_ground(const std::optional<SwayGround>& ground) noexcept;

    /// How far, in radians, the bones of a chain are turned away from the animation at most, after `step`.
    float turned(std::size_t chain) const noexcept;
    /// How much nearer to the body the ends of its bones are than they may be, model units, after `step`.
    float depth(std::size_t chain) const noexcept;

 private:
    struct Inner;
    std::unique_ptr<Inner> inner_;
};

}  // namespace dendraxis
