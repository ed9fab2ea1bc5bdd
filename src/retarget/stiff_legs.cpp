// Own method. Legs without knees cannot bend as the source's do: where the source crouches the body stays up
// instead, so high that the lowest foot is where the source's is. In the air the body follows the source, but
// no foot goes through the floor. As such a leg keeps its length, a foot that stands would slide; the leg
// turns instead.
#include "foot_steps.hpp"
#include "smoothing.hpp"
#include "standing.hpp"

namespace dendraxis::detail {
namespace {

constexpr float k_least_fault = 0.005f;  // of the leg's length: what no one sees
constexpr float k_unseen_rise = 0.001f;  // likewise
constexpr float k_body_noise_seconds = 0.05f;
constexpr float k_usual_stop = 8.5f;      // heights a second squared: how hard a step stops a body
constexpr float k_stop_seconds = 0.3f;    // the longest such stop
constexpr float k_step_seconds = 0.033f;  // over which the source's stops are measured, to pass over noise
constexpr int k_rounds = 3;               // a sole that is turned with its leg rolls a little otherwise
constexpr float k_most_aside = 0.9f;      // of the leg's length
constexpr float k_hangs = 0.35f;          // of the leg's length: a foot less far below its hip is lifted
constexpr float k_lift_seconds = 0.4f;    // in which a leg that stood may turn freely again

// How far the body must come up, a frame.
struct Rise {
    float standing = 0.0f;  // for the feet that stand
    float least = 0.0f;     // for no foot to be below what the source's is
    bool stands = false;
    float hips = 0.0f;  // how high they are before
};

class StiffWalker {
 public:
    explicit StiffWalker(PassRun& run)
        : run_(run),
          target_(run.plan.pairing.target),
          feet_(track_feet(run.plan.pairing.source, run.source, run.contacts)) {}

    void run() {
        for (const LimbPlan& leg : run_.plan.stiff_legs) length_ = std::max(length_, leg.target_length);
        std::vector<Rise> rises;
        float worst = 0.0f;
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            rises.push_back(rise(f));
            worst = std::max({worst, rises.back().least, std::abs(rises.back().standing)});
        }
        if (worst > k_least_fault * length_) lift(shifts(rises));
    }

 private:
    Rise rise(std::size_t frame) {
        run_.pose(frame);
        Rise result;
        result.hips = run_.model[static_cast<std::size_t>(target_.hips)].translation.dot(target_.up);
        float highest = -1e30f;
        for (const LimbPlan& leg : run_.plan.stiff_legs) {
            const FootTrack& foot = feet_[static_cast<std::size_t>(leg.source_shape)];
            const Sole& sole = run_.plan.target_sole(leg);
            const float height = lowest_of(sole, run_.model, target_.up) - target_.floor;
            const float wanted = run_.plan.leg_ratio * foot.height[frame];
            result.least = std::max(result.least, std::min(wanted, 0.0f) - height);
            if (!foot.stands(frame)) continue;
            result.stands = true;
            highest = std::max(highest, wanted - height);
        }
        if (result.stands) result.standing = highest;
        return result;
    }

    // From contact to contact, never too low, and never stopped harder than a body stops itself.
    std::vector<float> shifts(const std::vector<Rise>& rises) const {
        std::vector<float> shift(rises.size());
        for (std::size_t f = 0; f < rises.size(); ++f) shift[f] = rises[f].standing;
        fill_gaps(
            shift, [&](std::size_t f) { return rises[f].stands; }, 0.0f);
        for (std::size_t f = 0; f < rises.size(); ++f) shift[f] = std::max(shift[f], rises[f].least);
        for (std::size_t f = 0; f < rises.size(); ++f) shift[f] += rises[f].hips;
        shift = closed(shift, hardest_stop(), static_cast<int>(std::lround(run_.frames_in(k_stop_seconds))));
        for (std::size_t f = 0; f < rises.size(); ++f) shift[f] -= rises[f].hips;
        const float unseen = k_unseen_rise * length_;
        shift = calmed(shift, run_.frames_in(k_body_noise_seconds), unseen);
        for (std::size_t f = 0; f < rises.size(); ++f) shift[f] = std::max(shift[f], rises[f].least - unseen);
        return shift;
    }

