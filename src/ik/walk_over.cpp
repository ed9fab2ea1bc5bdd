// Own method: what the ground asks of every foot in every frame is known beforehand; the smoothest curves
// that do it carry the feet, their tilt and the hips.
#include "ground_pose.hpp"
#include "smoothest_curve.hpp"

#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/chart/loop.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace dendraxis {
namespace {

constexpr float k_body_seconds = 0.25f;  // to either side: over which the ground below the body is averaged

constexpr float k_any_speed = 1e6f;    // leg lengths a second
constexpr float k_on_the_spot = 0.1f;  // of how far the floor runs: less is on the spot
constexpr float k_round_trip = 1.0f;   // seconds of the rounds before and after, for what is a loop
constexpr double k_foot_stiffness = 0.1;
constexpr double k_tilt_stiffness = 1.0;
constexpr float k_stands_seconds = 0.1f;  // in which a foot begins and ceases to have ground
constexpr float k_hips_seconds = 0.5f;    // faster changes are smoothed away
constexpr float k_least_clearance =
    0.03f;  // of the leg's length, of a foot in the air; less where the clip has less
constexpr float k_spent_clearance = 0.5f;  // of what a clip has more, rising ground may take so much
constexpr float k_low_weight = 0.1f;       // of a foot that is all but on the floor and does not stand
constexpr float k_edge =
    0.04f;  // of the leg's length: the ground below a foot that stands does not rise so much in a frame
constexpr float k_instant = 0.15f;       // seconds
constexpr float k_full_length = 0.998f;  // of a leg, to which the hips may straighten it

// On the floor below the hips.
Vec3 below_hips(const Chart& chart, const Clip& clip, std::size_t frame) {
    std::vector<Transform> model(clip.bone_count);
    to_model_space(chart.skeleton, clip.frame(frame), model);
    const Vec3 hips = head_of(chart.hips, model);
    return hips + (chart.floor - hips.dot(chart.up)) * chart.up;
}

// How high the ground is below the body in every frame, over the clip's floor.
std::vector<float> heights_below(const Chart& chart, const Clip& clip, const Ground& ground) {
    std::vector<float> heights;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        Vec3 body = below_hips(chart, clip, f);
        if (!heights.empty()) body += heights.back() * chart.up;  // what lies above is not below
        const auto found = ground(body);
        const bool sound = found && std::isfinite(found->height);
        heights.push_back(sound ? found->height - chart.floor : heights.empty() ? 0.0f : heights.back());
    }
    return heights;
}

std::vector<float> averaged(const std::vector<float>& values, std::ptrdiff_t reach) {
    std::vector<float> result;
    const auto count = static_cast<std::ptrdiff_t>(values.size());
    for (std::ptrdiff_t f = 0; f < count; ++f) {
        float sum = 0.0f;
        float weights = 0.0f;
        for (std::ptrdiff_t k = -reach; k <= reach; ++k) {
            const float x = static_cast<float>(k) / static_cast<float>(reach + 1);
            const float weight = (1.0f - x * x) * (1.0f - x * x);
            sum += weight * values[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(f + k, 0, count - 1))];
            weights += weight;
        }
        result.push_back(sum / weights);
    }
    return result;
}

// The stiffness of a curve that smooths away what takes less than this.
double stiffness_over(float seconds, float fps) {
    return std::pow(static_cast<double>(seconds * fps) / (2.0 * std::numbers::pi), 4.0);
}

// One clip over the ground; passes over its frames, each with what the one before found.
class Walk {
 public:
    Walk(const Chart& chart, const Clip& clip, const Ground& ground, const GroundOptions& options,
         std::vector<float> heights)
        : chart_(chart),
          adaptation_(chart),
          clip_(clip),
          ground_(ground),
          options_(options),
          heights_(std::move(heights)),
          model_(clip.bone_count),
          feet_(track_feet(chart, clip)) {}

