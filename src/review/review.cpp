#include "body_measures.hpp"
#include "joint_error.hpp"
#include "joint_gap.hpp"
#include "limb_measures.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/chart/floor.hpp>
#include <dendraxis/chart/joint_turn.hpp>
#include <dendraxis/chart/loop.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/retarget/matched_stance.hpp>
#include <dendraxis/retarget/root_motion.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_pop_factor = 3.0f;
constexpr float k_seen = 0.25f;  // of what the source's foot slides: so much more or less shows

class Reviewer {
 public:
    Reviewer(const Pairing& pairing, const Clip& source, const Clip& result)
        : pairing_(pairing),
          as_it_is_(follows_exactly(pairing) || is_on_floor(pairing.source, source)),
          moved_(as_it_is_ ? Clip() : on_floor(pairing.source, source)),
          source_(as_it_is_ ? source : moved_),
          result_(result),
          to_target_(source_to_target(pairing)),
          leg_ratio_(leg_ratio(pairing)),
          leg_length_(leg_length(pairing.target)),
          millimetres_(1e3f * metres_in_unit(pairing.target)),
          source_model_(source.transforms.size()),
          model_(result.transforms.size()) {
        to_model_space(pairing.source.skeleton, source_.transforms, source_model_);
        to_model_space(pairing.target.skeleton, result.transforms, model_);
    }

    ClipReview measure() {
        ClipReview review{result_.name, result_.frame_count(), result_.fps, {}};
        for (const Measure& feet : feet_measures()) review.measures.push_back(feet);
        const BodyTree source_body(pairing_.source);
        const BodyTree target_body(pairing_.target);
        const detail::TwoClips clips{pairing_, source_body, target_body, source_model_, model_, frames()};
        const detail::LimbMeasures limbs(clips);
        review.measures.push_back(limbs.reach());
        review.measures.push_back(limbs.direction());
        review.measures.push_back(detail::clipping(clips));
        review.measures.push_back(detail::body_depth(clips));
        review.measures.push_back(pops());
        review.measures.push_back(limbs.bend_flips());
        review.measures.push_back(range_overshoot());
        review.measures.push_back(root_motion_error());
        review.measures.push_back(trunk_error());
        review.measures.push_back(hips_height());
        review.measures.push_back(detail::joint_gap(clips));
        review.measures.push_back(loop_opening());
        review.measures.push_back(detail::joint_error(pairing_, source_, source_model_, model_));
        return review;
    }

 private:
    std::size_t frames() const { return result_.frame_count(); }
    std::span<const Transform> source_at(std::size_t f) const {
        return std::span(source_model_).subspan(f * source_.bone_count, source_.bone_count);
    }
    std::span<const Transform> at(std::size_t f) const {
        return std::span(model_).subspan(f * result_.bone_count, result_.bone_count);
    }
    Vec3 source_head(std::size_t f, int bone) const {
        return source_at(f)[static_cast<std::size_t>(bone)].translation;
    }
    Vec3 head(std::size_t f, int bone) const { return at(f)[static_cast<std::size_t>(bone)].translation; }
    Vec3 over_floor(const Vec3& v) const { return v - v.dot(pairing_.target.up) * pairing_.target.up; }

