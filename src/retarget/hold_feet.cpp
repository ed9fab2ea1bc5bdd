// Own method. A foot that stands rolls without slipping. The lowest place of the sole is as high over the
// floor as the source's, in proportion; the hips come down or up so that the leg which stands is bent as the
// source's is.
#include "foot_steps.hpp"
#include "hips_shift.hpp"
#include "pass_plan.hpp"
#include "smoothing.hpp"
#include "steady_bend.hpp"

#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis::detail {
namespace {

constexpr float k_noise_seconds = 0.05f;
constexpr float k_unseen_kink = 0.001f;   // of the leg's length: a kink that small is rounded
constexpr float k_near = 0.05f;           // of the leg's length
constexpr float k_near_counts = 0.1f;     // beside a foot that stands
constexpr float k_soft_stretch = 0.995f;  // of a leg whose source has no knee that says how far to bend
constexpr float k_full_stretch = 0.997f;  // of the leg's length
constexpr float k_straight_from = 0.94f;  // likewise: from here to full length knees turn ever faster
constexpr float k_bend_seconds = 0.1f;    // before and after, in which a straight knee bends alike
constexpr float k_straight_slack = 0.003f;

// Where knees point. What is flat counts as facing out of its plane, and bends within it.
Vec3 knees_forward(const Chart& chart) {
    const bool out_of_plane = std::abs(chart.shape.flat_across.dot(chart.facing)) > 0.5f;
    return out_of_plane ? Vec3(chart.up.cross(chart.facing)) : chart.facing;
}

class FootHolder {
 public:
    explicit FootHolder(PassRun& run)
        : run_(run),
          target_(run.plan.pairing.target),
          up_(target_.up),
          feet_(track_feet(run.plan.pairing.source, run.source, run.contacts)),
          steps_(run, feet_) {}

    void hold(FeetBy by) {
        legs_ = track_legs(run_, run_.plan.legs);
        for (std::size_t i = 0; i < legs_.size(); ++i) corrections_.push_back(correction(i));
        std::vector<LegWish> wishes;
        for (std::size_t i = 0; i < legs_.size(); ++i) wishes.push_back(wish(i));
        hips_shift_ = hips_shift(wishes, run_.frames_in(k_hips_seconds));
        if (by == FeetBy::legs) {
            leave_air_alone();
        } else {
            move_with_hips();
        }
        apply();
    }

 private:
    const LimbPlan& plan(std::size_t leg) const { return run_.plan.legs[leg]; }
    const FootTrack& foot(std::size_t leg) const {
        return feet_[static_cast<std::size_t>(plan(leg).source_shape)];
    }
    Vec3 level(const Vec3& v) const { return v - v.dot(up_) * up_; }

    std::vector<Vec3> correction(std::size_t leg) const {
        std::vector<Vec3> result = steps_.of(plan(leg), legs_[leg]);
        const std::vector<float> rise = rises(leg);
        for (std::size_t f = 0; f < run_.frames(); ++f) result[f] += rise[f] * up_ + plan(leg).offset;
        return result;
    }

    // How far the foot must come up. High in the air it need not be exact and is smooth instead: there the
    // lowest place of the sole changes from toes to heel at once.
    std::vector<float> rises(std::size_t leg) const {
        const FootTrack& track = foot(leg);
        std::vector<float> exact(run_.frames());
        for (std::size_t f = 0; f < run_.frames(); ++f)
            exact[f] = target_.floor + run_.plan.leg_ratio * track.height[f] - legs_[leg].lowest[f];
        exact = calmed(exact, run_.frames_in(k_noise_seconds), k_unseen_kink * plan(leg).target_length);
        const std::vector<float> eased = smoothed(exact, run_.frames_in(k_hips_seconds));
        const float length = plan(leg).source_length;
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            const float over = (track.height[f] - track.level[f]) / length;
            exact[f] += smoother_step((over - 0.03f) / 0.07f) * (eased[f] - exact[f]);
        }
        return exact;
    }

    // How far the hips must come up for this leg to be stretched by `stretch` of its length; negative is
    // down.
    float shift_for(std::size_t leg, std::size_t frame, float stretch) const {
        const LimbJoints& joints = legs_[leg].joints[frame];
        const Vec3 direction = joints.end + corrections_[leg][frame] - joints.root;
        const float down = direction.dot(up_);
        const float aside = level(direction).norm();
        const float reach = stretch * plan(leg).target_length;
        return down + std::sqrt(std::max(0.0f, reach * reach - aside * aside));
    }

    float stretch(std::size_t leg, std::size_t frame) const {
        const LimbJoints& joints = legs_[leg].joints[frame];
        const float stretch = (joints.end - joints.root).norm() / plan(leg).target_length;
        return plan(leg).source.bends() ? stretch : std::min(stretch, k_soft_stretch);
    }