    // Second difference of the hips' height from frame to frame.
    float hardest_stop() const {
        const Chart& source = run_.plan.pairing.source;
        const auto height = [&](std::size_t f) {
            return run_.source_pose(f)[static_cast<std::size_t>(source.hips)].translation.dot(source.up);
        };
        const auto step = static_cast<std::size_t>(std::max(1L, std::lround(run_.frames_in(k_step_seconds))));
        float hardest = 0.0f;
        for (std::size_t f = step; f + step < run_.frames(); ++f)
            hardest = std::max(hardest, height(f - step) - 2.0f * height(f) + height(f + step));
        const float usual = k_usual_stop * target_.height / (run_.result.fps * run_.result.fps);
        return std::max(usual, run_.plan.leg_ratio * hardest / static_cast<float>(step * step));
    }

    void lift(const std::vector<float>& shift) {
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            run_.pose(f);
            raise_hips(run_, f, shift[f]);
        }
    }

    PassRun& run_;
    const Chart& target_;
    std::vector<FootTrack> feet_;
    float length_ = 0.0f;  // of the longest leg
};

// How much a foot stands in each frame.
std::vector<float> how_it_stands(const PassRun& run, const FootTrack& foot) {
    std::vector<float> on(run.frames());
    for (std::size_t f = 0; f < run.frames(); ++f) on[f] = foot.stands(f) ? 1.0f : 0.0f;
    on = rounded_up(on, static_cast<int>(std::lround(run.frames_in(k_lift_seconds))));
    for (float& value : on) value = std::min(1.0f, value);
    return on;
}

}  // namespace

Quat turn_aside(const Skeleton& skeleton, const LimbBones& limb, const LimbJoints& joints, const Vec3& step,
                const Vec3& up, float stands, std::span<Transform> local) {
    const Vec3 leg = joints.end - joints.root;
    const float length = leg.norm();
    const float hangs = smoother_step(-leg.dot(up) / (k_hangs * length));
    Vec3 aside = leg - leg.dot(up) * up;
    // One that is lifted so far stays so; one that stands does not lie down.
    const float least = k_most_aside * length;
    const float most = least + (1.0f - stands) * std::max(0.0f, aside.norm() - least);
    aside += step;
    aside *= std::min(1.0f, most / std::max(aside.norm(), 1e-9f));
    const float down = std::sqrt(std::max(0.0f, length * length - aside.squaredNorm()));
    const Vec3 wanted = aside - down * up;
    Quat turn = Quat::Identity().slerp(std::max(stands, hangs), Quat::FromTwoVectors(leg, wanted));
    const int bone = limb.bones.front();
    const Quat above = standing_above(skeleton, local, bone).rotation;
    Quat& own = local[static_cast<std::size_t>(bone)].rotation;
    own = (above.conjugate() * turn * above * own).normalized();
    return turn;
}

void plant_stiff_legs(PassRun& run) {
    const std::vector<LimbPlan>& legs = run.plan.stiff_legs;
    if (legs.empty() || run.frames() == 0) return;
    const std::vector<FootTrack> feet = track_feet(run.plan.pairing.source, run.source, run.contacts);
    const FootSteps steps(run, feet);
    const Vec3 up = run.plan.pairing.target.up;
    for (int round = 0; round < k_rounds; ++round) {
        const std::vector<LegTrack> tracks = track_legs(run, legs);
        for (std::size_t i = 0; i < legs.size(); ++i) {
            const FootTrack& foot = feet[static_cast<std::size_t>(legs[i].source_shape)];
            const std::vector<Vec3> step = steps.of(legs[i], tracks[i]);
            const std::vector<float> on = how_it_stands(run, foot);
            for (std::size_t f = 0; f < run.frames(); ++f)
                turn_aside(run.skeleton(), legs[i].target, tracks[i].joints[f], step[f], up, on[f],
                           run.result.frame(f));
        }
    }
}

void stand_on_stiff_legs(PassRun& run) {
    if (run.plan.stiff_legs.empty() || run.frames() == 0) return;
    StiffWalker(run).run();
}

}  // namespace dendraxis::detail