    std::vector<Measure> feet_measures() const {
        Measure slide{"foot_slide_mm", 0.0f, -1, ""};
        Measure depth{"ground_depth_mm", 0.0f, -1, ""};
        Measure hang{"float_mm", 0.0f, -1, ""};
        const std::vector<FootTrack> feet = track_feet(pairing_.source, source_, pairing_.settings.contacts);
        const std::vector<Vec3> shift = root_motion_shift_of_floor();
        // Of a body without knees one foot that stands is enough: the other may not reach.
        const bool each_stands = legs_bend(pairing_.target);
        std::vector<Measure> nearest(frames(), {"", 1e30f, -1, ""});
        for (const Sole& sole : pairing_.target.shape.soles) {
            const ChainPair* entry = pairing_.entry_of(*pairing_.target.find(sole.leg));
            const auto foot = std::find_if(feet.begin(), feet.end(), [&](const FootTrack& track) {
                return entry != nullptr && track.leg == entry->source;
            });
            if (foot == feet.end()) continue;
            for (std::size_t f = 0; f < frames(); ++f) {
                const float lowest = lowest_of(sole, at(f), pairing_.target.up) - pairing_.target.floor;
                const float allowed = leg_ratio_ * std::max(0.0f, -foot->height[f]);
                detail::keep_worst(depth, (-lowest - allowed) * millimetres_, f, sole.leg);
                if (!foot->stands(f) || foot->level[f] > 0.0f) continue;
                const float own = leg_ratio_ * std::max(0.0f, foot->height[f]);
                const float over = (lowest - own) * millimetres_;
                if (each_stands) detail::keep_worst(hang, over, f, sole.leg);
                if (over < nearest[f].value) nearest[f] = {"", over, static_cast<int>(f), sole.leg};
            }
            for (std::size_t p = 0; p < k_foot_parts; ++p) add_slide(slide, sole, *foot, p, shift);
        }
        for (std::size_t f = 0; f < frames() && !each_stands; ++f) {
            if (nearest[f].frame >= 0) detail::keep_worst(hang, nearest[f].value, f, nearest[f].where);
        }
        return {slide, depth, hang};
    }

    // Where the floor runs under the character, planted feet run with it.
    std::vector<Vec3> root_motion_shift_of_floor() const {
        if (pairing_.settings.root_motion_of(source_.name) != RootMotion::in_place)
            return std::vector<Vec3>(frames(), Vec3::Zero());
        return root_motion_shift(pairing_, source_, leg_ratio_);
    }

    // What a part of a foot strays beyond the source's. Where that one slides itself, as in captures, a share
    // of it does not show.
    void add_slide(Measure& slide, const Sole& sole, const FootTrack& foot, std::size_t part,
                   const std::vector<Vec3>& shift) const {
        // Of the parts that are to stand, one that the target's foot lifts over another, having no joint
        // where the source's bends, does not slide.
        const auto rests = [&](std::size_t f) {
            if (!foot.planted[f][part]) return false;
            const auto height = [&](std::size_t p) {
                return position_of(sole, sole.parts[p], at(f)).dot(pairing_.target.up);
            };
            float lowest = height(part);
            for (std::size_t p = 0; p < k_foot_parts; ++p) {
                if (foot.planted[f][p]) lowest = std::min(lowest, height(p));
            }
            return height(part) - lowest < ContactLimits{}.leave_tilt * leg_length_;
        };
        for (const FrameSpan& span : spans_where(frames(), rests)) {
            const Vec3 start = position_of(sole, sole.parts[part], at(span.first));
            const auto own = [&](std::size_t f) {
                const Vec3 moved = foot.parts[f][part] - foot.parts[span.first][part];
                return over_floor(leg_ratio_ * (to_target_ * moved));
            };
            const Vec3 step =
                own(span.last) / static_cast<float>(std::max<std::size_t>(1, span.last - span.first));
            float slides = 0.0f;  // the source's own, beside a straight way as a running floor's is
            for (std::size_t f = span.first; f <= span.last; ++f)
                slides = std::max(slides, (own(f) - static_cast<float>(f - span.first) * step).norm());
            for (std::size_t f = span.first; f <= span.last; ++f) {
                const Vec3 strayed = position_of(sole, sole.parts[part], at(f)) - start;
                const Vec3 beyond = over_floor(strayed - (shift[f] - shift[span.first])) - own(f);
                detail::keep_worst(slide, (beyond.norm() - k_seen * slides) * millimetres_, f, sole.leg);
            }
        }
    }

    // Radians a second squared, of a joint's local rotation.
    static float acceleration(const Clip& clip, std::size_t frame, int bone) {
        const auto b = static_cast<std::size_t>(bone);
        const auto between = [&](std::size_t f) {
            return rotation_vector(clip.frame(f)[b].rotation.conjugate() * clip.frame(f + 1)[b].rotation);
        };
        return (between(frame) - between(frame - 1)).norm() * clip.fps * clip.fps;
    }

