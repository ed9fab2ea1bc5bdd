// A pass stays only if it mends more than it harms.
#pragma once

#include "arm_depths.hpp"

#include <dendraxis/chart/contacts.hpp>

#include <functional>

namespace dendraxis::detail {

class PassGuard {
 public:
    /// `run` holds the poses as turning alone has them. Only the clip's own frames count. Without `depths`
    /// nobody asks how deep arms are in the body.
    PassGuard(PassRun& run, ArmDepths* depths);

    /// Lengths of a limb that must be mended for what a pass harms.
    struct Price {
        float turned;  // for what limbs turned, as measured below
        float jerk;    // for each time the source's worst acceleration beyond what nobody sees
        float body;    // for each length of an arm that arms are in the body
    };
    /// What stands on a floor, and an arm in the body, is seen before an arm that points a little elsewhere,
    /// a hand that is not where it was or a leg that jerks. While feet are held, arms are yet to be cleared.
    static constexpr Price k_feet_price{0.23f, 0.05f, 0.0f};
    static constexpr Price k_arms_price{0.7f, 0.15f, 3.0f};
    static constexpr Price k_clear_price{1.5f, 0.45f, 3.0f};

    /// Returns how much nearer hands are to where they belong, a mean over all frames in lengths of the arm;
    /// less what it costs beyond what is measured here. What it mended of feet and of arms in the body is
    /// measured here.
    using Pass = std::function<float()>;

    /// Runs `pass`. Takes it back and returns false if it harms more: limbs that point elsewhere, joints that
    /// jerk.
    bool run(const Price& price, const Pass& pass) { return run_best(price, {&pass, 1}); }
    /// Runs each of `passes` on the same poses and keeps what the best of them did. Of arms the first that
    /// leaves none in the body and jerks nothing is good enough. Returns false if all harm more than they
    /// mend.
    bool run_best(const Price& price, std::span<const Pass> passes);

 private:
    /// Of feet and of arms in the body the root of the mean square over frames and limbs.
    struct Figures {
        float feet = 0.0f;  // how far standing feet are from the height that they should have, how far
                            // they slide and how deep any foot is, beyond the source's; lengths of the leg
        float arms = 0.0f;  // how deep arms are in the body, beyond the source's; lengths of the arm
        // How far limbs point from where turning alone had them. Of legs radians, a mean over all limbs:
        // small turns stand against small faults. Of arms square radians, a mean over arms: one that is flung
        // out is seen before many that point a little elsewhere.
        float legs_turned = 0.0f;
        float arms_turned = 0.0f;
        float jerk = 0.0f;  // the worst acceleration of their joints over the source's in proportion
    };
    using Joints = std::array<Vec3, 3>;

    Figures measure();
    float harm(const Figures& after, const Price& price) const;  // in lengths of a limb
    void read_joints(std::vector<Joints>& joints) const;         // of the pose in `run_.model`
    float feet_fault_in(std::size_t frame, std::vector<Vec3>& last) const;
    void measure_turns(const std::vector<Joints>& now, Figures& figures) const;
    float arms_fault_in(std::size_t frame) const;
    float worst_acceleration(const std::vector<Joints>& joints) const;

    PassRun& run_;
    ArmDepths* depths_;
    std::vector<const LimbPlan*> limbs_;
    std::vector<FootTrack> feet_;
    std::vector<Joints> turned_;  // frame after frame, all limbs
    float source_acceleration_ = 0.0f;
    Figures now_;
};

}  // namespace dendraxis::detail
