// The hound: standing about, and trotting on the spot it travels over.
#include "motions.hpp"

#include "film.hpp"
#include "sculpt.hpp"

#include <array>
#include <cmath>

namespace harbour {
namespace {

using dendraxis::Clip;
using dendraxis::Skeleton;

// Where the joint above the paw stands over the paw's own joint at rest.
struct Leg {
    std::array<std::string, 3> bones;
    std::string toes;
    Vec3 foot;   // the third joint at rest
    Vec3 paw;    // the toes' joint at rest
    Vec3 ahead;  // which way the middle joint bends
};

Leg leg_named(const Poser& poser, bool fore, const std::string& side) {
    const std::string part = fore ? "fore_" : "hind_";
    Leg leg;
    leg.bones = fore ? std::array{"fore_upper_" + side, "fore_lower_" + side, "fore_foot_" + side}
                     : std::array{"hind_thigh_" + side, "hind_shin_" + side, "hind_foot_" + side};
    leg.toes = part + "toes_" + side;
    leg.foot = poser.rest_position(leg.bones[2]);
    leg.paw = poser.rest_position(leg.toes);
    leg.ahead = fore ? Vec3(0, 0, -1) : Vec3(0, 0, 1);
    return leg;
}

// The paw moved by `by` from its rest, the foot above it tilted by `pitch` degrees (toes up positive).
void place_paw(Poser& poser, const Leg& leg, const Vec3& by, float pitch, float paw_pitch) {
    const Quat tilt = turn_x(-pitch);
    const Vec3 paw = leg.paw + by;
    poser.place_limb(leg.bones, paw + tilt * (leg.foot - leg.paw), leg.ahead, leg.ahead, tilt);
    poser.turn(leg.toes, tilt.conjugate() * turn_x(-paw_pitch));
}

void wag(Poser& poser, float swing, float lift) {
    for (const char* bone : {"tail_1", "tail_2", "tail_3", "tail_4"})
        poser.turn(bone, turn_y(swing) * turn_x(-lift));
}

}  // namespace

Clip make_stand(const Skeleton& hound) {
    return film(hound, "stand", 121, [&](Poser& poser, float seconds) {
        const float breath = wave(seconds / 1.0f);
        const float look = std::sin(2.0f * k_pi * seconds / 4.0f);
        poser.move("pelvis", {0.010f * look, -0.012f + 0.002f * breath, 0});
        poser.turn("ribs", turn_x(0.5f * breath));
        poser.turn("neck_low", turn_y(9.0f * look) * turn_x(-3.0f * look));
        poser.turn("neck_high", turn_y(9.0f * look));
        poser.turn("skull", turn_y(12.0f * look) * turn_z(5.0f * look));
        poser.turn("jaw", turn_x(9.0f - 4.0f * breath));
        wag(poser, 13.0f * std::sin(2.0f * k_pi * seconds / 0.5f), 4.0f);
        for (const std::string side : {"left", "right"}) {
            for (const bool fore : {true, false})
                place_paw(poser, leg_named(poser, fore, side), {0, 0, 0}, 0, 0);
            poser.turn("ear_" + side, turn_z((side == "left" ? 3.0f : -3.0f) * breath));
        }
    });
}

Clip make_trot(const Skeleton& hound) {
    constexpr float cycle = 0.6f;
    constexpr float stride = 0.84f;
    constexpr float planted = 0.45f;
    constexpr float speed = stride / cycle;
    return film(hound, "trot", 55, [&](Poser& poser, float seconds) {
        const float phase = seconds / cycle;  // 0: the left foreleg and the right hind leg strike
        poser.move("floor", {0, 0, speed * seconds});
        poser.move("pelvis", {0, -0.035f - 0.014f * wave(2.0f * phase - 0.30f), 0});
        poser.turn("pelvis", turn_y(2.5f * wave(phase)) * turn_x(1.0f * wave(2.0f * phase)));
        poser.turn("loin", turn_y(-2.0f * wave(phase)));
        poser.turn("ribs", turn_y(-1.5f * wave(phase)));
        poser.turn("neck_low", turn_x(-2.0f * wave(2.0f * phase - 0.1f)));
        poser.turn("skull", turn_x(2.0f * wave(2.0f * phase - 0.1f)));
        wag(poser, 6.0f * wave(phase), 6.0f + 2.0f * wave(2.0f * phase));
        for (const std::string side : {"left", "right"}) {
            for (const bool fore : {true, false}) {
                const bool first = fore == (side == "left");
                const float own = phase + (first ? 0.0f : 0.5f);
                const float at = own - std::floor(own);
                const float strike = (std::floor(own) - (first ? 0.0f : 0.5f)) * stride;
                const float ahead = 0.5f * planted * stride;
                Vec3 by(0, 0, strike + ahead);
                float pitch = 0.0f;
                if (at < planted) {
                    pitch = -30.0f * std::pow(at / planted, 3.0f);
                } else {
                    const float t = (at - planted) / (1.0f - planted);
                    by.z() += stride * (0.2f * t + 0.8f * smooth_step(0.0f, 1.0f, t));
                    by.y() += 0.075f * std::sin(k_pi * t);
                    pitch = -30.0f * (1.0f - smooth_step(0.1f, 0.9f, t)) -
                            (fore ? 40.0f : 15.0f) * std::sin(k_pi * t);
                }
                const float paw =
                    at < planted ? 0.0f : 0.5f * pitch * std::sin(k_pi * (at - planted) / (1 - planted));
                place_paw(poser, leg_named(poser, fore, side), by, pitch, paw);
            }
            poser.turn("ear_" + side, turn_z((side == "left" ? 6.0f : -6.0f) * wave(2.0f * phase)));
        }
    });
}

std::vector<Clip> clips_of_diver(const Skeleton& diver) {
    return {make_idle(diver),         make_stroll(diver, true), make_stroll(diver, false),
            make_wave_lantern(diver), make_hop_down(diver),     make_crouch(diver),
            make_haul_rope(diver),    make_swing_mallet(diver)};
}

std::vector<Clip> clips_of_hound(const Skeleton& hound) {
    return {make_stand(hound), make_trot(hound)};
}

}  // namespace harbour
