// What of a body touches things: the soles of its feet, the solids of its trunk and legs, its arms'
// thickness.
#pragma once

#include <dendraxis/geometry/capsule.hpp>
#include <dendraxis/skeleton/character.hpp>
#include <dendraxis/skeleton/correspondence.hpp>

#include <array>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

struct Chart;

/// A point on the sole, given twice: as the foot carries it and as the toes do. Metres, in the frames of
/// those bones without their scale. The skin's weights say how much of each counts.
struct SolePoint {
    Vec3 on_foot = Vec3::Zero();
    Vec3 on_toes = Vec3::Zero();
    float toes_share = 0.0f;
};

/// The parts of a foot on which it rolls, from back to front.
enum FootPart : std::size_t { k_heel, k_ball, k_tip, k_foot_parts };

/// One foot.
struct Sole {
    std::string leg;  ///< its chain
    int foot = k_no_bone;
    int toes = k_no_bone;  ///< `foot` again where there are none
    std::array<SolePoint, k_foot_parts> parts;
    std::vector<SolePoint> points;  ///< every place of the foot that can be the lowest one
};

/// A solid part of the body. The capsule is in the bone's frame without its scale.
struct Solid {
    std::string part;  ///< `hips`, `spine`, `head`, `thigh.left` …
    int bone = k_no_bone;
    float share = 0.0f;  ///< where along its chain, 0 to 1; solids of the same part are paired by it
    Capsule capsule;
};

/// A ball that stands for a piece of an arm.
struct Probe {
    int bone = k_no_bone;
    Vec3 offset = Vec3::Zero();  ///< in the bone's frame without its scale
    float radius = 0.0f;
};

inline constexpr std::size_t k_arm_probes = 5;  ///< elbow, forearm, wrist, palm, fingers

struct ArmShape {
    std::string arm;  ///< its chain
    std::array<Probe, k_arm_probes> probes;
    const Probe& palm() const { return probes[3]; }
};

struct BodyShape {
    std::vector<Sole> soles;
    std::vector<Solid> solids;
    std::vector<ArmShape> arms;
    Vec3 flat_across = Vec3::Zero();  ///< of a flat character the normal of its plane, model space; else zero
    std::vector<BoneMark>
        marks;  ///< of the skin that a bone moves alone: its middle, and where most of it ends

    /// The sole of the leg of that name, or null.
    const Sole* sole_of(std::string_view leg) const noexcept;
};

/// Fits the shape of a charted character: to its skin where it has one, else to its bones' lengths.
BodyShape body_shape(const Character& character, const Chart& chart);

/// The marks of all bones that move some skin alone, sorted by bone.
std::vector<BoneMark> bone_marks(const Character& character);

/// Where a bone ends at rest, model space: at the child that lies farthest off, else where most of the skin
/// ends that it moves alone; nothing if it has neither. `rest`: `rest_in_model_space`.
std::optional<Vec3> end_at_rest(const Chart& chart, std::span<const Transform> rest, int bone);

/// Where a place of the sole is while the bones stand at `model` (model space, one a bone).
Vec3 position_of(const Sole& sole, const SolePoint& point, std::span<const Transform> model) noexcept;

/// How high the lowest place of the sole is, along `up` from the model's origin.
float lowest_of(const Sole& sole, std::span<const Transform> model, const Vec3& up) noexcept;

/// Where the middle of a probe is.
Vec3 position_of(const Probe& probe, std::span<const Transform> model) noexcept;

}  // namespace dendraxis
