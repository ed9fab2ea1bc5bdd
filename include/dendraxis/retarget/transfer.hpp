// The transfer: a pairing compiled for evaluation.
#pragma once

#include <dendraxis/base/workspace.hpp>
#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/skeleton/clip.hpp>

#include <memory>
#include <span>
#include <vector>

namespace dendraxis {

struct Loop;
struct MatchedStance;
class PlaneKeeper;

namespace detail {
struct AimProgram;
struct PassPlan;
struct PositionProgram;
struct TurnProgram;
}  // namespace detail

/// Carries motion from the source of a pairing to its target.
///
/// If both are one build (`Pairing::bones`), every matched bone turns as its source bone does, and where that
/// slides or changes its size, so does it. Else every bone of a paired chain turns away from the matched
/// stance, in model space, as the source's bone turns away from its rest; where bone counts differ it takes
/// the turn of the source bones that it overlaps, and limbs are aimed to point as the source's. Bones of no
/// chain turn as their namesakes do (`namesakes`), else follow their parents; twist bones of arms and legs
/// take a share of their limb's twist. The middle of the legs' roots stands as high as the source's and goes
/// up and down, and the hips travel, by the ratio of leg lengths; a root is carried where both have
/// one. Limbs whose entry in the pairing has a `reach` are then brought to where the source's ends are in
/// proportion. A flat target (`BodyShape::flat_across`) of another build stays in its plane.
///
/// Immutable once made; shared by threads freely.
class Transfer {
 public:
    /// Throws `Error` where either character has no hips.
    explicit Transfer(const Pairing& pairing);

    /// Local poses of the source in, local poses of the target out: any number of whole poses, frame after
    /// frame. Allocates nothing once `workspace` was reserved or used; throws nothing then.
    void apply(std::span<const Transform> source, std::span<Transform> target, Workspace& workspace) const;

    /// Makes room for `apply` of poses.
    void reserve(Workspace& workspace) const;

    /// A whole clip with all passes: a trunk of fewer bones aimed as the source's, root motion by its rule,
    /// feet that stand where the source's do, hands kept on the body and together, arms kept out of the body,
    /// joints kept in their ranges, as the pairing's settings ask. A loop (`find_loop`) stays one. Throws
    /// `Error` where it is not a clip of the source.
    Clip apply(const Clip& clip) const;

    /// A whole clip by its turning alone: what `apply` of poses gives, without any pass.
    Clip apply_turns(const Clip& clip) const;

    float leg_ratio() const noexcept { return leg_ratio_; }
    float hips_ratio() const noexcept { return hips_ratio_; }

 private:
    void apply(const detail::PositionProgram& positions, std::span<const Transform> source,
               std::span<Transform> target, Workspace& workspace) const;
    void aim_trunk(const Clip& clip, Clip& result) const;
    Clip apply_passes(const Clip& clip, std::size_t first, std::vector<ContactSpan> contacts) const;
    Clip apply_loop(const Clip& clip, const Loop& loop) const;
    void compile_follow(const Pairing& pairing, const MatchedStance& stance, detail::TurnProgram& program);
    void compile_root_motion(const Pairing& pairing, float hips_drop, detail::TurnProgram& program);

    std::shared_ptr<const detail::PassPlan> passes_;
    std::shared_ptr<const detail::TurnProgram> program_;
    std::shared_ptr<const detail::PositionProgram> positions_;
    std::shared_ptr<const detail::AimProgram> aims_;
    std::shared_ptr<const PlaneKeeper> plane_;  // of a flat target of another build
    std::size_t source_bones_ = 0;
    std::size_t target_bones_ = 0;
    float leg_ratio_ = 1.0f;
    float hips_ratio_ = 1.0f;
};

}  // namespace dendraxis
