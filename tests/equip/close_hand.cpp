// Fingers that close around what is mounted.
#include "sticks.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/close_hand.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace dendraxis;

namespace {

ClosedHand closed(const Character& character, const std::string& thing, const std::string& socket,
                  float strength = 1.0f) {
    const Chart chart = dendraxis::chart(character);
    const std::vector<Socket> sockets = suggested_sockets(character, chart);
    const auto found =
        std::find_if(sockets.begin(), sockets.end(), [&](const Socket& one) { return one.name == socket; });
    REQUIRE(found != sockets.end());
    const Prop prop = io::load_prop(workshop::demo(thing));
    const SocketBinding binding(sockets, chart);
    return close_hand(character, chart, binding,
                      {&prop, static_cast<std::size_t>(found - sockets.begin()), {}}, strength);
}

}  // namespace

TEST_CASE("each finger closes until it touches the handle, and no farther") {
    const auto check = [](const Character& character, const char* thing, const char* socket,
                          std::size_t fingers) {
        CAPTURE(character.name);
        const ClosedHand hand = closed(character, thing, socket);
        CHECK(hand.fingers.size() == fingers);
        for (const ClosedHand::Finger& finger : hand.fingers) {
            CAPTURE(finger.chain);
            if (finger.stuck) continue;
            CHECK(finger.touches);
            CHECK(finger.nearest > -3e-4f);
            CHECK(finger.nearest < 1e-3f);
        }
        const auto stuck = std::count_if(hand.fingers.begin(), hand.fingers.end(),
                                         [](const ClosedHand::Finger& finger) { return finger.stuck; });
        CHECK(stuck == 0);
    };
    check(workshop::bosun(), "boat-hook.glb", "hand.right", 5);
    check(workshop::bosun(), "mallet.glb", "hand.left", 5);
    check(workshop::diver(), "mallet.glb", "hand.right", 5);
    check(workshop::deckhand(), "mallet.glb", "hand.right", 2);
}

TEST_CASE("strength leaves the hand more open, and only finger bones of a clip turn") {
    const Character& bosun = workshop::bosun();
    const ClosedHand whole = closed(bosun, "boat-hook.glb", "hand.right");
    const ClosedHand half = closed(bosun, "boat-hook.glb", "hand.right", 0.5f);
    for (std::size_t i = 0; i < whole.fingers.size(); ++i)
        CHECK(half.fingers[i].closed == doctest::Approx(0.5f * whole.fingers[i].closed).epsilon(0.01));
    const Clip still = sticks::clip(bosun, 3, [](std::size_t, std::vector<Transform>&) {});
    const Clip held = with_closed_hand(still, whole);
    for (std::size_t i = 0; i < still.transforms.size(); ++i) {
        const auto bone = static_cast<int>(i % still.bone_count);
        const bool is_finger =
            std::any_of(whole.bones.begin(), whole.bones.end(),
                        [&](const ClosedHand::Turned& turned) { return turned.bone == bone; });
        const float turned = angle_between(still.transforms[i].rotation, held.transforms[i].rotation);
        if (!is_finger) CHECK(turned == 0.0f);
    }
    CHECK(whole.bones.size() == 10);
}

TEST_CASE("a hand closes the same whatever its names, axes and side") {
    const Character& bosun = workshop::bosun();
    const ClosedHand usual = closed(bosun, "mallet.glb", "hand.right");
    const auto same = [&](const ClosedHand& other, float within) {
        REQUIRE(other.fingers.size() == usual.fingers.size());
        for (std::size_t i = 0; i < usual.fingers.size(); ++i)
            CHECK(std::abs(other.fingers[i].closed - usual.fingers[i].closed) < within);
    };
    same(closed(variants::reaxed(variants::renamed(bosun), 4), "mallet.glb", "hand.right"), 0.01f);
    same(closed(bosun, "mallet.glb", "hand.left"), 0.03f);
}

TEST_CASE("closed hands from the command line, and what does not go") {
    const workshop::Scratch scratch;
    const std::string out = (scratch / "held.glb").string();
    const std::string put =
        "equip " + workshop::k_diver + " -o " + out + " --put " + workshop::demo("mallet.glb").string();
    const auto done = workshop::run_tool(put + "@hand.right,closed");
    REQUIRE_MESSAGE(done.status == 0, done.err);
    const Character held = io::load_character(out);
    const int finger = held.skeleton.find("middle_right_2");
    REQUIRE(finger >= 0);
    const auto b = static_cast<std::size_t>(finger);
    const Quat rest = held.skeleton.bone(finger).rest.rotation;
    for (const Clip& clip : held.clips) {
        CAPTURE(clip.name);
        CHECK(angle_between(clip.frame(0)[b].rotation, rest) * k_degrees > 50.0f);
        CHECK(angle_between(clip.frame(0)[b].rotation, clip.frame(clip.frame_count() - 1)[b].rotation) <
              0.01f);
    }
    if (workshop::has_validator()) CHECK(workshop::validator_errors(out) == "");
    CHECK(workshop::run_tool("equip " + workshop::k_bosun + " -o " + out + " --put " +
                             workshop::demo("mallet.glb").string() + "@hand.right,closed")
              .out.find("prop.no-clips") != std::string::npos);
    CHECK(workshop::run_tool(put + "@hand.right,closed=2").err.find("closed=N") != std::string::npos);
    CHECK(workshop::run_tool(put + "@back+hand.right,closed").status == 2);
    CHECK(workshop::run_tool(put + "@back,closed").err.find("is in no hand") != std::string::npos);

    Prop nothing;
    const ClosedHand none;
    CHECK(workshop::has(check_closed_hand(none, nothing, {}), "prop.no-fingers"));
}
