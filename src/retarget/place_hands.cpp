// Hands where the source's are: on the body, together, or moved by hand. What a hand touches
// and whether two hands hold one thing is seen on the source; corrections are eased in and out around those
// frames.
#include "clear_arms.hpp"
#include "smoothing.hpp"

#include <dendraxis/chart/contacts.hpp>

namespace dendraxis::detail {
namespace {

constexpr float k_shortest_seconds = 0.3f;  // a grip that lasts less is passing by
constexpr float k_touch_seconds = 0.5f;     // a touch: the end of a swing looks like one for a while
constexpr float k_ease_seconds = 0.25f;
constexpr float k_near_share = 0.75f;  // of the arm's length: hands farther apart hold no one thing
constexpr float k_grip_drift = 0.15f;  // of the arm's length a second: how fast held hands may part
constexpr float k_touch_gap = 0.012f;  // of the height, from the surface
constexpr float k_touch_depth = 0.020f;
constexpr float k_touch_drift = 0.05f;  // of the height a second, along the surface

constexpr float k_asked_for = 100.0f;
constexpr float k_easy_reach = 0.95f;  // of the arm's length: nearer to straight, elbows turn fast

// 1 within the spans, easing to 0 around them.
std::vector<float> eased_around(std::size_t frames, const std::vector<FrameSpan>& spans, float ease) {
    std::vector<float> weights(frames, 0.0f);
    for (std::size_t f = 0; f < frames; ++f) {
        for (const FrameSpan& span : spans) {
            const float before = f < span.first ? static_cast<float>(span.first - f) : 0.0f;
            const float after = f > span.last ? static_cast<float>(f - span.last) : 0.0f;
            weights[f] =
                std::max(weights[f], smoother_step(1.0f - std::max(before, after) / std::max(1.0f, ease)));
        }
    }
    return weights;
}

// The source's arms through the clip.
struct SourceArm {
    std::vector<Vec3> palm;
    std::vector<int> solid;                  // the nearest one
    std::vector<NearestOnCapsule> position;  // on it, seen from the palm's middle
    std::vector<Vec3> in_solid;              // the palm in its frame
};

std::vector<SourceArm> follow_source(const PassRun& run) {
    const Chart& source = run.plan.pairing.source;
    std::vector<SourceArm> arms(run.plan.arms.size());
    for (std::size_t f = 0; f < run.frames(); ++f) {
        const std::span<const Transform> model = run.source_pose(f);
        for (std::size_t i = 0; i < arms.size(); ++i) {
            const LimbPlan& plan = run.plan.arms[i];
            const ArmShape* shape = run.plan.source_arm(plan);
            if (shape == nullptr) continue;
            const Vec3 palm = position_of(shape->palm(), model);
            int solid = -1;
            NearestOnCapsule best{1e30f, Vec3::UnitY(), 0.0f, 0.0f};
            for (std::size_t s = 0; s < source.shape.solids.size(); ++s) {
                if (run.plan.solid_of[s] < 0) continue;
                const Solid& candidate = source.shape.solids[s];
                const auto nearest = nearest_on(
                    placed(candidate.capsule, model[static_cast<std::size_t>(candidate.bone)]), palm);
                if (nearest.gap >= best.gap) continue;
                best = nearest;
                solid = static_cast<int>(s);
            }
            arms[i].palm.push_back(palm);
            arms[i].solid.push_back(solid);
            arms[i].position.push_back(best);
            const Transform frame = solid < 0
                                        ? Transform{}
                                        : model[static_cast<std::size_t>(
                                              source.shape.solids[static_cast<std::size_t>(solid)].bone)];
            arms[i].in_solid.push_back(frame.rotation.conjugate() * (palm - frame.translation));
        }
    }
    return arms;
}

// Frames in which the palm lies on one and the same solid.
std::vector<FrameSpan> touches(const PassRun& run, std::size_t arm, const SourceArm& track) {
    const Chart& source = run.plan.pairing.source;
    const float radius = run.plan.source_arm(run.plan.arms[arm])->palm().radius;
    const auto touching = [&](std::size_t f) {
        const float gap = track.position[f].gap - radius;
        if (track.solid[f] < 0 || gap > k_touch_gap * source.height || gap < -k_touch_depth * source.height)
            return false;
        const std::size_t other = f + 1 < track.palm.size() ? f + 1 : f - 1;
        if (track.palm.size() < 2) return true;
        const float drift = (track.in_solid[other] - track.in_solid[f]).norm() * run.result.fps;
        return track.solid[other] != track.solid[f] || drift < k_touch_drift * source.height;
    };
    return spans_where(run.frames(), touching,
                       static_cast<std::size_t>(std::max(1.0f, run.frames_in(k_touch_seconds))));
}

void move_palm(PassRun& run, std::size_t frame, const LimbPlan& plan, const Vec3& by) {
    const LimbJoints joints = plan.target.joints(run.model);
    TwoBoneOptions options;
    options.soft_from = 0.99f;
    plan.target.turn(run.skeleton(), solve_two_bone(joints, joints.end + by, options), joints.root, run.model,
                     run.result.frame(frame));
}

Vec3 palm_of(const PassRun& run, std::size_t arm) {
    return position_of(run.plan.target_arm(run.plan.arms[arm]).palm(), run.model);
}

// Where the source's palm is, seen from one solid of its body.
NearestOnCapsule place_on_solid(const PassRun& run, std::size_t arm, std::size_t frame, int solid) {
    const Chart& source = run.plan.pairing.source;
    const std::span<const Transform> model = run.source_pose(frame);
    const Solid& body = source.shape.solids[static_cast<std::size_t>(solid)];
    const Vec3 palm = position_of(run.plan.source_arm(run.plan.arms[arm])->palm(), model);
    return nearest_on(placed(body.capsule, model[static_cast<std::size_t>(body.bone)]), palm);
}

// Where the palm belongs on the target's body for it to lie as the source's does.
Vec3 place_on_body(const PassRun& run, std::size_t arm, const NearestOnCapsule& position, int solid) {
    const Chart& target = run.plan.pairing.target;
    const LimbPlan& plan = run.plan.arms[arm];
    const int answer = run.plan.solid_of[static_cast<std::size_t>(solid)];
    const Solid& own = target.shape.solids[static_cast<std::size_t>(answer)];
    const Capsule capsule = placed(own.capsule, run.model[static_cast<std::size_t>(own.bone)]);
    const float source_radius = run.plan.source_arm(plan)->palm().radius;
    const float target_radius = run.plan.target_arm(plan).palm().radius;
    // The two capsules' frames may be turned against each other; what counts is how the bodies stand.
    const Vec3 normal = run.plan.to_target * position.normal;
    const float gap = run.plan.leg_ratio * (position.gap - source_radius);
    const float wanted = target_radius + gap;
    Vec3 palm = capsule.center + position.along_share * capsule.along +
                position.across_share * capsule.across + normal * (capsule.radius + wanted);
    // The source's normal is seldom square to the target's solid: brought to the right distance from it.
    for (int i = 0; i < 2; ++i) {
        const NearestOnCapsule nearest = nearest_on(capsule, palm);
        palm += (wanted - nearest.gap) * nearest.normal;
    }
    return palm;
}

int main_solid(const SourceArm& track, const FrameSpan& span) {
    return track.solid[(span.first + span.last) / 2];
}

// In each frame of a touch, how far the target's palm is from where it belongs.
std::vector<Vec3> moves_onto_body(PassRun& run, std::size_t arm, const FrameSpan& span, int solid) {
    std::vector<Vec3> moves;
    for (std::size_t f = span.first; f <= span.last; ++f) {
        run.pose(f);
        const NearestOnCapsule position = place_on_solid(run, arm, f, solid);
        moves.push_back(place_on_body(run, arm, position, solid) - palm_of(run, arm));
    }
    return moves;
}

std::vector<FrameSpan> grips(const PassRun& run, const SourceArm& left, const SourceArm& right,
                             float arm_length) {
    const auto apart = [&](std::size_t f) { return (left.palm[f] - right.palm[f]).norm(); };
    const auto held = [&](std::size_t f) {
        if (apart(f) > k_near_share * arm_length) return false;
        const std::size_t a = f > 0 ? f - 1 : f;
        const std::size_t b = f + 1 < run.frames() ? f + 1 : f;
        if (a == b) return true;
        const float drift = std::abs(apart(b) - apart(a)) * run.result.fps / static_cast<float>(b - a);
        return drift < k_grip_drift * arm_length;
    };
    return spans_where(run.frames(), held,
                       static_cast<std::size_t>(std::max(1.0f, run.frames_in(k_shortest_seconds))));
}

// The arm that is the other side's of the same kind: `arm.left` and `arm.right`.
int other_side(const std::vector<LimbPlan>& arms, std::size_t index) {
    const std::string& name = arms[index].chain;
    if (!name.ends_with(".left")) return -1;
    const std::string wanted = name.substr(0, name.size() - 4) + "right";
    for (std::size_t i = 0; i < arms.size(); ++i) {
        if (arms[i].chain == wanted) return static_cast<int>(i);
    }
    return -1;
}

// How far a palm's wish lies beyond what the arm reaches, as a movement back toward the shoulder.
Vec3 beyond_reach(const PassRun& run, const LimbPlan& plan, const Vec3& by) {
    const LimbJoints joints = plan.target.joints(run.model);
    const Vec3 direction = joints.end + by - joints.root;
    const float reach = std::max(k_easy_reach * plan.target_length, (joints.end - joints.root).norm());
    const float excess = direction.norm() - reach;
    return excess > 0.0f ? Vec3(direction.normalized() * excess) : Vec3(Vec3::Zero());
}

// Two hands on one thing. What turns one of them out of the body moves both.
class HandHolder {
 public:
    HandHolder(PassRun& run, const std::vector<SourceArm>& source, std::size_t left, std::size_t right,
               const std::vector<FrameSpan>& spans)
        : run_(run),
          left_(left),
          right_(right),
          weights_(eased_around(run.frames(), spans, run.frames_in(k_ease_seconds))),
          push_(run.frames(), Vec3::Zero()) {
        for (std::size_t f = 0; f < run.frames(); ++f) {
            apart_.push_back(run.plan.arm_ratio *
                             (run.plan.to_target * Vec3(source[right].palm[f] - source[left].palm[f])));
        }
        middle_ = middles();
    }

