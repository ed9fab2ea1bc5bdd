// People's ranges: American Academy of Orthopaedic Surgeons, "Joint Motion: Method of Measuring and
// Recording" (1965). They are told from the anatomical position (standing, arms hanging); what the
// character's rest differs from it is taken off. Legs of a body on four: G. Jaegger, D. J. Marcellin-Little
// and D. Levine, "Reliability of goniometry in Labrador Retrievers", American Journal of Veterinary Research
// 63 (2002); told from the straight leg, each joint's own way.
#include "hinge_axis.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_rest_margin = 3.0f;  // degrees: the rest is at least so far within
constexpr float k_farthest = 178.0f;
constexpr float k_clear_bend = 0.2f;   // sine of a bend at rest
constexpr float k_flat_root = 170.0f;  // degrees: arms and legs of flat figures

// Degrees.
struct Spans {
    AngleSpan twist;
    AngleSpan bend;
    AngleSpan side;
};

constexpr AngleSpan even(float half) {
    return {-half, half};
}

constexpr Spans k_trunk{even(45), {-25, 80}, even(35)};
// Own choice: a trunk that is carried level bends less than one that stands.
constexpr Spans k_trunk_on_four{even(20), {-20, 35}, even(30)};

AngleSpan mirrored_if(bool mirror, AngleSpan span) {
    return mirror ? AngleSpan{-span.to, -span.from} : span;
}

class RangeFinder {
 public:
    RangeFinder(const Chart& chart, std::span<const Clip> clips)
        : chart_(chart),
          clips_(clips),
          upright_(chart.to_upright()),
          rest_(rest_in_model_space(chart.skeleton)) {}

    std::vector<JointRange> find() {
        if (!chart_.shape.flat_across.isZero()) return in_plane();
        int neck_bones = 0;
        for (const char* name : {"neck", "head"}) {
            if (const Chain* chain = chart_.find(name)) neck_bones += static_cast<int>(chain->bones.size());
        }
        for (const Chain& chain : chart_.chains) {
            const bool right = chain.side() == Side::right;
            const ChainRole role = chain.role();
            if (chain.name == "spine")
                trunk(chain, stands_on_four(chart_) ? k_trunk_on_four : k_trunk,
                      static_cast<int>(chain.bones.size()));
            else if (role == ChainRole::neck || role == ChainRole::head)
                trunk(chain, {even(60), even(45), even(45)}, neck_bones);
            else if (role == ChainRole::shoulder)
                for (const int bone : chain.bones)
                    add(bone, direction(chain, bone), Vec3::UnitZ(),
                        {even(15), mirrored_if(right, {-10, 40}), {-25, 30}});
            else if (role == ChainRole::arm)
                arm(chain, right);
            else if (chain.name == "leg.left" || chain.name == "leg.right")
                leg(chain, right);
            else if (role == ChainRole::leg)
                other_leg(chain);
            else if (role == ChainRole::toes)
                for (const int bone : chain.bones)
                    add(bone, direction(chain, bone), Vec3::UnitX(), {even(5), {-60, 30}, even(5)});
            else if (role == ChainRole::tail)
                for (const int bone : chain.bones)
                    add(bone, direction(chain, bone), Vec3::UnitX(), {even(30), even(45), even(45)});
        }
        return std::move(ranges_);
    }

    // Own choice: a flat figure's joints turn in its plane alone; what rests bent bends on to that side.
    std::vector<JointRange> in_plane() {
        const Vec3 normal = upright_ * chart_.shape.flat_across;
        for (const Chain& chain : chart_.chains) {
            const bool limb = is_limb(chain.role());
            const std::size_t lower = limb ? std::clamp<std::size_t>(chain.lower, 1, chain.bones.size()) : 0;
            for (std::size_t i = 0; i < chain.bones.size(); ++i) {
                const int bone = chain.bones[i];
                AngleSpan span = even(limb && i == 0 ? k_flat_root : limb ? 70.0f : 60.0f);
                if (limb && i == lower && i > 0) {
                    const float bent =
                        normal.dot(direction(chain, chain.bones[i - 1]).cross(direction(chain, bone)));
                    span = bent > k_clear_bend    ? AngleSpan{-5, 150}
                           : bent < -k_clear_bend ? AngleSpan{-150, 5}
                                                  : even(150);
                }
                add(bone, direction(chain, bone), normal, {even(0), span, even(0)});
            }
        }
        return std::move(ranges_);
    }

