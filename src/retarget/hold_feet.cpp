// Own method. A foot that stands rolls without slipping: from frame to frame the part of the target's sole
// that answers to the one the source stands on moves as that one does, in proportion, and so not at all where
// it rests. Between two contacts the correction is bridged with the slopes that it has at their ends. The
// lowest place of the sole is as high over the floor as the source's, in proportion; the hips come down or up
// so that the leg which stands is bent as the source's is.
#include "hips_shift.hpp"
#include "pass_plan.hpp"
#include "smoothing.hpp"
#include "steady_bend.hpp"

#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/skeleton/pose.hpp>

namespace dendraxis::detail {
namespace {

constexpr float k_bridge_seconds = 1.0f;  // contacts farther apart than this know nothing of each other
constexpr float k_settle_seconds = 0.25f;
constexpr float k_flicker_seconds = 0.15f;
constexpr float k_noise_seconds = 0.05f;
constexpr float k_unseen_kink = 0.001f;   // of the leg's length: a kink that small is rounded
constexpr float k_low_grain = 0.004f;     // of the leg's length: so much lower counts
constexpr float k_still_grain = 0.03f;    // of the leg's length a second: so much slower counts as much
constexpr float k_near = 0.05f;           // of the leg's length
constexpr float k_near_counts = 0.1f;     // beside a foot that stands
constexpr float k_full_stretch = 0.997f;  // of the leg's length
constexpr float k_straight_from = 0.94f;  // likewise: from here to full length knees turn ever faster
constexpr float k_bend_seconds = 0.1f;    // before and after, in which a straight knee bends alike
constexpr float k_straight_slack = 0.003f;

// One leg of the target before its feet are held; one entry a frame.
struct LegTrack {
    std::vector<LimbJoints> joints;
    std::vector<std::array<Vec3, k_foot_parts>> parts;
    std::vector<float> lowest;  // along up, from the model's origin
};

// How a series passes a gap of `count` frames between two values with slopes (a frame).
Vec3 hermite(const Vec3& a, const Vec3& slope_a, const Vec3& b, const Vec3& slope_b, float count, float t) {
    const float t2 = t * t;
    const float t3 = t2 * t;
    return (2 * t3 - 3 * t2 + 1) * a + count * (t3 - 2 * t2 + t) * slope_a + (3 * t2 - 2 * t3) * b +
           count * (t3 - t2) * slope_b;
}

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
          belt_(moving_floor(run.plan.pairing.source, run.source)),
          feet_(track_feet(run.plan.pairing.source, run.source, run.contacts)) {}

    void hold(FeetBy by) {
        follow_legs();
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
    const Sole& sole(std::size_t leg) const { return run_.plan.target_sole(plan(leg)); }
    Vec3 level(const Vec3& v) const { return v - v.dot(up_) * up_; }

    void follow_legs() {
        legs_.resize(run_.plan.legs.size());
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            run_.pose(f);
            for (std::size_t i = 0; i < legs_.size(); ++i) {
                LegTrack& leg = legs_[i];
                leg.joints.push_back(plan(i).target.joints(run_.model));
                std::array<Vec3, k_foot_parts> parts;
                for (std::size_t p = 0; p < k_foot_parts; ++p)
                    parts[p] = position_of(sole(i), sole(i).parts[p], run_.model) - leg.joints.back().end;
                leg.parts.push_back(parts);
                leg.lowest.push_back(lowest_of(sole(i), run_.model, up_));
            }
        }
    }