    /// Returns how much nearer both hands are to where they belong, summed over the frames.
    float hold(ArmClearer* clearer) {
        const float apart = apart_by();
        for (int round = 0; round < k_rounds && clearer != nullptr; ++round) {
            bring(clearer);
            const std::vector<Vec3> before = middles();
            if (!clearer->clear()) break;
            const std::vector<Vec3> after = middles();
            // Both middles together moved by half of what either hand did.
            for (std::size_t f = 0; f < push_.size(); ++f)
                push_[f] += 2.0f * weights_[f] * (after[f] - before[f]);
        }
        bring(clearer);
        if (clearer != nullptr) clearer->clear();
        return apart - apart_by();
    }

 private:
    static constexpr int k_rounds = 6;

    float apart_by() {
        float sum = 0.0f;
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            if (weights_[f] == 0.0f) continue;
            run_.pose(f);
            sum += weights_[f] * (palm_of(run_, right_) - palm_of(run_, left_) - apart_[f]).norm();
        }
        return sum;
    }

    std::vector<Vec3> middles() {
        std::vector<Vec3> result(run_.frames(), Vec3::Zero());
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            if (weights_[f] == 0.0f) continue;
            run_.pose(f);
            result[f] = 0.5f * (palm_of(run_, left_) + palm_of(run_, right_));
        }
        return result;
    }