 private:
    Vec3 head(int bone) const { return upright_ * rest_[static_cast<std::size_t>(bone)].translation; }

    // Where the bone points at rest.
    Vec3 direction(const Chain& chain, int bone) const {
        const auto found = std::find(chain.bones.begin(), chain.bones.end(), bone);
        if (found + 1 != chain.bones.end()) {
            const Vec3 on = head(*(found + 1)) - head(bone);
            if (on.norm() > 1e-6f) return on.normalized();
        }
        return range_of(chart_, bone, {}, {}, {}, Vec3::Zero()).bone;
    }

    // Spans in degrees about the neutral direction of the bone, as seen with its parent at rest.
    void add(int bone, const Vec3& points, const Vec3& about, const Spans& spans, const Vec3& neutral) {
        Range range;
        range.bone = points;
        range.about = about - points * points.dot(about);
        range.about =
            range.about.norm() > 1e-3f ? Vec3(range.about.normalized()) : Vec3(points.unitOrthogonal());
        const Vec3 off = rotation_vector(shortest_arc(neutral, points)) * k_degrees;
        const auto moved = [](const AngleSpan& span, float by) {
            return AngleSpan{
                std::clamp(std::min(span.from - by, -k_rest_margin), -k_farthest, 0.0f) / k_degrees,
                std::clamp(std::max(span.to - by, k_rest_margin), 0.0f, k_farthest) / k_degrees};
        };
        range.twist = moved(spans.twist, 0.0f);
        range.bend = moved(spans.bend, off.dot(range.about));
        range.side = moved(spans.side, off.dot(range.bone.cross(range.about)));
        ranges_.push_back({bone, holding_rest(range)});
    }

    void add(int bone, const Vec3& points, const Vec3& about, const Spans& spans) {
        add(bone, points, about, spans, points);
    }

    void trunk(const Chain& chain, Spans spans, int count) {
        for (AngleSpan* span : {&spans.twist, &spans.bend, &spans.side}) {
            span->from /= static_cast<float>(count);
            span->to /= static_cast<float>(count);
        }
        for (const int bone : chain.bones) add(bone, direction(chain, bone), Vec3::UnitX(), spans);
    }

    Vec3 hinge(int bone, const detail::HingeEvidence& evidence) const {
        return detail::hinge_axis(
            evidence, detail::axis_of_motion(bone, joint_frame(chart_, bone), evidence.lower, clips_));
    }

    void arm(const Chain& chain, bool right) {
        if (chain.bones.size() < 3) return;
        const int upper = chain.bones[0];
        const int lower = chain.bones[std::clamp<std::size_t>(chain.lower, 1, chain.bones.size() - 2)];
        const int hand = chain.bones.back();
        const Vec3 upper_direction = (head(lower) - head(upper)).normalized();
        const Vec3 lower_direction = (head(hand) - head(lower)).normalized();
        if (!upper_direction.allFinite() || !lower_direction.allFinite()) return;
        // The middle of all that a shoulder reaches lies forward and out; overhead, hanging, across the
        // chest and behind the back are all about as far from it.
        const Vec3 middle = Vec3(right ? -0.65f : 0.65f, -0.05f, 0.75f).normalized();
        add(upper, upper_direction, Vec3::UnitY(), {even(90), even(105), even(105)}, middle);
        add(lower, lower_direction,
            hinge(lower, {upper_direction, lower_direction, Vec3::UnitZ(), Vec3::Zero()}),
            {even(80), {-5, 150}, even(6)}, upper_direction);
        add(hand, direction(chain, hand), Vec3::UnitZ(), {even(20), even(80), even(30)});
    }

