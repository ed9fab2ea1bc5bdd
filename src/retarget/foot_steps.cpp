// Own method.
#include "foot_steps.hpp"

#include "smoothing.hpp"

namespace dendraxis::detail {
namespace {

constexpr float k_bridge_seconds = 1.0f;  // contacts farther apart than this know nothing of each other
constexpr float k_settle_seconds = 0.25f;
constexpr float k_flicker_seconds = 0.15f;
constexpr float k_low_grain = 0.004f;   // of the leg's length: so much lower counts
constexpr float k_still_grain = 0.03f;  // of the leg's length a second: so much slower counts as much

// How a series passes a gap of `count` frames between two values with slopes (a frame).
Vec3 hermite(const Vec3& a, const Vec3& slope_a, const Vec3& b, const Vec3& slope_b, float count, float t) {
    const float t2 = t * t;
    const float t3 = t2 * t;
    return (2 * t3 - 3 * t2 + 1) * a + count * (t3 - 2 * t2 + t) * slope_a + (3 * t2 - 2 * t3) * b +
           count * (t3 - t2) * slope_b;
}

// How far the target's foot lifts a part over its lowest one: where it has no joint that bends as the
// source's does, only one of them can stand.
float lifted(const std::array<Vec3, k_foot_parts>& parts, std::size_t part, const Vec3& up) {
    float least = 1e30f;
    for (const Vec3& other : parts) least = std::min(least, other.dot(up));
    return parts[part].dot(up) - least;
}

// How much of the foot rests on each part: nearly all of it on one that is low and still, seen from the
// floor. A heel that dips through it behind toes that stand is lowest, but moves.
std::array<float, k_foot_parts> weights(const PassPlan& plan, const LimbPlan& leg, const FootStep& step) {
    const Vec3& up = plan.pairing.source.up;
    const Vec3& own_up = plan.pairing.target.up;
    const float length = leg.source_length;
    std::array<float, k_foot_parts> cost{};
    float least = 1e30f;
    for (std::size_t p = 0; p < k_foot_parts; ++p) {
        if (!step.rests[p]) continue;
        const Vec3 moved = step.source_now[p] - step.source_before[p];
        const float over =
            0.5f * (lifted(step.target_before, p, own_up) + lifted(step.target_now, p, own_up));
        const float height =
            0.5f * (step.source_now[p] + step.source_before[p]).dot(up) + over / plan.leg_ratio;
        const float speed = (moved - moved.dot(up) * up - step.floor_step).norm() / step.seconds;
        cost[p] = height / (k_low_grain * length) + speed / (k_still_grain * length);
        least = std::min(least, cost[p]);
    }
    std::array<float, k_foot_parts> result{};
    float sum = 0.0f;
    for (std::size_t p = 0; p < k_foot_parts; ++p) {
        if (step.rests[p]) sum += result[p] = std::exp(least - cost[p]);
    }
    for (float& weight : result) weight = sum > 0.0f ? weight / sum : 0.0f;
    return result;
}

// The steps of one foot.
class FootWalker {
 public:
    FootWalker(const PassRun& run, const LimbPlan& plan, const LegTrack& own, const FootTrack& track,
               const Vec3& belt)
        : run_(run),
          plan_(plan),
          own_(own),
          track_(track),
          belt_(belt),
          target_(run.plan.pairing.target),
          up_(target_.up) {}

    std::vector<Vec3> steps() const {
        std::vector<Vec3> over_floor(run_.frames(), Vec3::Zero());
        const std::vector<FrameSpan> spans =
            joined(spans_where(run_.frames(), [&](std::size_t f) { return track_.stands(f); }));
        for (const FrameSpan& span : spans) {
            Vec3 sum = Vec3::Zero();
            for (std::size_t f = span.first; f < span.last; ++f) {
                const Vec3 moved = level(own_.joints[f + 1].end - own_.joints[f].end);
                const bool rolls = track_.stands(f) && track_.stands(f + 1);
                over_floor[f + 1] = over_floor[f];
                if (rolls) over_floor[f + 1] += rolled_from(f) - moved;
                sum += over_floor[f + 1];
            }
            // The whole contact stands where it strays least from the pose without correction.
            sum /= static_cast<float>(span.last - span.first + 1);
            for (std::size_t f = span.first; f <= span.last; ++f) over_floor[f] -= sum;
        }
        complete(over_floor, spans);
        bridge(over_floor, spans);
        return over_floor;
    }