    Measure pops() const {
        Measure pops{"pops", 0.0f, -1, ""};
        float most = 0.0f;
        for (const ChainPair& entry : pairing_.chains) {
            const Chain* chain = pairing_.source.find(entry.source);
            for (std::size_t f = 1; chain != nullptr && f + 1 < frames(); ++f) {
                for (const int bone : chain->bones) most = std::max(most, acceleration(source_, f, bone));
            }
        }
        // A source that hardly moves is no measure for what can be seen.
        const float limit = k_pop_factor * std::max(most, 20.0f / k_degrees);
        float worst_of_all = 0.0f;
        for (std::size_t f = 1; f + 1 < frames(); ++f) {
            bool popped = false;
            for (const ChainPair& entry : pairing_.chains) {
                for (const int bone : pairing_.target.find(entry.target)->bones) {
                    const float value = acceleration(result_, f, bone);
                    popped = popped || value > limit;
                    if (value <= worst_of_all) continue;
                    worst_of_all = value;
                    pops.frame = static_cast<int>(f);
                    pops.where = pairing_.target.skeleton.bone(bone).label;
                }
            }
            pops.value += popped ? 1.0f : 0.0f;
        }
        return pops;
    }

    Measure range_overshoot() const {
        Measure over{"range_overshoot_deg", 0.0f, -1, ""};
        const std::vector<JointFrame> joints = joint_frames(pairing_.target);
        for (std::size_t i = 0; i < joints.size(); ++i) {
            const JointRange& limit = pairing_.target.ranges[i];
            for (std::size_t f = 0; f < frames(); ++f) {
                const Quat& local = result_.frame(f)[static_cast<std::size_t>(limit.bone)].rotation;
                detail::keep_worst(over, overshoot(limit.range, joints[i].turn(local)) * k_degrees, f,
                                   pairing_.target.skeleton.bone(limit.bone).label);
            }
        }
        return over;
    }

    Measure root_motion_error() const {
        Measure root_motion{"root_motion_error_pct", 0.0f, -1, ""};
        const std::vector<Vec3> shift = root_motion_shift(pairing_, source_, leg_ratio_);
        const bool by_legs = !hips_answer(pairing_);
        const auto body = [&](const Chart& chart, std::span<const Transform> model) -> Vec3 {
            return by_legs ? legs_middle(chart, model)
                           : model[static_cast<std::size_t>(chart.hips)].translation;
        };
        const auto wanted = [&](std::size_t f) {
            const Vec3 moved = body(pairing_.source, source_at(f)) - body(pairing_.source, source_at(0));
            return over_floor(leg_ratio_ * (to_target_ * moved) + shift[f]);
        };
        float distance = 0.0f;
        for (std::size_t f = 1; f < frames(); ++f) distance = std::max(distance, wanted(f).norm());
        distance = std::max({distance, leg_length(pairing_.target), 1e-6f});
        for (std::size_t f = 0; f < frames(); ++f) {
            const Vec3 moved = over_floor(body(pairing_.target, at(f)) - body(pairing_.target, at(0)));
            detail::keep_worst(root_motion, 100.0f * (moved - wanted(f)).norm() / distance, f,
                               pairing_.target.skeleton.bone(pairing_.target.hips).label);
        }
        return root_motion;
    }

    Measure trunk_error() const {
        Measure trunk{"trunk_error_deg", 0.0f, -1, ""};
        const Chain* head_chain = pairing_.target.find("head");
        const Chain* answer = head_chain == nullptr ? nullptr : pairing_.source_of(*head_chain);
        if (answer == nullptr) return trunk;
        for (std::size_t f = 0; f < frames(); ++f) {
            const Vec3 own = head(f, head_chain->bones.front()) - head(f, pairing_.target.hips);
            const Vec3 theirs = to_target_ * Vec3(source_head(f, answer->bones.front()) -
                                                  source_head(f, pairing_.source.hips));
            const float off = std::atan2(own.cross(theirs).norm(), own.dot(theirs));
            detail::keep_worst(trunk, off * k_degrees, f,
                               pairing_.target.skeleton.bone(head_chain->bones.front()).label);
        }
        return trunk;
    }