    std::pair<Vec3, Vec3> wishes(std::size_t f) const {
        const Vec3 middle = middle_[f] + push_[f];
        return {weights_[f] * (middle - 0.5f * apart_[f] - palm_of(run_, left_)),
                weights_[f] * (middle + 0.5f * apart_[f] - palm_of(run_, right_))};
    }

    void bring(ArmClearer* clearer) {
        const LimbPlan& left_arm = run_.plan.arms[left_];
        const LimbPlan& right_arm = run_.plan.arms[right_];
        // Where one hand does not get there, both come nearer.
        std::vector<Vec3> back(run_.frames(), Vec3::Zero());
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            if (weights_[f] == 0.0f) continue;
            run_.pose(f);
            const auto [left, right] = wishes(f);
            back[f] =
                -weights_[f] * (beyond_reach(run_, left_arm, left) + beyond_reach(run_, right_arm, right));
        }
        back = smoothed(back, run_.frames_in(0.1f));
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            if (weights_[f] == 0.0f) continue;
            run_.pose(f);
            const auto [left, right] = wishes(f);
            move_palm(run_, f, left_arm, left + back[f]);
            move_palm(run_, f, right_arm, right + back[f]);
            if (clearer != nullptr) clearer->moved(f);
        }
    }

    PassRun& run_;
    std::size_t left_;
    std::size_t right_;
    std::vector<float> weights_;
    std::vector<Vec3> apart_;   // from the left palm to the right one
    std::vector<Vec3> middle_;  // between the palms before
    std::vector<Vec3> push_;
};

}  // namespace