 private:
    Vec3 level(const Vec3& v) const { return v - v.dot(up_) * up_; }

    // From `frame` to the next one.
    Vec3 rolled_from(std::size_t frame) const {
        FootStep step{track_.parts[frame],   track_.parts[frame + 1], own_.parts[frame],
                      own_.parts[frame + 1], track_.planted[frame],   belt_ / run_.result.fps,
                      1.0f / run_.result.fps};
        for (std::size_t p = 0; p < k_foot_parts; ++p)
            step.rests[p] = step.rests[p] || track_.planted[frame + 1][p];
        return level(run_.shift[frame + 1] - run_.shift[frame]) + rolled(run_.plan, plan_, step);
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

    // A contact that the clip's first or last frame cuts short stands as the whole ones do: the correction is
    // the same, seen along the foot, where it begins or where it ends.
    void complete(std::vector<Vec3>& values, const std::vector<FrameSpan>& spans) const {
        const auto is_whole = [&](const FrameSpan& span) {
            return span.first > 0 && span.last + 1 < values.size();
        };
        const auto heading = [&](std::size_t f) {
            const Vec3 ahead = level(own_.parts[f][k_ball] - own_.parts[f][k_heel]);
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

    const PassRun& run_;
    const LimbPlan& plan_;
    const LegTrack& own_;
    const FootTrack& track_;
    const Vec3& belt_;
    const Chart& target_;
    Vec3 up_;
};

}  // namespace

Vec3 rolled(const PassPlan& plan, const LimbPlan& leg, const FootStep& step) {
    const auto share = weights(plan, leg, step);
    const Vec3& up = plan.pairing.target.up;
    Vec3 moved = Vec3::Zero();
    for (std::size_t p = 0; p < k_foot_parts; ++p) {
        if (share[p] == 0.0f) continue;
        const Vec3 theirs = plan.to_target * Vec3(step.source_now[p] - step.source_before[p]);
        moved += share[p] * (plan.leg_ratio * theirs - (step.target_now[p] - step.target_before[p]));
    }
    return moved - moved.dot(up) * up;
}

std::vector<LegTrack> track_legs(PassRun& run, std::span<const LimbPlan> legs) {
    std::vector<LegTrack> tracks(legs.size());
    for (std::size_t f = 0; f < run.frames(); ++f) {
        run.pose(f);
        for (std::size_t i = 0; i < legs.size(); ++i) {
            const Sole& sole = run.plan.target_sole(legs[i]);
            LegTrack& track = tracks[i];
            track.joints.push_back(legs[i].target.joints(run.model));
            std::array<Vec3, k_foot_parts> parts;
            for (std::size_t p = 0; p < k_foot_parts; ++p)
                parts[p] = position_of(sole, sole.parts[p], run.model) - track.joints.back().end;
            track.parts.push_back(parts);
            track.lowest.push_back(lowest_of(sole, run.model, run.plan.pairing.target.up));
        }
    }
    return tracks;
}

FootSteps::FootSteps(const PassRun& run, const std::vector<FootTrack>& feet)
    : run_(run), feet_(feet), belt_(moving_floor(run.plan.pairing.source, run.source)) {}

std::vector<Vec3> FootSteps::of(const LimbPlan& leg, const LegTrack& own) const {
    const FootTrack& track = feet_[static_cast<std::size_t>(leg.source_shape)];
    return FootWalker(run_, leg, own, track, belt_).steps();
}

}  // namespace dendraxis::detail