    // How far the legs' roots are above where they are at rest, both from the floor.
    static float risen(const Chart& chart, std::string_view legs, std::span<const Transform> rest,
                       std::span<const Transform> now) {
        return (legs_middle(chart, now, legs) - legs_middle(chart, rest, legs)).dot(chart.up) - chart.floor +
               chart.rest_floor;
    }

    Measure hips_height() const {
        Measure height{"hips_height_pct", 0.0f, -1, ""};
        const std::string_view own_legs = answering_legs(pairing_.target, pairing_.source);
        const std::string_view its_legs = answering_legs(pairing_.source, pairing_.target);
        const float leg = leg_length(pairing_.target, own_legs);
        if (leg < 1e-6f || leg_length(pairing_.source, its_legs) < 1e-6f) return height;
        const std::vector<Transform> rest = rest_in_model_space(pairing_.target.skeleton);
        const std::vector<Transform> source_rest = rest_in_model_space(pairing_.source.skeleton);
        // Legs bent at rest that stand as the source's are longer. Of unlike legs nobody can say how they
        // would stand at rest: they may as well be as high as theirs by what both rise from rest.
        const float drop = match_stance(pairing_).hips_drop;
        for (std::size_t f = 0; f < frames(); ++f) {
            const float beyond = risen(pairing_.target, own_legs, rest, at(f)) -
                                 leg_ratio_ * risen(pairing_.source, its_legs, source_rest, source_at(f));
            const float off = std::min(std::abs(beyond), std::abs(beyond + drop));
            detail::keep_worst(height, 100.0f * off / leg, f,
                               pairing_.target.skeleton.bone(pairing_.target.hips).label);
        }
        return height;
    }

    Measure loop_opening() const {
        Measure gap{"loop_gap_pct", 0.0f, -1, ""};
        const auto loop = find_loop(pairing_.source, source_);
        if (!loop || !loop->closes(source_)) return gap;
        const LoopGap own = loop_gap(pairing_.target, result_);
        if (own.bone == k_no_bone) return gap;
        detail::keep_worst(gap, 100.0f * own.distance / std::max(pairing_.target.height, 1e-6f), frames() - 1,
                           pairing_.target.skeleton.bone(own.bone).label);
        return gap;
    }

    const Pairing& pairing_;
    bool as_it_is_;
    Clip moved_;
    const Clip& source_;
    const Clip& result_;
    Quat to_target_;
    float leg_ratio_;
    float leg_length_;   // of the target
    float millimetres_;  // in a unit of the target
    std::vector<Transform> source_model_;
    std::vector<Transform> model_;
};

void check(const Pairing& pairing, const Clip& source, const Clip& result) {
    if (source.bone_count != pairing.source.skeleton.size())
        throw Error(source.name, "is no clip of the source character", "",
                    "review the clip that was retargeted");
    if (result.bone_count != pairing.target.skeleton.size())
        throw Error(result.name, "is no clip of the target character", "",
                    "name the file that `retarget` wrote");
    if (source.frame_count() != result.frame_count()) {
        throw Error(result.name,
                    fmt::format("has {} frames, its source {}", result.frame_count(), source.frame_count()),
                    "", "retarget it again, or give --fps as it was retargeted");
    }
    require_hips(pairing.source);
    require_hips(pairing.target);
    if (source.frame_count() == 0) throw Error(source.name, "has no frames");
}

}  // namespace

const Measure& ClipReview::operator[](std::string_view name) const {
    const auto found =
        std::find_if(measures.begin(), measures.end(), [name](const Measure& m) { return m.name == name; });
    if (found == measures.end()) throw Error(clip, "has no measure '" + std::string(name) + "'");
    return *found;
}

ClipReview review_clip(const Pairing& pairing, const Clip& source, const Clip& result) {
    check(pairing, source, result);
    return Reviewer(pairing, source, result).measure();
}

}  // namespace dendraxis
