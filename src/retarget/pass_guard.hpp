// A pass stays only if it mends more than it harms.
#pragma once

#include "pass_plan.hpp"

#include <dendraxis/retarget/contacts.hpp>

namespace dendraxis {

class PassGuard {
 public:
    /// `take` holds the poses as turning alone has them.
    explicit PassGuard(Take& take);

    /// Lengths of a limb that must be mended for each radian that limbs turn: what stands on a floor is seen
    /// before an arm that points a little elsewhere.
    static constexpr float k_feet_price = 0.25f;
    static constexpr float k_arms_price = 0.5f;

    /// Runs `pass`, which returns how much it mended: a mean over all frames, in lengths of the limb that it
    /// is for. Takes it back and returns false if it harms more: limbs that point elsewhere, joints that
    /// jerk.
    template <class Pass>
    bool run(float price, const Pass& pass) {
        const std::vector<Transform> before = take_.result.transforms;
        const Harm harm = measure();
        const float mended = pass();
        if (mended > price * harm_between(harm, measure())) return true;
        take_.result.transforms = before;
        return false;
    }

    /// How far standing feet are from the height that they should have, how far they slide beyond the
    /// source's, and how deep any foot is below the floor beyond the source's: a mean over frames and feet,
    /// in lengths of the leg.
    float feet_fault();

 private:
    struct Harm {
        float direction = 0.0f;  // radians, mean: how far limbs point from where turning alone had them
        float jerk = 0.0f;       // the worst acceleration of their joints over the source's in proportion
    };
    using Joints = std::array<Vec3, 3>;

    Harm measure();
    static float harm_between(const Harm& before, const Harm& after);
    std::vector<Joints> joints_now();  // frame after frame, all limbs
    float worst_acceleration(const std::vector<Joints>& joints) const;

    Take& take_;
    std::vector<const LimbPlan*> limbs_;
    std::vector<Joints> turned_;
    std::vector<FootTrack> feet_;
    float source_acceleration_ = 0.0f;
};

}  // namespace dendraxis
