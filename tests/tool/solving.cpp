// The solve command and the examples of inverse kinematics, as a user runs them.
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ik/body_setup.hpp>
#include <dendraxis/ik/ground_adaptation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/gltf/ground.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace dendraxis;

namespace {

using workshop::k_diver;

workshop::Outcome solve(const std::string& arguments) {
    return workshop::run_tool("solve " + arguments);
}

}  // namespace

TEST_CASE("solve brings a hand where it is asked to, in the file that it writes") {
    const workshop::Scratch scratch;
    for (const char* name : {"diver.glb", "bosun.glb", "deckhand.glb"}) {
        CAPTURE(std::string(name));
        const std::string out = (scratch / "reached.glb").string();
        const Character before = io::load_character(workshop::demo(name));
        const Chart charted = chart(before);
        const float size = charted.height / 1.87f;
        const Vec3 position = size * Vec3(0.45f, 0.95f, 0.4f);
        const auto outcome =
            solve(workshop::demo(name).string() + " --reach arm.left=" + std::to_string(position.x()) + "," +
                  std::to_string(position.y()) + "," + std::to_string(position.z()) + " --json -o " + out);
        REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
        CHECK(outcome.out.find("\"frames_reached\": 1") != std::string::npos);
        const Character after = io::load_character(out);
        const Clip& clip = after.clip("rest-solved");
        std::vector<Transform> model(clip.bone_count);
        to_model_space(after.skeleton, clip.frame(0), model);
        const Effector hand = effector_of(charted, "arm.left");
        const Transform& bone = model[static_cast<std::size_t>(hand.bone)];
        CHECK((bone.translation + bone.rotation * hand.offset - position_in_model(charted, position)).norm() <
              2e-3f);
        if (workshop::has_validator()) CHECK(workshop::validator_errors(out).empty());
    }
}

TEST_CASE("solve walks a clip over terrain: no foot that stands is off it") {
    const workshop::Scratch scratch;
    const std::string out = (scratch / "walked.glb").string();
    const std::string slipway = workshop::demo("slipway.glb").string();
    const auto outcome =
        solve(k_diver + " --clip stroll --terrain " + slipway + " --name uphill --aim head=0,1,9 -o " + out);
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(outcome.out.find("uphill, 67 frames") != std::string::npos);
    CHECK(outcome.out.find("head") != std::string::npos);
    const Character after = io::load_character(out);
    const Chart charted = chart(workshop::diver());
    const TriangleGround ground = io::load_ground(slipway, charted);
    const Clip& before = workshop::diver().clip("stroll");
    const Clip& clip = after.clip("uphill");
    std::vector<Transform> flat(clip.bone_count);
    std::vector<Transform> model(clip.bone_count);
    float lowest = 1e30f;
    float highest_standing = 0.0f;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(after.skeleton, before.frame(f), flat);
        to_model_space(after.skeleton, clip.frame(f), model);
        for (const Sole& sole : charted.shape.soles) {
            float gap = 1e30f;
            for (const SolePoint& point : sole.points) {
                const Vec3 position = position_of(sole, point, model);
                gap = std::min(gap, position.y() - ground(position + 0.3f * Vec3::UnitY())->height);
            }
            lowest = std::min(lowest, gap);
            if (lowest_of(sole, flat, charted.up) - charted.floor < 0.002f)
                highest_standing = std::max(highest_standing, gap);
        }
    }
    MESSAGE("lowest ", 1e3f * lowest, " mm, highest that stands ", 1e3f * highest_standing, " mm");
    CHECK(lowest > -0.02f);
    CHECK(highest_standing < 0.02f);
}

TEST_CASE("terrain lies below the character, whatever its unit, its axes and its origin") {
    const std::string slipway = workshop::demo("slipway.glb").string();
    const Chart& diver = workshop::diver_chart();
    const Clip walked = walk_over(diver, workshop::diver().clip("stroll"), io::load_ground(slipway, diver));
    // Centimetres, +Z up, its origin in its hips.
    Transform place;
    place.rotation = shortest_arc(Vec3::UnitY(), Vec3::UnitZ());
    place.scale.setConstant(100.0f);
    place.translation = Vec3(0.0f, 0.0f, -90.0f);
    Character other = workshop::diver();
    const std::span<const Bone> bones = other.skeleton.bones();
    other.skeleton = Skeleton({bones.begin(), bones.end()}, place * other.skeleton.above());
    const Chart charted = chart(other);
    CHECK(charted.floor == doctest::Approx(-90.0f).epsilon(0.01));
    const Clip result = walk_over(charted, other.clip("stroll"), io::load_ground(slipway, charted));
    std::vector<Transform> expected(walked.bone_count);
    std::vector<Transform> model(walked.bone_count);
    for (const std::size_t f : {0u, 33u, 66u}) {
        to_model_space(diver.skeleton, walked.frame(f), expected);
        to_model_space(charted.skeleton, result.frame(f), model);
        for (std::size_t b = 0; b < model.size(); ++b)
            CHECK((apply(inverse(place), model[b].translation) - expected[b].translation).norm() < 2e-3f);
    }
}