    Clip walk() {
        find_slopes();
        find_rises();
        find_hips();
        // What stands lowest carries the body up: the root, else the hips.
        const int carrier = chart_.root != k_no_bone ? chart_.root : chart_.hips;
        const int parent = chart_.skeleton.parent(carrier);
        Clip result = clip_;
        each_frame(result, [&](detail::GroundPose& pose, std::size_t f) {
            set_feet(pose, f);
            pose.lay(pose.hips_between(front_[f], hind_[f]), pose.pitch_of(front_[f], hind_[f]));
            to_model_space(chart_.skeleton, result.frame(f), model_);
            const Transform above =
                parent == k_no_bone ? chart_.skeleton.above() : model_[static_cast<std::size_t>(parent)];
            const Vec3 raised = head_of(carrier, model_) + heights_[f] * chart_.up;
            result.frame(f)[static_cast<std::size_t>(carrier)].translation = apply(inverse(above), raised);
        });
        return result;
    }

 private:
    using Points = std::vector<detail::CurvePoint>;

    // One foot in every frame.
    struct Curves {
        std::array<std::vector<float>, 2> slope;
        std::vector<float> stands;
        std::vector<float> rise;  // over the floor of the first frame's placement
    };

    template <class Use>
    void each_frame(Clip& clip, const Use& use) {
        for (std::size_t f = 0; f < clip.frame_count(); ++f) {
            Transform placement;
            placement.translation = heights_[f] * chart_.up;
            detail::GroundPose pose(adaptation_, clip.frame(f), model_, placement, ground_, options_);
            use(pose, f);
        }
    }

    template <class Use>
    void each_frame(const Use& use) {
        Clip copy = clip_;
        each_frame(copy, use);
    }

    bool is_standing(const detail::GroundLeg& leg, std::size_t frame) const {
        return feet_[leg.sole].stands(frame);
    }

    void set_slope(detail::GroundPose& pose, std::size_t leg, std::size_t f) const {
        const Curves& curves = curves_[leg];
        pose.tilt_foot(leg, {curves.slope[0][f], curves.slope[1][f]},
                       options_.strength * std::clamp(curves.stands[f], 0.0f, 1.0f));
    }

    void set_feet(detail::GroundPose& pose, std::size_t f) const {
        for (std::size_t leg = 0; leg < curves_.size(); ++leg) {
            set_slope(pose, leg, f);
            pose.foot(leg).rise = pose.foot(leg).stands * (curves_[leg].rise[f] - heights_[f]);
        }
    }

    void find_slopes() {
        std::vector<std::array<Points, 3>> points;
        each_frame([&](detail::GroundPose& pose, std::size_t) {
            points.resize(pose.legs().size());
            for (std::size_t leg = 0; leg < points.size(); ++leg) {
                const std::optional<GroundPoint> ground = pose.below(pose.ball(leg));
                const detail::Slope slope = ground ? pose.slope_of(*ground) : detail::Slope{};
                const bool counts = is_standing(pose.legs()[leg], points[leg][0].size());
                for (std::size_t axis = 0; axis < 2; ++axis)
                    points[leg][axis].push_back({slope[axis], counts ? 1.0f : 0.01f});
                points[leg][2].push_back({ground ? 1.0f : 0.0f, 1.0f});
            }
        });
        for (const std::array<Points, 3>& asked : points) {
            Curves& curves = curves_.emplace_back();
            for (std::size_t axis = 0; axis < 2; ++axis)
                curves.slope[axis] = detail::smoothest_curve(asked[axis], k_tilt_stiffness);
            curves.stands = detail::smoothest_curve(asked[2], stiffness_over(k_stands_seconds, clip_.fps));
        }
    }