float place_hands(PassRun& run) {
    const PassPlan& plan = run.plan;
    if (plan.arms.empty() || run.frames() == 0) return 0.0f;
    float moved = 0.0f;
    const std::vector<SourceArm> source = follow_source(run);
    const float ease = run.frames_in(k_ease_seconds);
    for (std::size_t i = 0; i < plan.arms.size(); ++i) {
        const LimbPlan& arm = plan.arms[i];
        const std::vector<FrameSpan> spans = plan.pairing.settings.hands && plan.source_arm(arm) != nullptr
                                                 ? touches(run, i, source[i])
                                                 : std::vector<FrameSpan>{};
        if (spans.empty() && arm.offset.isZero()) continue;
        std::vector<std::vector<float>> weights;
        std::vector<std::vector<Vec3>> moves;
        for (const FrameSpan& span : spans) {
            weights.push_back(eased_around(run.frames(), {span}, ease));
            moves.push_back(moves_onto_body(run, i, span, main_solid(source[i], span)));
        }
        for (std::size_t f = 0; f < run.frames(); ++f) {
            run.pose(f);
            Vec3 by = Vec3::Zero();
            // Around a touch the hand is moved as much as at its first or last frame, less and less.
            for (std::size_t s = 0; s < spans.size(); ++s) {
                const std::size_t at = std::clamp(f, spans[s].first, spans[s].last) - spans[s].first;
                by += weights[s][f] * (moves[s][at] - by);
            }
            // What a person asks for is worth whatever it costs.
            moved += by.norm() / arm.target_length + (arm.offset.isZero() ? 0.0f : k_asked_for);
            move_palm(run, f, arm, by + arm.offset);
        }
    }
    return moved / static_cast<float>(plan.arms.size() * run.frames());
}

float keep_hands_together(PassRun& run, ArmClearer* clearer) {
    const PassPlan& plan = run.plan;
    if (plan.arms.size() < 2 || run.frames() == 0) return 0.0f;
    float moved = 0.0f;
    const std::vector<SourceArm> source = follow_source(run);
    for (std::size_t i = 0; i < plan.arms.size(); ++i) {
        const int j = other_side(plan.arms, i);
        if (j < 0) continue;
        const auto other = static_cast<std::size_t>(j);
        if (plan.source_arm(plan.arms[i]) == nullptr || plan.source_arm(plan.arms[other]) == nullptr)
            continue;
        const float arm_length = 0.5f * (plan.arms[i].source_length + plan.arms[other].source_length);
        const std::vector<FrameSpan> spans = grips(run, source[i], source[other], arm_length);
        if (!spans.empty())
            moved += HandHolder(run, source, i, other, spans).hold(clearer) / plan.arms[i].target_length;
    }
    return moved / static_cast<float>(plan.arms.size() * run.frames());
}

}  // namespace dendraxis::detail
