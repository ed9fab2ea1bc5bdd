// Where limbs point, reach and bend.
#pragma once

#include "body_measures.hpp"

#include <array>
#include <optional>

namespace dendraxis::detail {

class LimbMeasures {
 public:
    explicit LimbMeasures(const TwoClips& clips);

    Measure reach() const;       ///< `reach_error_pct`
    Measure direction() const;   ///< `direction_error_deg`
    Measure bend_flips() const;  ///< `bend_flips`

 private:
    /// A limb that bends in one place in both.
    struct Limb {
        std::string chain;
        std::array<int, 3> source;
        std::array<int, 3> target;
    };
    /// Where a limb ends, as its last bone carries it: at its ankle or wrist, or, without one, at its tip.
    struct End {
        int root = k_no_bone;
        int bone = k_no_bone;
        Vec3 offset = Vec3::Zero();
    };
    /// A limb that bends so in one of both only, or whose bones hang elsewhere: of it the whole counts.
    struct WholeLimb {
        End source;
        End target;
    };

    static End end_of(const BodyTree& body, const Chain& limb);
    static Vec3 along(const End& end, std::span<const Transform> model);
    std::array<Vec3, 3> own(const Limb& limb, std::size_t frame) const;
    std::array<Vec3, 3> theirs(const Limb& limb, std::size_t frame) const;  ///< turned to the target's space
    void keep_angle(Measure& measure, const Vec3& own, const Vec3& theirs, std::size_t frame, int bone) const;

    const TwoClips& clips_;
    Quat to_target_;
    std::vector<Limb> limbs_;
    std::vector<WholeLimb> whole_limbs_;
};

}  // namespace dendraxis::detail
