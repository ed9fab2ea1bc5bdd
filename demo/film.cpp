#include "film.hpp"

#include "sculpt.hpp"

#include <cmath>

namespace harbour {

float wave(float phase) {
    return std::cos(2.0f * k_pi * phase);
}

float ease(float from, float to, float start, float end, float seconds) {
    return from + (to - from) * smooth_step(start, end, seconds);
}

void curl_fingers(Poser& poser, const std::string& side, float curl) {
    const float sign = side == "left" ? 1.0f : -1.0f;
    for (const char* finger : {"index", "middle", "ring", "little"}) {
        const float more = std::string(finger) == "index"    ? 0.75f
                           : std::string(finger) == "little" ? 1.15f
                                                             : 1.0f;
        for (const char* bone : {"_1", "_2", "_3"})
            poser.turn(finger + ("_" + side) + bone, turn_z(-sign * curl * more));
    }
    for (const char* bone : {"_2", "_3"}) poser.turn("thumb_" + side + bone, turn_y(sign * 0.6f * curl));
}

void hang_arm(Poser& poser, const std::string& side, float lowered, float forward, float elbow, float curl) {
    const float sign = side == "left" ? 1.0f : -1.0f;
    poser.turn("shoulder_" + side, turn_z(-sign * 5.0f));
    poser.turn("upper_arm_" + side, turn_x(-forward) * turn_z(-sign * (lowered - 5.0f)) * turn_x(8.0f));
    poser.turn("forearm_" + side, turn_y(-sign * elbow));
    curl_fingers(poser, side, curl);
}

void plant_feet(Poser& poser, float turned_out) {
    poser.place_leg("left", {0.112f, 0.088f, -0.022f}, 0.0f, 0.0f, turned_out);
    poser.place_leg("right", {-0.112f, 0.088f, -0.022f}, 0.0f, 0.0f, -turned_out);
}

}  // namespace harbour
