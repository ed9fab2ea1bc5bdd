#include <dendraxis/sim/loose_prop.hpp>

#include "fall_ground.hpp"
#include "similar.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

namespace dendraxis::sim {
namespace {

constexpr float k_still = 0.05f;  // m/s

// Bodies know no stretch: it is in the body's shape, and comes back when the thing is told where it is.
Transform unstretched(const LooseProp& loose) {
    Transform placement = placement_of(*loose.prop, loose.fit);
    placement.scale = Vec3::Constant(loose.fit.scale);
    return placement;
}

// The wearer and what is mounted on it, frame by frame, upright.
class Wearer {
 public:
    Wearer(const LooseProp& loose, const SocketBinding& sockets, const RagdollBinding& binding,
           const Chart& chart, const Clip& clip)
        : sockets_(sockets),
          socket_(loose.socket),
          mounted_(unstretched(loose)),
          binding_(binding),
          clip_(clip),
          placement_(upright_stand(chart)),
          model_(chart.skeleton.size()),
          states_(binding.plan().bodies.size()) {}

    const std::vector<BodyState>& bodies(std::size_t frame) {
        pose(frame);
        binding_.bodies_of(model_, placement_, states_);
        return states_;
    }

    Transform thing(std::size_t frame) {
        pose(frame);
        return placement_ * sockets_.frame(socket_, model_) * mounted_;
    }

    Transform to_model(const Transform& upright, const Vec3& stretch) const {
        Transform model = inverse(placement_) * upright;
        model.scale = model.scale.cwiseProduct(stretch);
        return model;
    }

 private:
    void pose(std::size_t frame) { to_model_space(binding_.skeleton(), clip_.frame(frame), model_); }

    const SocketBinding& sockets_;
    std::size_t socket_;
    Transform mounted_;
    const RagdollBinding& binding_;
    const Clip& clip_;
    Transform placement_;
    std::vector<Transform> model_;
    std::vector<BodyState> states_;
};

}  // namespace

namespace {

// All in metres, at a person's size.
LooseFall fall_at_scale(const LooseProp& loose, const SocketBinding& sockets, const RagdollBinding& wearer,
                        const Chart& chart, const Clip& clip, const DropGround& ground,
                        const WorldSettings& settings) {
    if (loose.frame >= clip.frame_count())
        throw Error(loose.prop->name,
                    fmt::format("cannot be let go in frame {} of '{}'", loose.frame, clip.name), "",
                    fmt::format("its frames are 0 to {}", clip.frame_count() - 1));
    Wearer who(loose, sockets, wearer, chart, clip);
    const float seconds = 1.0f / clip.fps;
    const Transform now = who.thing(loose.frame);
    const Transform before = loose.frame > 0 ? who.thing(loose.frame - 1) : now;
    const PropBody body = prop_body(*loose.prop, {}, loose.fit);
    const ReleasedProp thing = let_go(body, now, before, seconds, loose.push, apply(now, body.at));

    World world(settings);
    add_ground(world, ground, upright_stand(chart));
    const auto figure = world.add(wearer);
    world.carry(figure, who.bodies(loose.frame));
    const LooseHandle handle = world.add_loose(thing);
    LooseFall fall;
    fall.speed = thing.state.velocity.norm();
    fall.frames.push_back(who.to_model(now, loose.fit.stretch));
    for (std::size_t f = loose.frame + 1; f < clip.frame_count(); ++f) {
        world.carry(figure, who.bodies(f));
        world.step(seconds);
        fall.frames.push_back(who.to_model(frame_of(thing, world.loose_state(handle)), loose.fit.stretch));
    }
    const BodyState last = world.loose_state(handle);
    fall.ends = last.position;
    fall.lies = last.velocity.norm() < k_still;
    return fall;
}

std::vector<Socket> in_unit(std::span<const Socket> sockets, float by) {
    std::vector<Socket> result(sockets.begin(), sockets.end());
    for (Socket& socket : result) socket.at *= by;
    return result;
}

}  // namespace

LooseFall fall_in_clip(const LooseProp& loose, const SocketBinding& sockets, const RagdollBinding& wearer,
                       const Chart& chart, const Clip& clip, const DropGround& ground) {
    const detail::Scale scale(chart);
    WorldSettings settings;
    if (scale.model == 1.0f) return fall_at_scale(loose, sockets, wearer, chart, clip, ground, settings);
    settings.gravity *= scale.metre;
    const Chart own = scaled(chart, scale.model);
    const RagdollBinding binding(detail::scaled(wearer.plan(), scale), own);
    LooseProp own_loose = loose;
    own_loose.fit.scale *= scale.model;
    own_loose.push *= scale.mass() * scale.metre;
    DropGround own_ground = ground;
    for (Vec3& position : own_ground.positions) position *= scale.model;
    LooseFall fall = fall_at_scale(own_loose, SocketBinding(in_unit(sockets.sockets(), scale.model), own),
                                   binding, own, clip, own_ground, settings);
    for (Transform& frame : fall.frames) {
        frame.translation /= scale.model;
        frame.scale /= scale.model;
    }
    fall.speed /= scale.metre;
    fall.ends /= scale.metre;
    return fall;
}

}  // namespace dendraxis::sim
