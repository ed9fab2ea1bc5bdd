// Own method. Legs without knees cannot bend as the source's do: where the source crouches the body stays up
// instead, so high that the lowest foot is where the source's is. In the air the body follows the source, but
// no foot goes through the floor.
#include "pass_plan.hpp"
#include "smoothing.hpp"

#include <dendraxis/chart/contacts.hpp>

namespace dendraxis::detail {
namespace {

constexpr float k_least_fault = 0.005f;  // of the leg's length: what no one sees

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
        for (const StiffLeg& leg : run_.plan.stiff_legs) length = std::max(length, leg.target_length);
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
        for (const StiffLeg& leg : run_.plan.stiff_legs) {
            const FootTrack& foot = feet_[static_cast<std::size_t>(leg.source_sole)];
            const Sole& sole = target_.shape.soles[static_cast<std::size_t>(leg.target_sole)];
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
        const float sigma = run_.frames_in(k_hips_seconds);
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

}  // namespace

void stand_on_stiff_legs(PassRun& run) {
    if (run.plan.stiff_legs.empty() || run.frames() == 0) return;
    StiffWalker(run).run();
}

}  // namespace dendraxis::detail