    // How much of the foot rests on each part from `frame` to the next: nearly all of it on one that is low
    // and still, seen from the floor. A heel that dips through it behind toes that stand is lowest, but
    // moves.
    std::array<float, k_foot_parts> weights(std::size_t leg, std::size_t frame) const {
        const FootTrack& track = foot(leg);
        const Vec3& up = run_.plan.pairing.source.up;
        const float length = plan(leg).source_length;
        std::array<float, k_foot_parts> cost{};
        float least = 1e30f;
        for (std::size_t p = 0; p < k_foot_parts; ++p) {
            if (!rests(track, frame, p)) continue;
            const Vec3 step = track.parts[frame + 1][p] - track.parts[frame][p];
            const float height = 0.5f * (track.parts[frame + 1][p] + track.parts[frame][p]).dot(up);
            const float speed = (run_.result.fps * (step - step.dot(up) * up) - belt_).norm();
            cost[p] =
                (height + lifted(leg, frame, p)) / (k_low_grain * length) + speed / (k_still_grain * length);
            least = std::min(least, cost[p]);
        }
        std::array<float, k_foot_parts> result{};
        float sum = 0.0f;
        for (std::size_t p = 0; p < k_foot_parts; ++p) {
            if (rests(track, frame, p)) sum += result[p] = std::exp(least - cost[p]);
        }
        for (float& weight : result) weight = sum > 0.0f ? weight / sum : 0.0f;
        return result;
    }

    // How far the target's foot lifts a part over its lowest one, in lengths of the source: where it has no
    // joint that bends as the source's does, only one of them can stand.
    float lifted(std::size_t leg, std::size_t frame, std::size_t part) const {
        float over = 0.0f;
        for (const std::size_t f : {frame, frame + 1}) {
            const auto& parts = legs_[leg].parts[f];
            float least = 1e30f;
            for (const Vec3& other : parts) least = std::min(least, other.dot(up_));
            over += 0.5f * (parts[part].dot(up_) - least);
        }
        return over / run_.plan.leg_ratio;
    }

    static bool rests(const FootTrack& track, std::size_t frame, std::size_t part) {
        return track.planted[frame][part] || track.planted[frame + 1][part];
    }

    // From `frame` to the next one, how the ankle must move so that the foot rolls as the source's does.
    Vec3 rolled(std::size_t leg, std::size_t frame) const {
        const auto share = weights(leg, frame);
        const auto& source = foot(leg).parts;
        const auto& own = legs_[leg].parts;
        Vec3 step = run_.shift[frame + 1] - run_.shift[frame];
        for (std::size_t p = 0; p < k_foot_parts; ++p) {
            if (share[p] == 0.0f) continue;
            const Vec3 theirs = run_.plan.to_target * Vec3(source[frame + 1][p] - source[frame][p]);
            step += share[p] * (run_.plan.leg_ratio * theirs - (own[frame + 1][p] - own[frame][p]));
        }
        return level(step);
    }

    // A foot that lifts for less than a step stands on where it stood.
    std::vector<FrameSpan> joined(const std::vector<FrameSpan>& spans) const {
        const float most = run_.frames_in(k_flicker_seconds);
        std::vector<FrameSpan> result;
        for (const FrameSpan& span : spans) {
            if (!result.empty() && static_cast<float>(span.first - result.back().last) <= most) {
                result.back().last = span.last;
            } else {
                result.push_back(span);
            }
        }
        return result;
    }

    std::vector<Vec3> correction(std::size_t leg) const {
        std::vector<Vec3> over_floor(run_.frames(), Vec3::Zero());
        const std::vector<FrameSpan> spans =
            joined(spans_where(run_.frames(), [&](std::size_t f) { return foot(leg).stands(f); }));
        for (const FrameSpan& span : spans) {
            Vec3 sum = Vec3::Zero();
            for (std::size_t f = span.first; f < span.last; ++f) {
                const Vec3 moved = level(legs_[leg].joints[f + 1].end - legs_[leg].joints[f].end);
                const bool rolls = foot(leg).stands(f) && foot(leg).stands(f + 1);
                over_floor[f + 1] = over_floor[f];
                if (rolls) over_floor[f + 1] += rolled(leg, f) - moved;
                sum += over_floor[f + 1];
            }
            // The whole contact stands where it strays least from the pose without correction.
            sum /= static_cast<float>(span.last - span.first + 1);
            for (std::size_t f = span.first; f <= span.last; ++f) over_floor[f] -= sum;
        }
        complete(leg, over_floor, spans);
        bridge(over_floor, spans);
        const std::vector<float> rise = rises(leg);
        for (std::size_t f = 0; f < run_.frames(); ++f) over_floor[f] += rise[f] * up_ + plan(leg).offset;
        return over_floor;
    }