    void find_rises() {
        std::vector<Points> points(curves_.size());
        each_frame([&](detail::GroundPose& pose, std::size_t f) {
            for (std::size_t leg = 0; leg < points.size(); ++leg) {
                set_slope(pose, leg, f);
                detail::CurvePoint point;
                if (const std::optional<float> needed = pose.needed_rise(leg)) {
                    const float least = k_least_clearance * pose.leg_length();
                    const float spent = k_spent_clearance * std::max(0.0f, pose.foot(leg).clearance - least);
                    point.value = *needed + heights_[f];
                    const float low = std::clamp(1.0f - pose.foot(leg).clearance / least, 0.0f, 1.0f);
                    point.weight = is_standing(pose.legs()[leg], f) ? 1.0f : k_low_weight * low * low;
                    point.lowest = point.value - spent;
                }
                points[leg].push_back(point);
            }
        });
        for (std::size_t leg = 0; leg < points.size(); ++leg) {
            free_skimming(points[leg]);
            stand_on_the_highest(points[leg]);
            curves_[leg].rise = detail::smoothest_curve(points[leg], k_foot_stiffness);
        }
    }

    // A foot that skims over an edge is asked nothing around it but to stay above.
    void free_skimming(Points& points) const {
        const float edge = k_edge * adaptation_.leg_length();
        const auto around = static_cast<std::ptrdiff_t>(std::lround(k_instant * clip_.fps));
        const auto last = static_cast<std::ptrdiff_t>(points.size()) - 1;
        for (std::ptrdiff_t f = 0; f < last; ++f) {
            const auto at = static_cast<std::size_t>(f);
            if (std::abs(points[at + 1].value - points[at].value) < edge) continue;
            for (std::ptrdiff_t k = std::max<std::ptrdiff_t>(0, f - around + 1);
                 k <= std::min(last, f + around); ++k) {
                float& weight = points[static_cast<std::size_t>(k)].weight;
                if (weight <= k_low_weight) weight = 0.0f;
            }
        }
    }

    // A foot that comes over an edge while it stands is on the higher side all the while; so is one that is
    // off the floor for an instant only.
    void stand_on_the_highest(Points& points) const {
        const float edge = k_edge * adaptation_.leg_length();
        std::vector<FrameSpan> spans =
            spans_where(points.size(), [&](std::size_t f) { return points[f].weight > k_low_weight; });
        const auto instant = static_cast<std::size_t>(k_instant * clip_.fps);
        for (std::size_t i = spans.size(); i-- > 1;) {
            if (spans[i].first - spans[i - 1].last - 1 > instant) continue;
            spans[i - 1].last = spans[i].last;
            spans.erase(spans.begin() + static_cast<std::ptrdiff_t>(i));
        }
        for (const FrameSpan& span : spans) {
            float highest = -1e30f;
            float last = points[span.first].value;
            bool has_edge = false;
            for (std::size_t f = span.first; f <= span.last; ++f) {
                if (points[f].weight <= k_low_weight) continue;
                has_edge = has_edge || std::abs(points[f].value - last) > edge;
                last = points[f].value;
                highest = std::max(highest, last);
            }
            for (std::size_t f = span.first; has_edge && f <= span.last; ++f)
                points[f] = {highest, 1.0f, highest};
        }
    }

    // The hips of front and hind legs: upside down, since legs hold them from above.
    void find_hips() {
        std::array<Points, 2> points;
        each_frame([&](detail::GroundPose& pose, std::size_t f) {
            set_feet(pose, f);
            for (const bool front : {false, true}) {
                const auto counts = [&](const detail::GroundLeg& leg) { return leg.front == front; };
                detail::CurvePoint point{-(pose.lowest_rise(counts) + heights_[f]), 1.0f};
                for (std::size_t leg = 0; leg < curves_.size(); ++leg) {
                    if (counts(pose.legs()[leg]) && is_standing(pose.legs()[leg], f))
                        point.lowest = std::max(point.lowest, -(most_rise(pose.foot(leg)) + heights_[f]));
                }
                points[front ? 1 : 0].push_back(point);
            }
        });
        const double stiffness = stiffness_over(k_hips_seconds, clip_.fps);
        hind_ = detail::smoothest_curve(points[0], stiffness);
        front_ = detail::smoothest_curve(points[1], stiffness);
        for (std::size_t f = 0; f < hind_.size(); ++f) {
            hind_[f] = -hind_[f] - heights_[f];
            front_[f] = -front_[f] - heights_[f];
        }
    }