    void leg(const Chain& chain, bool right) {
        if (chain.bones.size() < 3) return;
        const int thigh = chain.bones[0];
        const int shin = chain.bones[std::clamp<std::size_t>(chain.lower, 1, chain.bones.size() - 2)];
        const int foot = chain.bones.back();
        const Vec3 thigh_direction = (head(shin) - head(thigh)).normalized();
        const Vec3 shin_direction = (head(foot) - head(shin)).normalized();
        if (!thigh_direction.allFinite() || !shin_direction.allFinite()) return;
        add(thigh, thigh_direction, Vec3::UnitX(), {even(45), {-120, 30}, mirrored_if(right, {-30, 45})},
            -Vec3::UnitY());
        add(shin, shin_direction,
            hinge(shin, {thigh_direction, shin_direction, -Vec3::UnitZ(), foot_direction(foot)}),
            {even(15), {-5, 140}, even(5)}, thigh_direction);
        // Under weight an ankle bends farther up than the 20 degrees of the tables, which are measured
        // hanging.
        add(foot, direction(chain, foot), Vec3::UnitX(), {even(30), {-38, 50}, even(20)});
    }

    // Where a foot points: from heel to ball, level.
    Vec3 foot_direction(int foot) const {
        for (const Sole& sole : chart_.shape.soles) {
            if (sole.foot != foot) continue;
            Vec3 along = upright_ * (position_of(sole, sole.parts[k_ball], rest_) -
                                     position_of(sole, sole.parts[k_heel], rest_));
            along.y() = 0.0f;
            return along.stableNormalized();
        }
        return Vec3::Zero();
    }

    // A joint of a leg on four, as a hinge from the straight leg. What is clearly bent at rest says which way
    // it goes, but for wrists, which the ground bends back.
    void leg_hinge(const Chain& chain, std::size_t i, const Vec3& toward, const AngleSpan& bend,
                   bool is_wrist = false) {
        const Vec3 above = direction(chain, chain.bones[i - 1]);
        const Vec3 below = direction(chain, chain.bones[i]);
        const Vec3 rest_bend = above.cross(below);
        const bool is_clear =
            !is_wrist && rest_bend.norm() > k_clear_bend && std::abs(rest_bend.normalized().x()) > 0.5f;
        const Vec3 about = is_clear ? rest_bend : Vec3(above.cross(toward));
        add(chain.bones[i], below, about, {even(10), bend, even(6)}, above);
    }

    // Shoulder, elbow, wrist of a foreleg; hip, stifle, hock of a hind leg; what comes after is the paw.
    void other_leg(const Chain& chain) {
        const bool fore = chain.name.starts_with("leg.front");
        const bool hind = chain.name.starts_with("leg.back");
        const std::size_t lower = std::clamp<std::size_t>(chain.lower, 1, chain.bones.size());
        for (std::size_t i = 0; i < chain.bones.size(); ++i) {
            const int bone = chain.bones[i];
            if (i == 0)
                add(bone, direction(chain, bone), Vec3::UnitX(), {even(25), even(70), even(30)});
            else if (!fore && !hind)
                add(bone, direction(chain, bone), Vec3::UnitX(), {even(10), even(80), even(6)});
            else if (i < lower)  // pieces of the thigh or upper arm
                add(bone, direction(chain, bone), Vec3::UnitX(), {even(10), even(15), even(6)});
            else if (i == lower)
                leg_hinge(chain, i, fore ? Vec3::UnitZ() : Vec3(-Vec3::UnitZ()),
                          fore ? AngleSpan{15, 144} : AngleSpan{18, 138});
            else if (i == lower + 1)
                leg_hinge(chain, i, fore ? Vec3(-Vec3::UnitZ()) : Vec3::UnitZ(),
                          fore ? AngleSpan{-16, 148} : AngleSpan{16, 141}, fore);
            else
                add(bone, direction(chain, bone), Vec3::UnitX(), {even(10), even(70), even(6)});
        }
    }

    const Chart& chart_;
    std::span<const Clip> clips_;
    Quat upright_;
    std::vector<Transform> rest_;
    std::vector<JointRange> ranges_;
};