    // A contact that the clip's first or last frame cuts short stands as the whole ones do: the correction is
    // the same, seen along the foot, where it begins or where it ends.
    void complete(std::size_t leg, std::vector<Vec3>& values, const std::vector<FrameSpan>& spans) const {
        const auto is_whole = [&](const FrameSpan& span) {
            return span.first > 0 && span.last + 1 < values.size();
        };
        const auto heading = [&](std::size_t f) {
            const Vec3 ahead = level(legs_[leg].parts[f][k_ball] - legs_[leg].parts[f][k_heel]);
            return ahead.norm() > 1e-6f ? Vec3(ahead.normalized()) : Vec3(level(target_.facing).normalized());
        };
        for (const FrameSpan& span : spans) {
            const bool begins = span.first > 0;
            const bool ends = span.last + 1 < values.size();
            if (begins == ends) continue;
            const std::size_t at = begins ? span.first : span.last;
            Vec3 wanted = Vec3::Zero();
            float whole = 0.0f;
            for (const FrameSpan& other : spans) {
                if (!is_whole(other) || other.last - other.first <= span.last - span.first) continue;
                const std::size_t like = begins ? other.first : other.last;
                const Vec3 ahead = heading(like);
                const Vec3 now_ahead = heading(at);
                wanted += values[like].dot(ahead) * now_ahead +
                          values[like].dot(up_.cross(ahead)) * up_.cross(now_ahead);
                whole += 1.0f;
            }
            if (whole == 0.0f) continue;
            const Vec3 by = wanted / whole - values[at];
            for (std::size_t f = span.first; f <= span.last; ++f) values[f] += by;
        }
    }

    void bridge(std::vector<Vec3>& values, const std::vector<FrameSpan>& spans) const {
        if (spans.empty()) return;
        const float settle = std::max(1.0f, run_.frames_in(k_settle_seconds));
        const auto slope_out = [&](const FrameSpan& span) {
            return span.last > span.first ? Vec3(values[span.last] - values[span.last - 1])
                                          : Vec3(Vec3::Zero());
        };
        const auto slope_in = [&](const FrameSpan& span) {
            return span.last > span.first ? Vec3(values[span.first + 1] - values[span.first])
                                          : Vec3(Vec3::Zero());
        };
        // Away from a contact without another near: the slope runs out, the value stays.
        const auto run_out = [&](const Vec3& value, const Vec3& slope, float frames) {
            return Vec3(value + slope * settle * (1.0f - std::exp(-frames / settle)));
        };
        for (std::size_t f = 0; f < spans.front().first; ++f)
            values[f] = run_out(values[spans.front().first], -slope_in(spans.front()),
                                static_cast<float>(spans.front().first - f));
        for (std::size_t f = spans.back().last + 1; f < values.size(); ++f)
            values[f] = run_out(values[spans.back().last], slope_out(spans.back()),
                                static_cast<float>(f - spans.back().last));
        for (std::size_t i = 0; i + 1 < spans.size(); ++i) {
            const std::size_t a = spans[i].last;
            const std::size_t b = spans[i + 1].first;
            const auto count = static_cast<float>(b - a);
            const float longest = run_.frames_in(k_bridge_seconds);
            for (std::size_t f = a + 1; f < b; ++f) {
                const auto after = static_cast<float>(f - a);
                const auto before = static_cast<float>(b - f);
                if (count <= longest) {
                    values[f] = hermite(values[a], slope_out(spans[i]), values[b], slope_in(spans[i + 1]),
                                        count, after / count);
                } else {
                    const Vec3 from = run_out(values[a], slope_out(spans[i]), after);
                    const Vec3 to = run_out(values[b], -slope_in(spans[i + 1]), before);
                    values[f] = from + smoother_step(after / count) * (to - from);
                }
            }
        }
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
        return (joints.end - joints.root).norm() / plan(leg).target_length;
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
    Vec3 belt_;  // how the source's floor moves
    Vec3 knees_ = knees_forward(target_);
    Quat hips_rest_ = rest_in_model_space(target_.skeleton)[static_cast<std::size_t>(target_.hips)].rotation;
    std::vector<FootTrack> feet_;
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
