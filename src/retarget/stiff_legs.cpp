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
constexpr float k_settle_noise_seconds = 0.05f;
constexpr float k_land_seconds = 0.015f;  // a body that cannot bend stops at once
constexpr int k_rounds = 3;               // a sole that is turned with its leg rolls a little otherwise
constexpr float k_most_aside = 0.9f;      // of the leg's length
constexpr float k_lies = 0.3f;            // of the leg's length down: such a leg does not stand
constexpr float k_stands = 0.6f;

// How far the body must come up, a frame.
struct Rise {
    float standing = 0.0f;  // for the feet that stand
    float least = 0.0f;     // for no foot to be below what the source's is
    bool stands = false;
};

class StiffWalker {
 public:
    explicit StiffWalker(PassRun& run)
        : run_(run),
          target_(run.plan.pairing.target),
          feet_(track_feet(run.plan.pairing.source, run.source, run.contacts)) {}

    void run() {
        float length = 0.0f;
        for (const LimbPlan& leg : run_.plan.stiff_legs) length = std::max(length, leg.target_length);
        std::vector<Rise> rises;
        float worst = 0.0f;
        for (std::size_t f = 0; f < run_.frames(); ++f) {
            rises.push_back(rise(f));
            worst = std::max({worst, rises.back().least, std::abs(rises.back().standing)});
        }
        if (worst > k_least_fault * length) lift(shifts(rises));
    }

 private:
    Rise rise(std::size_t frame) {
        run_.pose(frame);
        Rise result;
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

    // Smooth over time, from contact to contact, and never too low.
    std::vector<float> shifts(const std::vector<Rise>& rises) const {
        std::vector<float> shift(rises.size(), 0.0f);
        for (std::size_t f = 0; f < rises.size(); ++f) shift[f] = rises[f].standing;
        fill_gaps(
            shift, [&](std::size_t f) { return rises[f].stands; }, 0.0f);
        float length = 0.0f;
        for (const LimbPlan& leg : run_.plan.stiff_legs) length = std::max(length, leg.target_length);
        shift = calmed(shift, run_.frames_in(k_settle_noise_seconds), k_unseen_rise * length);
        const float sigma = run_.frames_in(k_land_seconds);
        shift = smoothed(shift, sigma);
        std::vector<float> short_by(rises.size());
        for (std::size_t f = 0; f < rises.size(); ++f)
            short_by[f] = std::max(0.0f, rises[f].least - shift[f]);
        const std::vector<float> up = rounded_up(short_by, static_cast<int>(std::lround(2.0f * sigma)));
        for (std::size_t f = 0; f < rises.size(); ++f) shift[f] += up[f];
        return shift;
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
};

// `v` for a leg whose end moves over the floor by `step`.
Vec3 moved_aside(const Vec3& leg, const Vec3& step, const Vec3& up) {
    const float length = leg.norm();
    const float down = -leg.dot(up) / length;
    const float share = smoother_step((down - k_lies) / (k_stands - k_lies));
    if (share == 0.0f) return leg;
    Vec3 aside = leg + down * length * up + share * step;
    aside *= std::min(1.0f, k_most_aside * length / std::max(aside.norm(), 1e-9f));
    return aside - std::sqrt(length * length - aside.squaredNorm()) * up;
}

}  // namespace

void plant_stiff_legs(PassRun& run) {
    const std::vector<LimbPlan>& legs = run.plan.stiff_legs;
    if (legs.empty() || run.frames() == 0) return;
    const std::vector<FootTrack> feet = track_feet(run.plan.pairing.source, run.source, run.contacts);
    const FootSteps steps(run, feet);
    const Vec3 up = run.plan.pairing.target.up;
    for (int round = 0; round < k_rounds; ++round) {
        const std::vector<LegTrack> tracks = track_legs(run, legs);
        for (std::size_t i = 0; i < legs.size(); ++i) {
            const std::vector<Vec3> step = steps.of(legs[i], tracks[i]);
            const int bone = legs[i].target.bones.front();
            for (std::size_t f = 0; f < run.frames(); ++f) {
                const LimbJoints& joints = tracks[i].joints[f];
                const Vec3 leg = joints.end - joints.root;
                const Quat turn = Quat::FromTwoVectors(leg, moved_aside(leg, step[f], up));
                const auto local = run.result.frame(f);
                const Quat above = standing_above(run.skeleton(), local, bone).rotation;
                Quat& own = local[static_cast<std::size_t>(bone)].rotation;
                own = (above.conjugate() * turn * above * own).normalized();
            }
        }
    }
}

void stand_on_stiff_legs(PassRun& run) {
    if (run.plan.stiff_legs.empty() || run.frames() == 0) return;
    StiffWalker(run).run();
}

}  // namespace dendraxis::detail