TEST_CASE("solve says what is wrong in one line and writes nothing") {
    const workshop::Scratch scratch;
    const std::string out = " -o " + (scratch / "none.glb").string();
    struct Case {
        std::string arguments;
        int status;
        std::string says;
    };
    for (const Case& c : {Case{k_diver, 2, "nothing to solve"},
                          Case{k_diver + " --reach arm.left=1,2", 2, "give a name and a position"},
                          Case{k_diver + " --reach =1,2,3", 2, "give a name and a position"},
                          Case{k_diver + " --reach arm.left=1,2,nan", 2, "give a name and a position"},
                          Case{k_diver + " --reach arm.lft=1,2,3", 3, "did you mean 'arm.left'"},
                          Case{k_diver + " --aim tail=1,2,3", 3, "no chain 'tail'"},
                          Case{k_diver + " --clip strol --aim head=1,2,3", 3, "stroll"},
                          Case{k_diver + " --terrain nowhere.glb --clip stroll", 3, "nowhere.glb"},
                          Case{workshop::demo("lantern-man.glb").string() + " --terrain " +
                                   workshop::demo("lantern-man.glb").string(),
                               3, "lantern-man"}}) {
        CAPTURE(c.arguments);
        const auto outcome = solve(c.arguments + out);
        CHECK(outcome.status == c.status);
        CHECK(outcome.err.find(c.says) != std::string::npos);
        CHECK(std::count(outcome.err.begin(), outcome.err.end(), '\n') == 1);
        CHECK_FALSE(workshop::fs::exists(scratch / "none.glb"));
    }
}

TEST_CASE("ranges go into the sheet and hold from then on") {
    const workshop::Scratch scratch;
    const std::string sheet = (scratch / "diver.rig.json").string();
    const std::string out = (scratch / "out.glb").string();
    const std::string reach = " --reach arm.left=0.75,1.9,0 --json -o " + out;
    for (const std::string which : {"usual", "learned"}) {
        CAPTURE(which);
        REQUIRE(workshop::run_tool("chart " + k_diver + " --ranges " + which + " -o " + sheet).status == 0);
        const auto outcome = solve(sheet + reach);
        REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
        // So far up and out is usual, and nothing that the clips do.
        CHECK((outcome.out.find("\"frames_reached\": 1") != std::string::npos) == (which == "usual"));
        CHECK((outcome.out.find("{\"bone\": \"upper_arm_left\"") != std::string::npos) ==
              (which == "learned"));
        workshop::fs::remove(sheet);
    }
    CHECK(workshop::run_tool("chart " + k_diver + " --ranges wide").status == 2);
    CHECK(workshop::run_tool("chart " + workshop::demo("bosun.glb").string() + " --ranges learned").status ==
          3);
}

TEST_CASE("draw shows terrain, targets and ranges") {
    const workshop::Scratch scratch;
    const std::string plain = (scratch / "plain.png").string();
    const std::string marked = (scratch / "marked.png").string();
    CHECK(workshop::run_tool("draw " + k_diver + " -o " + plain).status == 0);
    const auto outcome =
        workshop::run_tool("draw " + k_diver + " --ranges --target arm.left=0.5,1,0.4 --terrain " +
                           workshop::demo("steps.glb").string() + " -o " + marked);
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(workshop::fs::file_size(marked) != workshop::fs::file_size(plain));
    CHECK(workshop::run_tool("draw " + k_diver + " --target arm.left=0.5 -o " + marked).status == 2);
}

TEST_CASE("the examples of inverse kinematics run") {
    const std::string folder = DENDRAXIS_EXAMPLES;
    const auto demo = [](const char* name) { return workshop::demo(name).string(); };
    auto outcome = workshop::run(folder + "/03_over_terrain " + k_diver + " stroll " + demo("slipway.glb"));
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(outcome.out.find("frame 120  body at 0.2") != std::string::npos);
    outcome = workshop::run(folder + "/03_over_terrain " + demo("hound.glb") + " trot " + demo("steps.glb"));
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(outcome.out.find("leg.front.left") != std::string::npos);
    outcome = workshop::run(folder + "/04_look_and_point " + k_diver + " wave-lantern");
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(outcome.out.find("arm at 100 %") != std::string::npos);
    outcome = workshop::run(folder + "/05_puppet_arm " + demo("lantern-man.glb"));
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(outcome.out.find("handle (+0.27, 1.19)  hand (+0.27, 1.19)") != std::string::npos);
    outcome = workshop::run(folder + "/06_falls_off_the_quay " + k_diver);
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(outcome.out.find("limp") != std::string::npos);
    CHECK(outcome.out.find("gets up") != std::string::npos);
    CHECK(outcome.out.rfind("following") > outcome.out.find("recovering"));
    outcome = workshop::run(folder + "/07_one_arm_hit " + k_diver + " idle upper-arm.left");
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(outcome.out.find("0.33 s  limp") != std::string::npos);
    CHECK(outcome.out.find("2.67 s  following") != std::string::npos);
    outcome = workshop::run(folder + "/15_crew " + demo("fair.cast.json") + " bow net-mender");
    CHECK(outcome.out.find("frame 20:  ferryman (19 bones)") != std::string::npos);
    CHECK(outcome.out.find("frame 40:  net-mender (") != std::string::npos);
    outcome = workshop::run(folder + "/15_crew " + demo("crew.cast.json") + " haul-rope deckhand");
    CHECK(outcome.status == 0);
    CHECK(outcome.out.find("frame 20:  bosun (59 bones)") != std::string::npos);
    CHECK(outcome.out.find("frame 40:  deckhand (") != std::string::npos);
    outcome = workshop::run(folder + "/14_pony_tail " + k_diver + " " + demo("deckhand.glb"));
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    CHECK(outcome.out.find("gets up") != std::string::npos);
    CHECK(outcome.out.find("dh:pony_a: turned by up to 7") != std::string::npos);
    outcome = workshop::run(folder + "/07_one_arm_hit " + demo("hound.glb") + " stand tail.1");
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
}
