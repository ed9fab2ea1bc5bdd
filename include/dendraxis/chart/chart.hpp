// The chart: which bones of a skeleton are its spine, neck, head, arms, fingers, legs.
#pragma once

#include <dendraxis/base/finding.hpp>
#include <dendraxis/chart/body_shape.hpp>
#include <dendraxis/chart/bone_names.hpp>
#include <dendraxis/chart/chain_role.hpp>
#include <dendraxis/chart/posture.hpp>
#include <dendraxis/skeleton/character.hpp>

#include <array>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

/// A run of bones from root side to tip side with one anatomical role. Names are `spine`, `spine.back` (from
/// hips in a body's middle back to its hind legs), `neck`, `head`, `tail`, and with a side behind a dot
/// `shoulder`, `arm` (upper arm, forearm, hand), `thumb`, `index`, `middle`, `ring`, `little`, `leg` (thigh,
/// shin, foot), `toes`, `grip`: `arm.left`. `loose.1` and on are rows of bones that belong to no limb: hair,
/// cloth, feathers. Bones of a chain need not be parent and child: a hand may hang below its goal.
struct Chain {
    std::string name;
    std::vector<int> bones;
    float confidence = 0.0f;            ///< 0 to 1: by how much charts without it score less
    std::vector<std::string> evidence;  ///< for people
    /// Arms and legs: where in `bones` the forearm or shin begins, so that its joint is the elbow or knee.
    /// What comes before it is upper arm or thigh, the last bone is hand or foot.
    std::size_t lower = 1;

    ChainRole role() const noexcept { return role_of(name); }
    Side side() const noexcept { return side_of(name); }
};

enum class HelperKind { twist, end, target, prop, unknown };

/// A bone of no chain.
struct Helper {
    int bone = k_no_bone;
    HelperKind kind = HelperKind::unknown;
};

/// How the character stands at rest: arms out level, arms slanting down, arms hanging, or none of these.
enum class Stance { t, a, i, other };

/// Plain data; holds a copy of the skeleton that it charts, so that it stands alone.
struct Chart {
    std::string character;  ///< name, for messages
    std::string file;       ///< the character's file; may be empty
    Skeleton skeleton;
    Vec3 up = Vec3::UnitY();      ///< in model space; unit length
    Vec3 facing = Vec3::UnitZ();  ///< in model space; unit length, square to `up`
    float height = 0.0f;          ///< metres (file units, if the file's unit is wrong)
    float height_metres = 0.0f;   ///< how tall a person said it is; 0: nobody did
    float floor = 0.0f;  ///< where it stands in its clips, along `up` from the model's origin; at rest
                         ///< where it has none
    float rest_floor =
        0.0f;  ///< where its soles are at rest; capture systems rest with the hips at the origin
    std::map<std::string, float> clip_floors;  ///< of clips whose floor is neither, by name
    Stance stance = Stance::other;
    float arm_angle = 0.0f;  ///< how far the arms hang below level, radians, mean of both
    int hips = k_no_bone;
    int root = k_no_bone;
    std::vector<Chain> chains;
    std::vector<std::string> set;  ///< what a person decided: `hips`, `root`, names of chains
    std::vector<Helper> helpers;
    float confidence = 0.0f;  ///< of the chart as a whole, 0 to 1: how far it is from the next best one
    BodyShape
        shape;  ///< fitted to these chains; fit it anew (`body_shape`) where chains were changed by hand
    std::map<std::string, std::vector<BoneTurn>> stances;  ///< by name, turned away from the rest
    std::vector<JointRange> ranges;
    Findings findings;

    /// The chain of that name, or null.
    const Chain* find(std::string_view name) const noexcept;
    /// The chain that the bone belongs to, or null.
    const Chain* chain_of(int bone) const noexcept;

    /// From model space to the upright frame that all comparing is done in: +Y up, +Z facing, soles at height
    /// 0 still to be taken off (rotation only).
    Quat to_upright() const noexcept;
};

/// Charts a character: names, shape, symmetry and skin weights are all asked, and none of them is needed.
/// Always returns a chart; findings list what could not be found, and nothing is invented.
Chart chart(const Character& character);

/// The same for bare bones.
Chart chart(const Skeleton& skeleton);

/// Puts the chains in the order that people read a body in: trunk, left from the top down, right.
void sort_chains(Chart& chart);

/// The pose of a named stance of the chart, local; its rest where `name` is empty or `rest`. Throws `Error`,
/// naming the nearest, where there is none of that name.
std::vector<Transform> stance_pose(const Chart& chart, const std::string& name);

/// The local pose turned by hand, bone by bone, about axes of the upright frame. Throws `Error` where a bone
/// does not exist.
std::vector<Transform> turned_pose(const Chart& chart, std::vector<Transform> pose,
                                   std::span<const BoneTurn> turns);

/// A joint's range as a sheet gives it, for where the bone points at rest. Where `about` is zero it bends
/// about what is left of the character (about up, for a bone that points there).
Range range_of(const Chart& chart, int bone, const AngleSpan& twist, const AngleSpan& bend,
               const AngleSpan& side, const Vec3& about);

/// One value a bone: 1 for the bones of these chains and what hangs below them, 0 for all others. For
/// `blend_poses`. Throws `Error` where there is no such chain.
std::vector<float> chain_mask(const Chart& chart, std::span<const std::string> chains);

/// Whether each of these bones stands below the one before it in the file, so that turning one carries the
/// next.
bool descends(const Skeleton& skeleton, std::span<const int> bones) noexcept;

/// The bone of a limb at which it is cut most evenly, as an index into `bones`: the forearm or shin of most
/// limbs.
std::size_t even_cut(const Skeleton& skeleton, std::span<const int> bones);

/// The bones that stand for an arm or leg where it bends in one place: its first, its forearm or shin, its
/// last. Nothing where it has fewer than three bones or they do not descend.
std::optional<std::array<int, 3>> bending_bones(const Skeleton& skeleton, const Chain& limb);

/// Whether any leg has a joint in its middle. One of a single bone keeps its length: a body on such legs
/// cannot crouch, and of two feet that are apart often only one reaches the floor. False without legs.
bool legs_bend(const Chart& chart) noexcept;

/// Whether the body goes on two pairs of legs: its trunk lies between them.
bool stands_on_four(const Chart& chart) noexcept;

/// Where the character stands in the clip of this name, along `up` from the model's origin.
float floor_of(const Chart& chart, std::string_view clip) noexcept;

/// Hip to ankle along the bones at rest, mean of all legs whose names begin with `which`, model units; 0
/// where there is none. A leg of fewer than three bones has no ankle: it is as long as down to the middle of
/// its sole.
float leg_length(const Chart& chart, std::string_view which = "leg");

/// The middle of these legs' roots in a pose in model space; without legs where the hips are. The chart must
/// have hips.
Vec3 legs_middle(const Chart& chart, std::span<const Transform> model, std::string_view which = "leg");

/// Throws `Error` if the chart has no hips.
void require_hips(const Chart& chart);

std::string_view to_string(Stance stance) noexcept;
std::string_view to_string(HelperKind kind) noexcept;

}  // namespace dendraxis