const JointRange* range_for(std::span<const JointRange> ranges, int bone) {
    const auto found =
        std::find_if(ranges.begin(), ranges.end(), [&](const JointRange& r) { return r.bone == bone; });
    return found == ranges.end() ? nullptr : &*found;
}

// The smallest range of these axes that holds all the angles.
void hold(Range& range, std::span<const TurnAngles> angles, float margin) {
    const auto span_of = [&](float TurnAngles::*part) {
        AngleSpan span{1e9f, -1e9f};
        for (const TurnAngles& turn : angles) {
            span.from = std::min(span.from, turn.*part);
            span.to = std::max(span.to, turn.*part);
        }
        return span;
    };
    const auto widened = [&](const AngleSpan& span, float times) {
        const float middle = 0.5f * (span.from + span.to);
        const float half = times * 0.5f * (span.to - span.from) + margin;
        const float most = k_farthest / k_degrees;
        return AngleSpan{std::max(middle - half, -most), std::min(middle + half, most)};
    };
    const AngleSpan bend = span_of(&TurnAngles::bend);
    const AngleSpan side = span_of(&TurnAngles::side);
    range.twist = widened(span_of(&TurnAngles::twist), 1.0f);
    // Corners of the two spans lie outside of the ellipse between them.
    float out = 1.0f;
    for (const TurnAngles& turn : angles) {
        const float x = (2.0f * turn.bend - bend.from - bend.to) / std::max(1e-4f, bend.to - bend.from);
        const float y = (2.0f * turn.side - side.from - side.to) / std::max(1e-4f, side.to - side.from);
        out = std::max(out, std::hypot(x, y));
    }
    range.bend = widened(bend, out);
    range.side = widened(side, out);
}

}  // namespace

// The cone's section is an ellipse: the rest may lie in a corner of the spans and yet outside of it.
Range holding_rest(Range range) {
    range.twist = {std::min(range.twist.from, 0.0f), std::max(range.twist.to, 0.0f)};
    for (int i = 0; i < 20 && overshoot(range, Quat::Identity()) > 0.0f; ++i) {
        for (AngleSpan* span : {&range.bend, &range.side}) {
            const float middle = 0.5f * (span->from + span->to);
            const float half = 0.55f * (span->to - span->from);
            *span = {std::max(middle - half, -k_farthest / k_degrees),
                     std::min(middle + half, k_farthest / k_degrees)};
        }
    }
    return range;
}

std::vector<JointRange> usual_ranges(const Chart& chart, std::span<const Clip> clips) {
    return RangeFinder(chart, clips).find();
}

std::vector<JointRange> learned_ranges(const Chart& chart, std::span<const Clip> clips, float margin) {
    const std::vector<JointRange> usual = usual_ranges(chart, clips);
    std::vector<JointRange> learned;
    for (const Chain& chain : chart.chains) {
        for (const int bone : chain.bones) {
            const JointRange* known = range_for(usual, bone);
            JointRange joint{
                bone, known != nullptr ? known->range : range_of(chart, bone, {}, {}, {}, Vec3::Zero())};
            const JointFrame frame = joint_frame(chart, bone);
            std::vector<TurnAngles> angles{{}};  // the rest is always within
            for (const Clip& clip : clips) {
                for (std::size_t f = 0; f < clip.frame_count(); ++f) {
                    const Quat& local = clip.frame(f)[static_cast<std::size_t>(bone)].rotation;
                    angles.push_back(turn_angles(joint.range, frame.turn(local)));
                }
            }
            hold(joint.range, angles, margin);
            learned.push_back(joint);
        }
    }
    return learned;
}

std::vector<JointRange> ranges_in_force(const Chart& chart, std::span<const Clip> clips) {
    std::vector<JointRange> ranges = chart.ranges;
    for (const JointRange& usual : usual_ranges(chart, clips)) {
        if (range_for(chart.ranges, usual.bone) == nullptr) ranges.push_back(usual);
    }
    return ranges;
}

}  // namespace dendraxis