    // How far the hips can go up for a foot to stay where it is; at least as far as the foot itself does.
    float most_rise(const detail::GroundPose::Foot& foot) const {
        const LimbJoints& joints = foot.joints;
        const float length =
            k_full_length * ((joints.middle - joints.root).norm() + (joints.end - joints.middle).norm());
        const Vec3 leg = joints.root - joints.end;
        const float upright = leg.dot(chart_.up);
        const float aside = (leg - upright * chart_.up).norm();
        const float most = std::sqrt(std::max(0.0f, length * length - aside * aside));
        return foot.rise + std::max(0.0f, most - upright);
    }

    const Chart& chart_;
    GroundAdaptation adaptation_;
    const Clip& clip_;
    const Ground& ground_;
    const GroundOptions& options_;
    std::vector<float> heights_;
    std::vector<Transform> model_;
    std::vector<FootTrack> feet_;
    std::vector<Curves> curves_;
    std::vector<float> front_, hind_;
};

Clip walk_on_the_spot(const Chart& chart, const Clip& clip, const GroundPoint& point,
                      const GroundOptions& options) {
    const Vec3 body = below_hips(chart, clip, 0);
    const Ground plane = [&](const Vec3& position) -> std::optional<GroundPoint> {
        const Vec3 away = position - body;
        GroundPoint found = point;
        found.height -= (away - away.dot(chart.up) * chart.up).dot(point.normal) / point.normal.dot(chart.up);
        return found;
    };
    const std::optional<Loop> loop = find_loop(chart, clip);
    const auto more = static_cast<std::size_t>(loop ? std::lround(k_round_trip * clip.fps) : 0);
    const Clip rounds = loop ? unrolled(chart, clip, *loop, more, more) : clip;
    const std::vector<float> heights(rounds.frame_count(), point.height - chart.floor);
    const Clip walked = Walk(chart, rounds, plane, options, heights).walk();
    Clip result = clip;
    std::copy_n(walked.transforms.begin() + static_cast<std::ptrdiff_t>(more * clip.bone_count),
                result.transforms.size(), result.transforms.begin());
    return result;
}

}  // namespace

std::optional<GroundPoint> slope_on_the_spot(const Chart& chart, const Clip& clip, const Ground& ground) {
    if (!ground || clip.frame_count() < 2 || chart.hips == k_no_bone) return std::nullopt;
    const Vec3 floor = moving_floor(chart, clip);
    const Vec3 first = below_hips(chart, clip, 0);
    const float gone = (below_hips(chart, clip, clip.frame_count() - 1) - first).norm();
    const float seconds = static_cast<float>(clip.frame_count() - 1) / clip.fps;
    if (floor.isZero() || gone > k_on_the_spot * seconds * floor.norm()) return std::nullopt;
    std::optional<GroundPoint> found = ground(first);
    if (found &&
        (!std::isfinite(found->height) || !found->normal.allFinite() || found->normal.dot(chart.up) < 0.1f))
        found.reset();
    return found;
}

Clip walk_over(const Chart& chart, const Clip& clip, const Ground& ground, GroundOptions options) {
    options.full_below = k_any_speed;
    options.none_above = 2.0f * k_any_speed;
    if (const std::optional<GroundPoint> point = slope_on_the_spot(chart, clip, ground))
        return walk_on_the_spot(chart, clip, *point, options);
    const auto reach = static_cast<std::ptrdiff_t>(std::lround(k_body_seconds * clip.fps));
    return Walk(chart, clip, ground, options, averaged(heights_below(chart, clip, ground), reach)).walk();
}

}  // namespace dendraxis
