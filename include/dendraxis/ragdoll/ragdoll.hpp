// A ragdoll at run time: the switch between animation and physics and back. No physics engine is in it: it
// says where each body is to be and takes back where the engine has moved it.
#pragma once

#include <dendraxis/ragdoll/binding.hpp>

#include <optional>

namespace dendraxis {

enum class RagdollState {
    following,   ///< the animation drives; nothing is simulated and nothing costs
    limp,        ///< bodies fall
    held,        ///< bodies are simulated and pulled toward the animation
    recovering,  ///< the pose is blended from where the bodies lay back to the animation
};

/// What the physics engine is to do with a body this frame.
enum class BodyMotion {
    absent,     ///< not in the world
    kinematic,  ///< moved to `state` by the animation, whatever it meets
    free,       ///< simulated
};

struct BodyOrder {
    BodyMotion motion = BodyMotion::absent;
    bool placed = false;  ///< a free body is set to `state`, velocities and all: it was let go just now
    BodyState state;      ///< of kinematic bodies and those just placed
};

/// What a joint is to do. Its anchors change only in a frame in which `placed` is set.
struct JointOrder {
    bool active = false;  ///< a body at one of its ends at least is free
    bool placed = false;
    JointAnchor anchor;
    float pull = 0.0f;               ///< N m at most toward `target`; 0: none
    Quat target = Quat::Identity();  ///< the turn away from rest that the animation has
};

struct RagdollSettings {
    float landing_speed = 7.0f;     ///< m/s: landing faster lets the body go
    float hit_impulse = 40.0f;      ///< N s: a harder hit lets it go
    float most_speed_up = 12.0f;    ///< m/s: what a hit changes a body's speed by at the most
    float fastest_recovery = 8.0f;  ///< rad/s: no joint turns faster on its way back to the animation
    float turn_to_lie = 0.6f;       ///< of hips-to-head that is level: from there on the body counts as lying
    std::string profile = "fall";   ///< what is let go where no other is named
    std::string alive;              ///< the profile that is free while the animation plays; empty: none
};

/// What a hit did.
struct HitOutcome {
    bool let_go = false;
    bool clamped = false;  ///< the impulse was beyond `most_speed_up` or not finite
};

/// One character's ragdoll. What is called each frame never allocates or throws. Not for several threads at
/// once. The order of a frame: `animate`, hand `bodies()` and `joints()` to the engine, let it step, give
/// what it made to `set_states`, read `pose`.
class Ragdoll {
 public:
    /// Throws `Error` where a profile does not exist. The binding must outlive it.
    explicit Ragdoll(const RagdollBinding& binding, const RagdollSettings& settings = {});

    // ---- every frame

    /// What the animation has: `local` one a bone; `controller`: where the character's model space is
    /// in the world (ignored while the whole body is limp); `dt` seconds since the last call.
    /// Beyond 0 to 0.25 s `dt` is brought to the nearer end.
    void animate(std::span<const Transform> local, const Transform& controller, float dt) noexcept;
    std::span<const BodyOrder> bodies() const noexcept { return bodies_; }
    std::span<const JointOrder> joints() const noexcept { return joints_; }
    /// What the engine made of the free bodies; the others are not looked at. A body that is not finite any
    /// more stays where it was.
    void set_states(std::span<const BodyState> states) noexcept;
    /// The pose to show, relative to `controller()`.
    void pose(std::span<Transform> local) noexcept;

    // ---- triggers

    /// Lets go of a profile's bodies where they are, as fast as the animation moved them. `seconds`: after
    /// that `time_is_up`; 0: never. An unknown profile lets all go.
    void let_go(std::string_view profile = {}, float seconds = 0.0f) noexcept;
    /// The same for a body and what hangs from it.
    void let_go_below(int body, float seconds = 0.0f) noexcept;
    /// The character has come down at this speed; true where that let it go. `seconds` as for `let_go`.
    bool land(float speed, float seconds = 0.0f) noexcept;
    /// An impulse (N s) at a point of a body, in the world. Of a following ragdoll a hard enough one lets go
    /// the whole body, or with `part_alone` what hangs from the body that was hit. `seconds` as for `let_go`.
    HitOutcome hit(int body, const Vec3& impulse, const Vec3& point, bool part_alone = false,
                   float seconds = 0.0f) noexcept;
    /// Pulls the free bodies toward the animation. `share`: of each joint's strength, one a joint, or one for
    /// all.
    void hold(std::span<const float> share) noexcept;
    /// Blends from where the bodies are to the animation, which from now on starts at `first_pose` (a clip
    /// for getting up): the character controller is put where the body lies, on the ground below it, turned
    /// so that facing is kept. `ground`: how high that ground is, along up in the world; without it, as deep
    /// as the lowest body lies. No body sinks into it on the way. Takes `seconds`, or longer if a joint would
    /// turn faster than `fastest_recovery` (or than the animation, if that is faster); a joint that is half a
    /// turn off keeps to one way. Returns the character controller.
    Transform recover(std::span<const Transform> first_pose, float seconds,
                      std::optional<float> ground = std::nullopt) noexcept;
    /// Back to the animation at once.
    void follow() noexcept;
    /// The animation jumps with the next `animate`, as where a loop closes or a clip is cut: bodies take no
    /// speed from that.
    void cut() noexcept { seen_ = false; }
    /// The character is put elsewhere, bodies that fall and all: what was at `from` is at `to`, as fast.
    void teleport(const Transform& from, const Transform& to) noexcept;

