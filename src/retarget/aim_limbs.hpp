// Limbs whose joints are where turns alone do not bring them: source joints that slide or hang elsewhere,
// limbs of other bone counts, target bones that do not hang on each other.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/retarget/matched_stance.hpp>

#include <array>
#include <optional>
#include <span>
#include <utility>
#include <vector>

namespace dendraxis::detail {

/// A point on a source chain: between the head of one bone and a position that another carries.
struct ChainPoint {
    int before = k_no_bone;
    int after = k_no_bone;
    float share = 0.0f;
    Vec3 carried = Vec3::Zero();  ///< in the frame of `after`, metres; zero: its head
};

struct LimbAim {
    /// A bone of the target and the direction in which its joint to the next must lie.
    struct Segment {
        int bone = k_no_bone;
        Vec3 along = Vec3::Zero();  ///< to the next joint, in the bone's frame, metres
        ChainPoint from;
        ChainPoint to;
        int next = k_no_bone;  ///< the bone at its end; none at the end of a limb without hand or foot
        bool carries = true;   ///< the next bone hangs below; else it is brought to the joint
    };
    std::vector<Segment> segments;
    std::vector<int> kept;     ///< what hangs on it and keeps its orientation: hand or foot; neck and arms
    int standing = k_no_bone;  ///< of those the one that keeps its position, too
    /// Of limbs that hang on a trunk: a bone that does not hang on the one before, and its limb's first bone,
    /// with which it goes.
    std::vector<std::pair<int, int>> loose;
    std::vector<int> watched;  ///< source bones: one of them sliding calls for the aim
    bool always = false;
    bool is_trunk = false;  ///< asked for over whole clips only
    /// A trunk between two pairs of limbs: its one bone turns until the line from the hind to the front pair
    /// (from the legs to the arms) points as wanted. On two legs these stay where they are. On four the
    /// middle between both pairs does, but where one pair comes lower than that as compared to the source,
    /// the body comes up: a longer one that sits up would sink into the floor.
    struct Lean {
        ChainPoint back;
        ChainPoint front;
        /// From the source's direction at rest, in the target's model space; tilted so that both pairs
        /// stand. It goes with the source's hips as they turn.
        Quat turn = Quat::Identity();
        int source_hips = k_no_bone;
        Quat source_rest = Quat::Identity();  ///< of its hips, in model space
        bool on_four = true;
        float leg_ratio = 1.0f;
        /// Of the hind and the front pair: the target's height as it stands less `leg_ratio` times the
        /// source's at rest.
        std::array<float, 2> height{};
        float slack = 0.0f;  ///< by so much lower a pair is made good for by half, metres
    };
    std::optional<Lean> lean;
};

struct AimProgram {
    std::vector<LimbAim> limbs;
    Quat to_target = Quat::Identity();
    float slide = 0.0f;       ///< metres of the source below which a joint does not slide
    std::vector<Vec3> rest;   ///< the source's local translations
    std::vector<float> unit;  ///< metres of one unit of each
};

/// Not where a person has said how a limb is to be: turned by hand, half matched, brought by its end.
bool may_aim(const Pairing& pairing, const Chain& chain);

/// Of all chains that `is_aimed` says (target chains by their order in the chart); `leans`: and of a trunk
/// between two pairs of limbs. `stance` is the target's matched one.
AimProgram compile_aims(const Pairing& pairing, std::span<const char> is_aimed, bool leans,
                        const Quat& to_target, const MatchedStance& stance);

/// Corrects one local pose of the target that has its turns already. The last two are scratch for one pose of
/// each in model space. Never allocates or throws.
enum class AimOf { limbs, trunk };
void aim_limbs(const AimProgram& program, AimOf what, const Pairing& pairing,
               std::span<const Transform> source, std::span<Transform> target,
               std::span<Transform> source_model, std::span<Transform> target_model) noexcept;

/// Turns one limb of a local pose so that its segments point along these directions, in model space, the
/// short way; hand or foot stand as they stood. `target_model` is scratch. Never allocates or throws.
void aim_along(const LimbAim& limb, std::span<const Vec3> directions, const Skeleton& skeleton,
               std::span<Transform> target, std::span<Transform> target_model) noexcept;

/// Where the point is in a pose in model space.
Vec3 position_of(const ChainPoint& point, std::span<const Transform> model) noexcept;

/// Whether the limb is aimed in this local pose of the source.
bool is_active(const AimProgram& program, const LimbAim& limb, std::span<const Transform> source) noexcept;

}  // namespace dendraxis::detail