    LegWish wish(std::size_t leg) const {
        LegWish wish;
        std::vector<float> on(run_.frames());
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            wish.stands.push_back(foot(leg).stands(f) ? 1 : 0);
            on[f] = wish.stands.back() ? 1.0f : 0.0f;
        }
        on = smoothed(on, run_.frames_in(k_hips_seconds));
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            // A leg that lies says little about the height.
            const LimbJoints& joints = legs_[leg].joints[f];
            const float upright = std::max(0.0f, (joints.root - joints.end).normalized().dot(up_));
            const float standing = on[f] * upright * upright;
            // One that comes near the floor says something where none stands.
            const float near = k_near_counts * std::exp(-std::max(0.0f, foot(leg).height[f]) /
                                                        (k_near * plan(leg).source_length));
            const float asked =
                standing * shift_for(leg, f, stretch(leg, f)) + near * corrections_[leg][f].dot(up_);
            wish.counts.push_back(standing + near);
            wish.rise.push_back(asked / std::max(1e-9f, standing + near));
            wish.most.push_back(shift_for(leg, f, std::max(k_full_stretch, stretch(leg, f))));
        }
        return wish;
    }

    void move_with_hips() {
        for (std::size_t i = 0; i < legs_.size(); ++i) {
            for (std::size_t f = 0; f < run_.frames(); ++f)
                corrections_[i][f] = hips_shift_[f] * up_ + plan(i).offset;
        }
    }

    // A foot in the air goes up and down with the hips and is left as it is, but for not going through the
    // floor deeper than the source's does.
    void leave_air_alone() {
        const int reach = static_cast<int>(std::lround(run_.frames_in(2.0f * k_hips_seconds)));
        for (std::size_t i = 0; i < legs_.size(); ++i) {
            std::vector<float> on(run_.frames());
            for (std::size_t f = 0; f < run_.frames(); ++f) on[f] = foot(i).stands(f) ? 1.0f : 0.0f;
            on = rounded_up(on, reach);
            std::vector<float> too_low(run_.frames());
            for (std::size_t f = 0; f < run_.frames(); ++f) {
                Vec3& correction = corrections_[i][f];
                const float rise = correction.dot(up_);
                const float eased = rise + (1.0f - std::min(1.0f, on[f])) * (hips_shift_[f] - rise);
                correction += (eased - rise) * up_;
                const float lowest = target_.floor + run_.plan.leg_ratio * std::min(0.0f, foot(i).height[f]);
                too_low[f] = std::max(0.0f, std::min(lowest - (legs_[i].lowest[f] + eased), rise - eased));
            }
            const std::vector<float> up = rounded_up(too_low, reach);
            for (std::size_t f = 0; f < run_.frames(); ++f) corrections_[i][f] += up[f] * up_;
        }
    }

    // A leg that is nearly straight keeps its length where a hair would do: to shorten it by half a
    // hundredth, its knee would have to turn by six degrees.
    Vec3 spare_knee(std::size_t leg, const LimbJoints& joints, const Vec3& ankle) const {
        const Vec3 direction = ankle - joints.root;
        const float length = plan(leg).target_length;
        const float now = (joints.end - joints.root).norm() / length;
        const float off = direction.norm() / length - now;
        const float slack =
            k_straight_slack * smoother_step((now - k_straight_from) / (1.0f - k_straight_from));
        const float kept = std::copysign(std::sqrt(off * off + slack * slack) - slack, off);
        return joints.root + direction.normalized() * (now + kept) * length;
    }

    void apply() {
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            run_.pose(f);
            const auto local = run_.result.frame(f);
            const Vec3 shift = hips_shift_[f] * up_;
            raise_hips(run_, f, hips_shift_[f]);
            for (std::size_t i = 0; i < legs_.size(); ++i) {
                const LimbJoints& joints = legs_[i].joints[f];
                TwoBoneOptions options;
                options.hint = run_.model[static_cast<std::size_t>(target_.hips)].rotation *
                               (hips_rest_.conjugate() * knees_);
                const auto around = static_cast<std::size_t>(std::lround(run_.frames_in(k_bend_seconds)));
                const Vec3 side = steady_bend(legs_[i].joints, f, around);
                if (!side.isZero()) {
                    options.bend = Bend::hint;
                    options.hint = side;
                }
                const LimbJoints moved{joints.root + shift, joints.middle + shift, joints.end + shift};
                const LimbTurns turns =
                    solve_two_bone(moved, spare_knee(i, moved, joints.end + corrections_[i][f]), options);
                plan(i).target.turn(run_.skeleton(), turns, moved.root, run_.model, local);
            }
        }
    }

    PassRun& run_;
    const Chart& target_;
    Vec3 up_;
    Vec3 knees_ = knees_forward(target_);
    Quat hips_rest_ = rest_in_model_space(target_.skeleton)[static_cast<std::size_t>(target_.hips)].rotation;
    std::vector<FootTrack> feet_;
    FootSteps steps_;
    std::vector<LegTrack> legs_;
    std::vector<std::vector<Vec3>> corrections_;
    std::vector<float> hips_shift_;
};

}  // namespace

void hold_feet(PassRun& run, FeetBy by) {
    if (run.plan.legs.empty() || run.frames() == 0) return;
    FootHolder(run).hold(by);
}

}  // namespace dendraxis::detail
