// Rigid-body simulation of ragdolls. The physics engine behind it shows nowhere in this interface.
#pragma once

#include <dendraxis/equip/let_go.hpp>
#include <dendraxis/ragdoll/ragdoll.hpp>

#include <array>
#include <memory>
#include <span>
#include <vector>

namespace dendraxis::sim {

struct WorldSettings {
    Vec3 gravity{0.0f, -9.81f, 0.0f};  ///< m/s2
    float step = 1.0f / 480.0f;  ///< seconds; joints hold better with shorter steps than with more iterations
    int iterations = 5;          ///< of the solver, a step
    float friction = 0.8f;
    float fastest_angular_velocity = 40.0f;  ///< rad/s
    bool bodies_touch = true;                ///< whether bodies of ragdolls touch each other at all
    bool note_contacts = false;              ///< whether `contacts` is kept
};

/// The deepest that bodies of one ragdoll are in the ground or in other bodies, metres.
struct Penetration {
    float ground = 0.0f;
    float bodies = 0.0f;
};

/// One ragdoll, or one loose thing, of one world.
enum class RagdollHandle : int { none = -1 };
enum class LooseHandle : int { none = -1 };

/// What a contact is of: a body of a ragdoll, a loose thing, or the ground.
struct Touching {
    RagdollHandle ragdoll = RagdollHandle::none;
    int body = -1;  ///< of that ragdoll
    LooseHandle thing = LooseHandle::none;

    bool is_ground() const noexcept { return body < 0 && thing == LooseHandle::none; }
    friend bool operator==(const Touching&, const Touching&) = default;
};

/// Two things that touched in the last `step`, and where: at the strongest point of the first round in which
/// they did.
struct Contact {
    Touching one;  ///< never the ground
    Touching other;
    Vec3 position = Vec3::Zero();
    Vec3 normal = Vec3::UnitY();  ///< from the other to the one; unit length
    float impulse = 0.0f;         ///< N s, all of the step
};

inline constexpr std::size_t k_most_contacts = 256;  ///< of one step; what comes after is not noted

/// A world of its own: ground, ragdolls and loose things. Up to some hundred metres from the origin; simulate
/// about a point near the figure when farther off. Same calls, same bits, run for run; a world made anew
/// in mid-fall, or with one more ragdoll in it, is not the same. Not for several threads at once.
class World {
 public:
    /// Throws `Error` where a setting is out of range.
    explicit World(const WorldSettings& settings = {});
    ~World();
    World(World&&) noexcept;
    World& operator=(World&&) noexcept;

    /// Level ground through a point, its normal along `up`.
    void add_floor(const Vec3& point, const Vec3& up);
    /// Ground of triangles; three indices each. Throws `Error` where an index is out of range or a position
    /// not finite.
    void add_ground(std::span<const Vec3> positions, std::span<const std::array<unsigned, 3>> triangles);

    /// A ragdoll with all its bodies free, where they are; returns its handle. The binding must outlive it.
    /// `skin`: points in each body's own frame whose hull touches the ground in place of the body's shape, as
    /// `skin_of_bodies` finds them; empty, or empty for a body: its shape does.
    RagdollHandle add(const RagdollBinding& binding, std::span<const BodyState> states,
                      std::span<const JointAnchor> anchors, std::span<const std::vector<Vec3>> skin = {});
    /// One that follows a `Ragdoll`'s orders: nothing is in the world until it lets go.
    RagdollHandle add(const RagdollBinding& binding);
    void remove(RagdollHandle ragdoll);

    /// Does what the ragdoll says of its bodies and joints, before `step`.
    void apply(RagdollHandle ragdoll, const Ragdoll& orders);
    /// Pulls a joint toward a turn away from rest with at most so many N m.
    void drive(RagdollHandle ragdoll, int joint, const Quat& target, float pull);
    /// An impulse (N s) at a point, in the world.
    void push(RagdollHandle ragdoll, int body, const Vec3& impulse, const Vec3& point);
    /// All its bodies go where an animation has them in the course of the next `step`, whatever they meet:
    /// they push loose things and other ragdolls and are not pushed. Throws `Error` where a state is not
    /// finite.
    void carry(RagdollHandle ragdoll, std::span<const BodyState> states);
    /// Holds a body where it is, or lets it go again.
    void hold(RagdollHandle ragdoll, int body, bool held);

    /// A thing that was let go: it falls, and touches the ground, bodies of ragdolls and other things. What
    /// it is in at that moment it touches once they have parted. Returns its handle. Throws `Error` where its
    /// state is not finite or it has no mass or size.
    LooseHandle add_loose(const ReleasedProp& thing);
    BodyState loose_state(LooseHandle thing) const;
    /// An impulse (N s) at a point, in the world: a jet of water, a kick.
    void push_loose(LooseHandle thing, const Vec3& impulse, const Vec3& point);
    /// Picked up again, or gone; its handle is not used again.
    void remove_loose(LooseHandle thing);

    /// Goes on by so many seconds, in whole steps; what is left over counts the next time. At most 0.25 s at
    /// once; 0, less or not finite: nothing. Returns the seconds simulated. If a limp ragdoll (all bodies
    /// free, no joint driven, gravity over 1 m/s2) has been slower than 0.15 m/s for a second, it is damped
    /// more with each second until it lies still.
    float step(float seconds);

    /// What touched in the last `step`, if the settings ask for it: one entry for each two that did. Valid
    /// until the next one.
    std::span<const Contact> contacts() const noexcept;

    /// Where the bodies are; one a body of the plan.
    void states(RagdollHandle ragdoll, std::span<BodyState> states) const;
    Penetration penetration(RagdollHandle ragdoll) const;
    /// Finds contacts without moving anything, for `penetration` before the first step.
    void find_contacts();
    /// All bodies have come to rest and are no longer computed.
    bool asleep(RagdollHandle ragdoll) const;

 private:
    struct Inner;
    std::unique_ptr<Inner> inner_;
};

}  // namespace dendraxis::sim