    // ---- asking

    RagdollState state() const noexcept { return state_; }
    /// Where the character's model space is.
    const Transform& controller() const noexcept { return controller_; }
    /// Whether the character controller is to collide: not while the whole body is limp.
    bool controller_active() const noexcept { return !is_free(0); }
    bool lies_face_up() const noexcept;
    bool time_is_up() const noexcept { return ends_ > 0.0f && since_ >= ends_; }
    /// All free bodies have been nearly still for half a second.
    bool at_rest() const noexcept { return still_for_ >= 0.5f; }
    /// Where the bodies are now.
    std::span<const BodyState> states() const noexcept { return states_; }

 private:
    enum class BoneRole : char { other, above_hips, with_hips };
    // A bone that moves with the hips, while recovering; in model space.
    struct TrunkBone {
        int bone;
        int above;  // the one that it hangs from, an index here, or -1
        Transform kept;
        Transform shown;
    };

    bool is_free(std::size_t body) const noexcept { return bodies_[body].motion == BodyMotion::free; }
    void find_roles();
    void release(std::span<const char> mask, float seconds) noexcept;
    void give_orders() noexcept;
    void copy_bones_of(std::size_t body, std::span<const Transform> from,
                       std::span<Transform> to) const noexcept;
    Vec3 facing_of(std::span<const BodyState> states) const noexcept;
    bool face_up(std::span<const BodyState> states) const noexcept;
    float lowest_of(std::size_t body, const BodyState& state, const Vec3& up) const noexcept;
    float lowest_of(std::span<const BodyState> states, const Vec3& up) const noexcept;
    Transform below_body(std::optional<float> ground) noexcept;
    bool blend_to_animation() noexcept;
    Quat turn_on(std::size_t bone, const Quat& now, const Quat& kept, const Quat& animated, float share,
                 bool& arrived) noexcept;
    float start_turns() noexcept;
    void rise_over_ground(float share) noexcept;

    const RagdollBinding& binding_;
    RagdollSettings settings_;
    RagdollState state_ = RagdollState::following;
    std::vector<char> alive_;  // bodies that are free while the animation plays
    std::vector<char> free_;   // bodies that are free now
    std::vector<char> asked_;  // working memory
    std::vector<BodyOrder> bodies_;
    std::vector<JointOrder> joints_;
    std::vector<BodyState> states_;
    std::vector<BodyState> now_animated_;
    std::vector<BodyState> before_;
    std::vector<BodyState> still_at_;
    std::vector<JointAnchor> anchors_;
    std::vector<Transform> asked_pose_;
    std::vector<float> shares_;        // of each joint's strength
    std::vector<Transform> animated_;  // local
    std::vector<Transform> model_;
    std::vector<Quat> toward_;  // while recovering: the animation's turns, on the side that they began
    std::vector<BodyState> blended_;
    std::vector<float> sunk_;  // of each body, how deep it lay in the ground
    std::vector<BoneRole> role_;
    std::vector<TrunkBone> trunk_;  // in the order of bones
    std::vector<Transform> shown_;  // local: while recovering
    std::vector<Transform> kept_;   // local: bones' lengths and bones without a body, as let go
    Transform controller_;
    int head_ = -1;
    float dt_ = 0.0f;
    float since_ = 0.0f;
    float ends_ = 0.0f;
    float still_for_ = 0.0f;
    float ground_ = 0.0f;  // while recovering: how high it is, along up
    bool seen_ = false;
    bool moved_ = false;  // put elsewhere since the last orders
};

}  // namespace dendraxis
