// The crew at work: hauling, striking, crouching, hopping off the quay.
#include "motions.hpp"

#include "film.hpp"
#include "sculpt.hpp"

#include <array>
#include <cmath>

namespace harbour {
namespace {

using dendraxis::Clip;
using dendraxis::Skeleton;

// An arm whose wrist comes to `wrist`, the elbow toward `elbow`; the hand is turned by `hand`, or goes
// straight on.
void place_arm(Poser& poser, const std::string& side, const Vec3& wrist, const Vec3& elbow,
               const std::optional<Quat>& hand = {}) {
    poser.place_limb({"upper_arm_" + side, "forearm_" + side, "hand_" + side}, wrist, elbow, -Vec3::UnitZ(),
                     hand);
}

Vec3 mixed(const Vec3& a, const Vec3& b, float share) {
    return a + share * (b - a);
}

}  // namespace

Clip make_hop_down(const Skeleton& diver) {
    constexpr float ledge = 0.35f;
    constexpr float leap = 0.60f;   // seconds: the toes leave the ledge
    constexpr float land = 0.98f;   // the balls of the feet touch the floor
    constexpr float ahead = 0.62f;  // metres
    return film(diver, "hop-down", 79, [&](Poser& poser, float seconds) {
        const float flight = std::clamp((seconds - leap) / (land - leap), 0.0f, 1.0f);
        const bool flies = seconds > leap && seconds < land;
        // The body sinks before the leap and after the landing; in between it is thrown.
        const float sink = 0.20f * smooth_step(0.05f, 0.38f, seconds) * smooth_step(leap, 0.38f, seconds) +
                           0.30f * smooth_step(land, 1.22f, seconds) * smooth_step(2.05f, 1.30f, seconds);
        const float thrown =
            -0.30f * flight + 4.9f * (land - leap) * (land - leap) * flight * (1.0f - flight);
        const float height = (flies ? ledge + thrown : seconds <= leap ? ledge : ledge - 0.30f);
        const float settled = smooth_step(land, land + 0.12f, seconds);
        const float z = ahead * (0.06f * smooth_step(0.25f, leap, seconds) + 0.94f * flight);
        poser.move("ground", {0, 0, z});
        const float stretch = smooth_step(0.40f, leap, seconds) * (1.0f - flight);
        poser.move("hips", {0,
                            height - 0.014f - sink + 0.05f * stretch + (0.05f * flight * (1.0f - settled)) -
                                0.05f * smooth_step(land, land + 0.12f, seconds) * (1.0f - 0.0f),
                            -0.10f * sink / 0.3f});
        const float lean = 38.0f * sink / 0.3f + 6.0f * std::sin(k_pi * flight);
        poser.turn("hips", turn_x(0.55f * lean));
        poser.turn("spine_1", turn_x(0.2f * lean));
        poser.turn("spine_2", turn_x(0.2f * lean));
        poser.turn("chest", turn_x(0.1f * lean));
        poser.turn("neck", turn_x(-0.25f * lean));
        poser.turn("head", turn_x(-0.25f * lean));
        const float thrown_arms = std::sin(k_pi * flight);
        for (const std::string side : {"left", "right"}) {
            const float sign = side == "left" ? 1.0f : -1.0f;
            hang_arm(poser, side, 74.0f - 34.0f * thrown_arms,
                     -20.0f * sink / 0.3f * (flight > 0 ? -1.5f : 1.0f) + 25.0f * thrown_arms + lean * 0.5f,
                     20.0f + 30.0f * sink / 0.3f, 20.0f);
            // Toes leave last and touch first.
            const float tip = seconds <= leap ? -34.0f * smooth_step(0.44f, leap, seconds)
                                              : -34.0f + 10.0f * std::sin(k_pi * flight) + 34.0f * settled;
            const Vec3 ball(0.0f, 0.024f, 0.112f);
            const Vec3 on_ball = ball + turn_x(-tip) * (Vec3(0.0f, 0.088f, -0.022f) - ball);
            const float tuck = 0.13f * std::sin(k_pi * flight);
            const float level =
                ledge * (1.0f - smooth_step(0.0f, 1.0f, flight) * 0.35f - 0.65f * flight * flight);
            const Vec3 ankle(sign * 0.118f, on_ball.y() + (flight >= 1.0f ? 0.0f : level) + tuck,
                             on_ball.z() + ahead * smooth_step(0.0f, 1.0f, flight));
            const bool on_ground = !flies;
            poser.place_leg(side, ankle, tip, on_ground ? 0.0f : tip * 0.4f * std::sin(k_pi * flight),
                            sign * 7.0f);
        }
    });
}

Clip make_crouch(const Skeleton& diver) {
    constexpr float length = 3.2f;
    return film(diver, "crouch", 97, [&](Poser& poser, float seconds) {
        const float down =
            smooth_step(0.1f, 1.0f, seconds) * smooth_step(length - 0.1f, length - 1.1f, seconds);
        const float look = down * std::sin(2.0f * k_pi * (seconds - 1.0f) / 1.1f);
        poser.move("hips", {0, -0.014f - 0.36f * down, -0.16f * down});
        poser.turn("hips", turn_x(26.0f * down));
        poser.turn("spine_1", turn_x(9.0f * down) * turn_y(2.0f * look));
        poser.turn("spine_2", turn_x(8.0f * down) * turn_y(3.0f * look));
        poser.turn("chest", turn_x(5.0f * down) * turn_y(3.0f * look));
        poser.turn("neck", turn_x(-12.0f * down) * turn_y(4.0f * look));
        poser.turn("head", turn_x(-10.0f * down) * turn_y(8.0f * look));
        plant_feet(poser, 12.0f);
        hang_arm(poser, "left", 77.0f - 12.0f * down, 3.0f + 42.0f * down, 17.0f + 12.0f * down, 16.0f);
        hang_arm(poser, "right", 77.0f, 3.0f, 17.0f, 16.0f);
        // The right hand comes to lie on the thigh, a palm's thickness over it.
        const Vec3 hip = poser.model("thigh_right").translation;
        const Vec3 knee = poser.model("shin_right").translation;
        const Vec3 over = (knee - hip).normalized().cross(Vec3(1, 0, 0)).normalized();
        const Vec3 palm_down = hip + 0.80f * (knee - hip) + (over.y() > 0 ? over : Vec3(-over)) * 0.105f;
        const Vec3 fingers = (0.75f * (knee - hip).normalized() + Vec3(0.25f, -0.45f, 0.2f)).normalized();
        const Vec3 hanging = poser.model("hand_right").translation;
        const Quat hanging_turn = poser.model("hand_right").rotation * poser.rest("hand_right").conjugate();
        // At rest the right hand points along -x with its palm down.
        const Quat laid = Quat::FromTwoVectors(Vec3(-1, 0, 0), fingers);
        const float laid_on = smooth_step(0.25f, 0.95f, down);
        place_arm(poser, "right", mixed(hanging, palm_down - 0.06f * fingers, laid_on), {-0.6f, -0.1f, -0.8f},
                  hanging_turn.slerp(laid_on, laid));
    });
}

Clip make_haul_rope(const Skeleton& diver) {
    constexpr float cycle = 1.3f;
    return film(diver, "haul-rope", 79, [&](Poser& poser, float seconds) {
        const float pull = 0.5f - 0.5f * wave(seconds / cycle);  // 0: given way, 1: hauled in
        const float side_sway = std::sin(2.0f * k_pi * seconds / cycle);
        poser.move("hips", {0, -0.070f - 0.035f * pull, -0.05f - 0.10f * pull});
        poser.turn("hips", turn_y(-8.0f) * turn_x(8.0f - 12.0f * pull) * turn_z(1.0f * side_sway));
        poser.turn("spine_1", turn_x(6.0f - 9.0f * pull) * turn_y(-2.0f * pull));
        poser.turn("spine_2", turn_x(5.0f - 8.0f * pull) * turn_y(-2.0f * pull));
        poser.turn("chest", turn_x(3.0f - 5.0f * pull) * turn_y(-3.0f * pull));
        poser.turn("neck", turn_x(-6.0f + 8.0f * pull));
        poser.turn("head", turn_x(-5.0f + 8.0f * pull) * turn_y(4.0f));
        poser.place_leg("left", {0.125f, 0.088f, 0.21f}, 0.0f, 0.0f, 8.0f);
        poser.place_leg("right", {-0.150f, 0.088f, -0.26f}, 0.0f, 0.0f, -28.0f);
        // The rope runs forward and a little down; the hands hold it 0.26 m apart.
        const Vec3 rope = Vec3(0.10f, -0.22f, 1.0f).normalized();
        const Vec3 middle = mixed({-0.02f, 1.21f, 0.36f}, {-0.06f, 1.13f, 0.13f}, pull);
        for (const std::string side : {"left", "right"}) {
            const float sign = side == "left" ? 1.0f : -1.0f;
            const Vec3 palm = middle + sign * 0.13f * rope;
            // Straight on from the forearm and turned thumb up.
            const Quat hand = turn_y(-sign * 62.0f) * turn_z(-sign * 12.0f) * turn_x(-62.0f);
            const Vec3 along = hand * Vec3(sign, 0, 0);
            place_arm(poser, side, palm - 0.07f * along, {sign * 0.7f, -0.7f, -0.3f}, hand);
            curl_fingers(poser, side, 62.0f);
        }
    });
}

Clip make_swing_mallet(const Skeleton& diver) {
    // Where the wrist is, when: raised slowly, struck fast, rebounding from the post.
    struct Key {
        float seconds;
        Vec3 wrist;
        float fingers_up;  // degrees from forward
        float wound;       // 0 to 1: the trunk turned back and leaned
    };
    static const std::array<Key, 7> k_keys{{{0.00f, {-0.28f, 1.02f, 0.24f}, -15.0f, 0.0f},
                                            {0.25f, {-0.30f, 1.05f, 0.22f}, -10.0f, 0.1f},
                                            {0.95f, {-0.34f, 1.70f, -0.02f}, 88.0f, 1.0f},
                                            {1.10f, {-0.33f, 1.72f, -0.04f}, 94.0f, 1.0f},
                                            {1.40f, {-0.16f, 1.02f, 0.47f}, -62.0f, -0.6f},
                                            {1.60f, {-0.17f, 1.10f, 0.44f}, -45.0f, -0.4f},
                                            {2.30f, {-0.28f, 1.02f, 0.24f}, -15.0f, 0.0f}}};
    return film(diver, "swing-mallet", 73, [&](Poser& poser, float seconds) {
        std::size_t k = 0;
        while (k + 2 < k_keys.size() && seconds >= k_keys[k + 1].seconds) ++k;
        const float share = smooth_step(k_keys[k].seconds, k_keys[k + 1].seconds, seconds);
        const auto between = [&](auto member) {
            return k_keys[k].*member + share * (k_keys[k + 1].*member - k_keys[k].*member);
        };
        const float wound = between(&Key::wound);
        const float up = between(&Key::fingers_up);
        const Vec3 wrist = mixed(k_keys[k].wrist, k_keys[k + 1].wrist, share);
        poser.move("hips", {0.01f * wound, -0.055f + 0.02f * wound, 0.02f - 0.05f * wound});
        poser.turn("hips", turn_y(-12.0f * wound) * turn_x(4.0f - 5.0f * wound));
        poser.turn("spine_1", turn_y(-5.0f * wound) * turn_x(4.0f - 7.0f * wound));
        poser.turn("spine_2", turn_y(-5.0f * wound) * turn_x(4.0f - 7.0f * wound));
        poser.turn("chest", turn_y(-6.0f * wound) * turn_x(3.0f - 6.0f * wound));
        poser.turn("neck", turn_y(9.0f * wound) * turn_x(-3.0f + 5.0f * wound));
        poser.turn("head", turn_y(13.0f * wound) * turn_x(4.0f + 4.0f * wound));
        poser.place_leg("left", {0.13f, 0.088f, 0.20f}, 0.0f, 0.0f, 6.0f);
        poser.place_leg("right", {-0.14f, 0.088f, -0.22f}, 0.0f, 0.0f, -25.0f);
        hang_arm(poser, "left", 66.0f - 14.0f * wound, 14.0f + 14.0f * wound, 34.0f + 10.0f * wound, 22.0f);
        // The mallet's handle stands across the palm: fingers closed, the thumb's side up, forward in the
        // strike.
        const Quat hand = turn_x(-up) * turn_y(80.0f) * turn_x(-70.0f);
        place_arm(poser, "right", wrist, {-0.75f, -0.45f, -0.35f}, hand);
        curl_fingers(poser, "right", 66.0f);
        poser.turn("shoulder_right", turn_z(-10.0f * std::max(0.0f, wound)));
        place_arm(poser, "right", wrist, {-0.75f, -0.45f, -0.35f}, hand);
    });
}

}  // namespace harbour
