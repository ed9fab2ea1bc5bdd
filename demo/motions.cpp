// Keyless motion: every frame is worked out from the phase of the step or the wave.
#include "motions.hpp"

#include "film.hpp"
#include "sculpt.hpp"

#include <cmath>

namespace harbour {
namespace {

using dendraxis::Clip;
using dendraxis::Skeleton;

// One foot of the stroll, as its phase goes from its heel strike (0) to the next (1).
struct Step {
    Vec3 ankle;  // x and z relative to where the foot is planted
    float pitch;
    float toe_pitch;
};

constexpr float k_stride = 1.18f;   // metres from strike to strike of the same foot
constexpr float k_planted = 0.62f;  // of the phase
constexpr float k_ahead = 0.335f;   // how far ahead of the hips the foot is planted

Vec3 pivoted(const Vec3& pivot, float pitch) {
    const Vec3 ankle(0.0f, 0.088f, -0.022f);
    return pivot + turn_x(-pitch) * (ankle - pivot);
}

Step step_at(float phase) {
    constexpr float strike = 18.0f;
    constexpr float toe_off = -58.0f;
    const Vec3 heel(0.0f, 0.0f, -0.080f);
    const Vec3 ball(0.0f, 0.024f, 0.112f);
    if (phase < k_planted) {
        // Rolls over the heel, stands flat, rises over the ball.
        const float t = phase / k_planted;
        if (t > 0.5f) {
            const float pitch = toe_off * std::pow((t - 0.5f) / 0.5f, 1.9f);
            return {pivoted(ball, pitch), pitch, 0.0f};
        }
        const float pitch = strike * (1.0f - smooth_step(0.0f, 0.17f, t));
        return {pivoted(heel, pitch), pitch, pitch};
    }
    const float t = (phase - k_planted) / (1.0f - k_planted);
    const Vec3 from = pivoted(ball, toe_off);
    const Vec3 to = pivoted(heel, strike) + Vec3(0, 0, k_stride);
    Step step{from + (0.25f * t + 0.75f * smooth_step(0.0f, 1.0f, t)) * (to - from), 0.0f, 0.0f};
    step.ankle.y() +=
        0.05f * std::sin(k_pi * t) * (1.0f - 0.5f * t) + 0.020f * std::sin(k_pi * std::min(1.0f, 2.0f * t));
    step.pitch = toe_off + (strike - toe_off) * (0.35f * t + 0.65f * smooth_step(0.0f, 0.9f, t));
    step.toe_pitch = step.pitch * smooth_step(0.0f, 0.35f, t) + 8.0f * std::sin(k_pi * t);
    return step;
}

}  // namespace

Clip make_stroll(const Skeleton& diver, bool travels) {
    constexpr float cycle = 1.1f;  // seconds for two steps
    constexpr float speed = k_stride / cycle;
    return film(diver, travels ? "stroll" : "stroll-in-place", 67, [&](Poser& poser, float seconds) {
        const float distance = speed * seconds;
        const float phase = seconds / cycle;        // 0: the left heel strikes
        const float left = wave(phase);             // 1 at the left heel strike, -1 at the right one
        const float on_left = wave(phase - 0.30f);  // 1 where the left leg carries
        if (travels) poser.move("ground", {0, 0, distance});
        poser.move("hips", {0.020f * on_left, -0.041f - 0.014f * wave(2.0f * phase - 0.08f),
                            0.008f * wave(2.0f * phase - 0.30f)});
        poser.turn("hips", turn_y(-6.0f * left) * turn_z(-3.2f * on_left) * turn_x(2.5f));
        poser.turn("spine_1", turn_y(3.0f * left) * turn_z(1.4f * on_left) * turn_x(1.0f));
        poser.turn("spine_2", turn_y(4.0f * left) * turn_z(1.6f * on_left) * turn_x(0.5f));
        poser.turn("chest",
                   turn_y(4.0f * left) * turn_z(1.2f * on_left) * turn_x(-1.0f + 0.8f * wave(2.0f * phase)));
        poser.turn("neck", turn_y(-2.5f * left) * turn_z(-0.5f * on_left) * turn_x(-1.5f));
        poser.turn("head", turn_y(-2.5f * left) * turn_x(-1.5f - 0.6f * wave(2.0f * phase + 0.1f)));
        for (const std::string side : {"left", "right"}) {
            const float sign = side == "left" ? 1.0f : -1.0f;
            const float forward = -sign * wave(phase - 0.03f);  // arms go against the legs
            const float elbow = 17.0f + 11.0f * (0.5f - 0.5f * sign * wave(phase - 0.08f));
            hang_arm(poser, side, 77.0f, 2.0f + 21.0f * forward, elbow, 16.0f);
            poser.turn("hand_" + side, turn_y(-sign * 6.0f * wave(phase - 0.15f) * sign));

            const float own = phase + (side == "left" ? 0.0f : 0.5f);
            const Step step = step_at(own - std::floor(own));
            // Where the foot was planted at the start of this step of its own.
            const float strike = (std::floor(own) - (side == "left" ? 0.0f : 0.5f)) * cycle;
            const float from = travels ? 0.0f : distance;
            const Vec3 ankle(sign * 0.088f, step.ankle.y(), speed * strike + k_ahead + step.ankle.z() - from);
            poser.place_leg(side, ankle, step.pitch, step.toe_pitch, sign * 5.0f);
        }
    });
}

Clip make_idle(const Skeleton& diver) {
    constexpr float length = 4.0f;
    return film(diver, "idle", 121, [&](Poser& poser, float seconds) {
        const float phase = seconds / length;
        const float breath = wave(2.0f * phase);
        const float sway = wave(phase - 0.1f);
        poser.move("hips", {0.022f * sway, -0.014f + 0.002f * breath, 0.004f * wave(phase)});
        poser.turn("hips", turn_z(-1.8f * sway) * turn_y(2.0f * wave(phase - 0.2f)));
        poser.turn("spine_1", turn_z(0.8f * sway) * turn_x(0.5f * breath));
        poser.turn("spine_2", turn_z(0.8f * sway) * turn_x(0.6f * breath));
        poser.turn("chest", turn_z(0.6f * sway) * turn_x(-1.3f * breath));
        poser.turn("neck", turn_x(0.6f * breath) * turn_y(5.0f * wave(phase - 0.35f)));
        poser.turn("head", turn_y(9.0f * wave(phase - 0.38f)) * turn_x(1.5f * wave(2.0f * phase - 0.2f)));
        for (const std::string side : {"left", "right"}) {
            poser.turn("shoulder_" + side, turn_z((side == "left" ? 1.0f : -1.0f) * (1.0f - breath) * 0.8f));
            hang_arm(poser, side, 78.0f + 0.8f * breath, 3.0f + 1.5f * sway,
                     16.0f + 2.0f * wave(phase - 0.25f), 18.0f);
        }
        plant_feet(poser, 8.0f);
    });
}

Clip make_wave_lantern(const Skeleton& diver) {
    constexpr float length = 3.2f;
    return film(diver, "wave-lantern", 97, [&](Poser& poser, float seconds) {
        // Raised within half a second, waved, lowered in the last half: starts and ends standing.
        const float up = smooth_step(0.0f, 0.7f, seconds) * smooth_step(length, length - 0.7f, seconds);
        const float swing = std::sin(2.0f * k_pi * seconds / 0.8f) * up;
        poser.move("hips", {0.016f * swing - 0.014f * up, -0.014f, 0});
        poser.turn("hips", turn_z(-1.5f * swing) * turn_y(3.0f * up));
        poser.turn("spine_1", turn_z(2.0f * up - 1.5f * swing));
        poser.turn("spine_2", turn_z(2.5f * up - 1.5f * swing) * turn_x(-2.0f * up));
        poser.turn("chest", turn_z(2.0f * up - 1.5f * swing) * turn_x(-2.0f * up));
        poser.turn("neck", turn_z(-3.0f * up + 2.0f * swing) * turn_x(-3.0f * up));
        poser.turn("head", turn_z(-3.0f * up + 1.5f * swing) * turn_x(-4.0f * up) * turn_y(-8.0f * up));
        hang_arm(poser, "left", 76.0f, 3.0f, 18.0f, 18.0f);
        // The right arm: from hanging to raised beside the head, the forearm swinging from side to side.
        hang_arm(poser, "right", 78.0f - 128.0f * up, 3.0f + 12.0f * up - 10.0f * up, 16.0f + 14.0f * up,
                 18.0f + 42.0f * up);
        poser.turn("shoulder_right", turn_z(-18.0f * up));
        poser.turn("upper_arm_right", turn_z(10.0f * swing));
        poser.turn("forearm_right", turn_z(-20.0f * up + 24.0f * swing));
        poser.turn("hand_right", turn_z(10.0f * swing));
        plant_feet(poser, 9.0f);
    });
}

}  // namespace harbour
