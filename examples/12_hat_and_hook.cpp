// A jet of water knocks the hat, not the head: the hat leaves the head as fast as it was, falls, comes to lie
// and is picked up again. Then a boat hook that was thrown stays in the body that it strikes.
// Usage: 12_hat_and_hook
#include <dendraxis/base/error.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/equip/let_go.hpp>
#include <dendraxis/equip/sweep.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/sim/world.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <fmt/core.h>

namespace dx = dendraxis;

namespace {

constexpr float k_dt = 1.0f / 30.0f;

void print(const char* what, const dx::Vec3& at) {
    fmt::print("{} {:.2f} {:.2f} {:.2f}\n", what, at.x(), at.y(), at.z());
}

// Whom the hook strikes first on its way, and how it then hangs on that bone.
void throw_hook(const dx::Character& diver, const dx::RagdollBinding& binding,
                std::span<const dx::Transform> model) {
    const dx::Prop hook = dx::io::load_prop(DENDRAXIS_DEMO_FOLDER "/boat-hook.glb");
    const dx::SweepVolume& point = hook.volumes.front();
    std::vector<dx::BodyState> bodies(binding.plan().bodies.size());
    binding.bodies_of(model, {}, bodies);
    dx::Transform flies{dx::Quat(Eigen::AngleAxisf(1.5707963f, dx::Vec3::UnitX())),
                        dx::Vec3(0.05f, 1.25f, -6), dx::Vec3::Ones()};
    for (int frame = 0; frame < 60; ++frame) {
        dx::Transform next = flies;
        next.translation += k_dt * dx::Vec3(0, 0, 14);  // m/s
        const dx::Transform on_hook{point.turn, point.at, dx::Vec3::Ones()};
        dx::Touch first;
        first.share = 2.0f;
        std::size_t struck = 0;
        for (std::size_t b = 0; b < bodies.size(); ++b) {
            const dx::Transform placement{bodies[b].turn, bodies[b].position, dx::Vec3::Ones()};
            dx::Touch touch;
            if (dx::first_touch(point.shape, {flies * on_hook, next * on_hook},
                                binding.plan().bodies[b].shape, {placement, placement}, touch) &&
                touch.share < first.share)
                first = touch, struck = b;
        }
        if (first.share <= 1.0f) {
            const dx::Transform hits = dx::Motion{flies, next}.at(first.share);
            const auto bone = static_cast<std::size_t>(binding.plan().bodies[struck].bone);
            const dx::Transform on_bone = dx::offset_on_bone(hits, model[bone]);
            fmt::print("the hook strikes '{}' after {:.2f} frames and stays there\n",
                       binding.plan().bodies[struck].name, static_cast<float>(frame) + first.share);
            std::vector<dx::Transform> later(model.size());
            dx::to_model_space(diver.skeleton, diver.clip("stroll").frame(60), later);
            print("  in frame 60 its other end is at", (later[bone] * on_bone).translation);
            return;
        }
        flies = next;
    }
}

}  // namespace

int main() {
    try {
        const dx::Character diver = dx::io::load_character(DENDRAXIS_DEMO_FOLDER "/diver.glb");
        const dx::Prop hat = dx::io::load_prop(DENDRAXIS_DEMO_FOLDER "/oilskin-hat.glb");
        const dx::Chart chart = dx::chart(diver);
        const std::vector<dx::Socket> suggested = dx::suggested_sockets(diver, chart);
        const dx::SocketBinding sockets({*dx::find_socket(suggested, "head")}, chart);
        const dx::RagdollBinding wearer(dx::build_ragdoll(diver, chart), chart);
        const dx::Clip& clip = diver.clip("stroll");
        std::vector<dx::Transform> model(diver.skeleton.size());
        const auto hat_in = [&](std::size_t frame) {
            dx::to_model_space(diver.skeleton, clip.frame(frame), model);
            return sockets.frame(0, model) * dx::placement_of(hat, {});
        };

        // The jet comes from the front. Does it meet the hat?
        const dx::Transform before = hat_in(19);
        const dx::Transform now = hat_in(20);
        dx::Surface brim = dx::surface_of(hat.model);
        for (dx::Vec3& position : brim.positions) position = dx::apply(now, position);
        const dx::Vec3 jet = -chart.facing;
        const dx::Vec3 from = dx::apply(now, dx::Vec3(0, 0.06f, 0)) - 3.0f * jet;
        const auto on_hat = dx::first_hit(brim, {from, jet});
        const auto on_head = dx::first_hit(dx::surface_of(diver, clip.frame(20)), {from, jet});
        if (!on_hat || (on_head && on_head->distance < on_hat->distance)) {
            fmt::print("the jet meets the head\n");
            return 1;
        }
        fmt::print("the jet meets the hat {:.2f} m before the head\n",
                   on_head ? on_head->distance - on_hat->distance : 0.0f);

        // From here on it is a body of the world: any engine's, or ours.
        const dx::ReleasedProp thing = dx::let_go(dx::prop_body(hat), now, before, 1.0f / clip.fps,
                                                  1.5f * jet + dx::Vec3(0, 0.5f, 0), on_hat->point);
        dx::sim::World world;
        world.add_floor(chart.floor * chart.up, chart.up);
        const auto walks = world.add(wearer);
        std::vector<dx::BodyState> bodies(wearer.plan().bodies.size());
        const auto flies = world.add_loose(thing);
        print("let go at", thing.state.position);
        for (std::size_t f = 20; f < 20 + 150; ++f) {
            dx::to_model_space(diver.skeleton, clip.frame(std::min(f, clip.frame_count() - 1)), model);
            wearer.bodies_of(model, {}, bodies);
            world.carry(walks, bodies);
            world.step(1.0f / clip.fps);
            if (f % 30 == 0) print("  it is at", world.loose_state(flies).position);
        }
        const dx::BodyState lies = world.loose_state(flies);
        fmt::print("it lies, {:.3f} m/s\n", lies.velocity.norm());

        // Picked up: it stays where it was relative to the hand, and follows it.
        const int hand = chart.find("arm.right")->bones[2];
        const dx::Transform held =
            dx::offset_on_bone(dx::frame_of(thing, lies), model[static_cast<std::size_t>(hand)]);
        world.remove_loose(flies);
        print("picked up; seen from the hand it is at", held.translation);

        hat_in(20);
        throw_hook(diver, wearer, model);
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "12_hat_and_hook: {}\n", problem.what());
        return 3;
    }
}
