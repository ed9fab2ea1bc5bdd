#include <dendraxis/equip/carry.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

// K. Perlin, "Improving noise", SIGGRAPH (2002): no jump in speed or acceleration at either end.
float gentle(float t) {
    return t * t * t * (t * (6.0f * t - 15.0f) + 10.0f);
}

}  // namespace

CarryPlan::CarryPlan(std::vector<CarryPlace> places, std::vector<CarrySwitch> switches)
    : places_(std::move(places)), switches_(std::move(switches)) {
    if (places_.empty()) throw Error("carried thing", "has no place", "", "give it a socket");
    float free = 0.0f;
    for (const CarrySwitch& one : switches_) {
        const bool sound = std::isfinite(one.frame) && std::isfinite(one.over) && one.over >= 0.0f;
        if (!sound || one.place >= places_.size())
            throw Error("carried thing", fmt::format("cannot change its place at frame {:g}", one.frame), "",
                        "name one of its places, and frames of 0 or more");
        if (one.frame < free)
            throw Error("carried thing",
                        fmt::format("changes its place at frame {:g}, before it has got where it was going",
                                    one.frame),
                        "", fmt::format("let it be frame {:g} or later", free));
        free = one.frame + one.over;
    }
}

CarryPlan::Now CarryPlan::at(float frame) const noexcept {
    Now now;
    for (const CarrySwitch& one : switches_) {
        if (frame < one.frame) break;
        now.from = now.to;
        now.to = one.place;
        const float done = one.over > 0.0f ? (frame - one.frame) / one.over : 1.0f;
        now.share = gentle(std::clamp(done, 0.0f, 1.0f));
    }
    if (now.share >= 1.0f) now.from = now.to;
    return now;
}

Transform CarryPlan::frame(const SocketBinding& sockets, float frame,
                           std::span<const Transform> model) const noexcept {
    const auto in = [&](std::size_t place) {
        return sockets.frame(places_[place].socket, model) * places_[place].placement;
    };
    const Now now = at(frame);
    Transform to = in(now.to);
    if (now.from == now.to) return to;
    const Transform from = in(now.from);
    return {from.rotation.slerp(now.share, to.rotation),
            from.translation + now.share * (to.translation - from.translation),
            from.scale + now.share * (to.scale - from.scale)};
}

float jump_of(const CarryPlan& plan, std::size_t change, const SocketBinding& sockets,
              const Skeleton& skeleton, const Clip& clip) {
    const CarrySwitch& one = plan.switches()[change];
    if (one.over > 0.0f || clip.frame_count() == 0) return 0.0f;
    const auto frame =
        std::min(static_cast<std::size_t>(std::max(0.0f, std::round(one.frame))), clip.frame_count() - 1);
    std::vector<Transform> model(skeleton.size());
    to_model_space(skeleton, clip.frame(frame), model);
    const std::size_t before = change == 0 ? 0 : plan.switches()[change - 1].place;
    const auto in = [&](std::size_t place) {
        return (sockets.frame(plan.places()[place].socket, model) * plan.places()[place].placement)
            .translation;
    };
    return (in(one.place) - in(before)).norm();
}

}  // namespace dendraxis
