// The stoker: shovelling coal, and trudging. His rig moves hands and feet by themselves, limbs are brought to
// them, and joints slide as his chest fills.
#include "motions.hpp"

#include "film.hpp"
#include "sculpt.hpp"

#include <cmath>

namespace harbour {
namespace {

using dendraxis::Clip;
using dendraxis::Skeleton;

std::string named(std::string pattern, const std::string& side) {
    return pattern.replace(pattern.find("{}"), 2, side);
}

float side_of(const std::string& side) {
    return side == "L" ? 1.0f : -1.0f;
}

// The foot stands by itself; the leg is brought to it.
void place_foot(Poser& poser, const std::string& side, const Vec3& ankle, float pitch) {
    const std::string foot = named("foot.{}", side);
    poser.move(foot, ankle - poser.rest_position(foot));
    poser.turn(foot, turn_x(-pitch));
    poser.place_limb({named("stk_leg_{}", side), named("Calf{}", side), named("ankle_tip_{}", side)}, ankle,
                     {0, 0, 1}, {0, 0, 1}, std::nullopt);
}

// The hand hangs on its goal; the arm is brought to it.
void place_hand(Poser& poser, const std::string& side, const Vec3& wrist, const Quat& turned) {
    const std::string goal = named("HandGoal_{}", side);
    poser.move(goal, wrist - poser.model(goal).translation);
    poser.turn(goal, turned);
    poser.place_limb({named("Shoulder.{}", side), named("LoArm{}", side), named("wrist_end_{}", side)}, wrist,
                     {0, -1.0f, -0.6f}, {0, 0, -1}, std::nullopt);
    for (const char* finger : {"2", "3", "4"}) {
        for (const char* joint : {"", "b", "c"})
            poser.turn(named("dig{}_", side) + finger + joint, turn_z(-side_of(side) * 38.0f));
    }
}

// The breast rises: two joints slide in their sockets.
void breathe(Poser& poser, float seconds, float deep) {
    const float in = 0.5f - 0.5f * wave(seconds / 1.6f);
    poser.move("chestTop", {0, 0.012f * deep * in, 0.006f * deep * in});
    poser.move("NeckTop", {0, 0.004f * deep * in, 0});
}

}  // namespace

Clip make_shovel(const Skeleton& stoker) {
    return film(stoker, "shovel", 72, [&](Poser& poser, float seconds) {
        const float phase = seconds / 2.4f;
        const float dig = 0.5f - 0.5f * wave(phase);
        const float throw_ = std::max(0.0f, std::sin(2.0f * k_pi * phase));
        poser.move("CTRL.main", {0.03f * throw_, -0.10f - 0.09f * dig, 0.02f * dig});
        poser.turn("Hips01", turn_y(14.0f * throw_) * turn_x(10.0f * dig));
        for (const char* bone : {"Belly.Up", "chestTop"})
            poser.turn(bone, turn_y(10.0f * throw_) * turn_x(8.0f + 12.0f * dig));
        poser.turn("NeckTop", turn_x(-14.0f * dig));
        poser.turn("apron_a", turn_x(-10.0f - 14.0f * dig));
        breathe(poser, seconds, 1.0f);
        place_foot(poser, "L", {0.17f, 0.09f, 0.16f}, 0.0f);
        place_foot(poser, "R", {-0.17f, 0.09f, -0.14f}, 0.0f);
        const Vec3 blade(0.10f * throw_, 0.72f - 0.22f * dig + 0.22f * throw_, 0.62f + 0.06f * dig);
        const Vec3 shaft = Vec3(-0.30f, 0.34f, -0.26f).normalized();
        place_hand(poser, "L", blade, turn_y(-70.0f));
        place_hand(poser, "R", blade + 0.46f * shaft, turn_y(70.0f));
    });
}

Clip make_trudge(const Skeleton& stoker) {
    constexpr float cycle = 1.2f;
    constexpr float stride = 0.96f;
    constexpr float planted = 0.62f;
    return film(stoker, "trudge", 73, [&](Poser& poser, float seconds) {
        const float phase = seconds / cycle;
        const float distance = stride * phase;
        // The root stays where it is: the control carries the body.
        poser.move("CTRL.main",
                   {0.02f * std::sin(2.0f * k_pi * phase), -0.055f - 0.012f * wave(2.0f * phase), distance});
        poser.turn("Hips01", turn_y(5.0f * wave(phase)));
        poser.turn("Belly.Up", turn_x(5.0f) * turn_y(-6.0f * wave(phase)));
        poser.turn("NeckTop", turn_x(-4.0f));
        poser.turn("apron_a", turn_x(-6.0f - 6.0f * wave(2.0f * phase)));
        breathe(poser, seconds, 0.7f);
        for (const std::string side : {"L", "R"}) {
            const float own = phase + (side == "L" ? 0.0f : 0.5f);
            const float at = own - std::floor(own);
            const float strike =
                (std::floor(own) - (side == "L" ? 0.0f : 0.5f)) * stride + 0.5f * planted * stride;
            Vec3 ankle(side_of(side) * 0.112f, 0.09f, strike - 0.02f);
            float pitch = 0.0f;
            if (at > planted) {
                const float t = (at - planted) / (1.0f - planted);
                ankle.z() += stride * smooth_step(0.0f, 1.0f, t);
                ankle.y() += 0.09f * std::sin(k_pi * t);
                pitch = -28.0f * std::sin(k_pi * t);
            }
            place_foot(poser, side, ankle, pitch);
            const float swing = (side == "L" ? -1.0f : 1.0f) * wave(phase);
            place_hand(
                poser, side,
                {side_of(side) * 0.30f, 0.88f + 0.02f * std::abs(swing), distance + 0.06f + 0.17f * swing},
                turn_z(-side_of(side) * 70.0f));
        }
    });
}

std::vector<Clip> clips_of_stoker(const Skeleton& stoker) {
    return {make_shovel(stoker), make_trudge(stoker)};
}

}  // namespace harbour
