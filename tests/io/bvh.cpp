#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/bvh/bvh.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

namespace {

const std::string k_plain = R"(HIERARCHY
ROOT Hull
{
  OFFSET 0 0 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT Mast
  {
    OFFSET 0 90 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    End Site
    {
      OFFSET 0 80 0
    }
  }
}
MOTION
Frames: 2
Frame Time: 0.0333333
0 1 2 0 0 0 90 0 0
3 4 5 10 20 30 0 90 0
)";

std::string replaced(std::string text, const std::string& from, const std::string& to) {
    const auto at = text.find(from);
    REQUIRE(at != std::string::npos);
    return text.replace(at, from.size(), to);
}

Quat about(const Vec3& axis, float degrees) {
    return Quat(Eigen::AngleAxisf(degrees / k_degrees, axis));
}

}  // namespace

TEST_CASE("a plain BVH file") {
    const Character mast = io::parse_bvh(k_plain, "mast");
    CHECK(mast.skeleton.size() == 3);
    CHECK(mast.skeleton.bone(2).name == "Mast_end");
    CHECK(mast.skeleton.above().scale.x() == doctest::Approx(0.01));
    const Clip& clip = mast.clip("mast");
    CHECK(clip.fps == 30.0f);
    CHECK(clip.frame_count() == 2);
    CHECK(clip.frame(1)[0].translation == Vec3(3, 4, 5));
    const Quat wanted = about(Vec3::UnitZ(), 10) * about(Vec3::UnitX(), 20) * about(Vec3::UnitY(), 30);
    CHECK(angle_between(clip.frame(1)[0].rotation, wanted) < 1e-5f);
    CHECK(angle_between(clip.frame(0)[1].rotation, about(Vec3::UnitZ(), 90)) < 1e-5f);
    CHECK(angle_between(clip.frame(1)[1].rotation, about(Vec3::UnitX(), 90)) < 1e-5f);
}

TEST_CASE("BVH files as they come") {
    const Clip plain = io::parse_bvh(k_plain, "mast").clip("mast");
    const auto same = [&](const std::string& text) {
        const Character other = io::parse_bvh(text, "mast");
        const Clip& clip = other.clip("mast");
        CHECK(clip.frame_count() == 2);
        for (std::size_t i = 0; i < 2; ++i) {
            CHECK(angle_between(clip.frame(1)[i].rotation, plain.frame(1)[i].rotation) < 1e-5f);
            CHECK((clip.frame(1)[i].translation - plain.frame(1)[i].translation).norm() < 1e-4f);
        }
        return other.findings;
    };
    SUBCASE("comments, tabs, line ends, capitals, a mark at the start") {
        std::string text =
            replaced(k_plain, "ROOT Hull\n", "# the hull\nroot\tHull \t // all hangs on it\n\n");
        text = replaced(text, "MOTION", "# now it moves\nMotion");
        for (auto at = text.find('\n'); at != std::string::npos; at = text.find('\n', at + 2))
            text.replace(at, 1, "\r\n");
        same("\xEF\xBB\xBF" + text);
    }
    SUBCASE("braces without blanks, all numbers on one line") {
        std::string text = replaced(k_plain, "ROOT Hull\n{\n  OFFSET", "ROOT Hull {OFFSET");
        same(replaced(text, "90 0 0\n3", "90 0 0 3"));
    }
    SUBCASE("end sites missing or empty") {
        CHECK(workshop::has(same(replaced(k_plain, "OFFSET 0 80 0", "")), "bvh.end-site"));
        const auto start = k_plain.find("    End Site");
        std::string text = k_plain;
        text.erase(start, text.find("  }\n}\nMOTION") - start);
        CHECK(io::parse_bvh(text, "mast").skeleton.size() == 2);
        same(text);
    }
    SUBCASE("the wrong count of frames, a cut last one") {
        CHECK(workshop::has(same(replaced(k_plain, "Frames: 2", "Frames: 7")), "bvh.frame-count"));
        CHECK(workshop::has(same(k_plain + "1 2 3\n"), "bvh.cut-short"));
    }
    SUBCASE("frame times in other forms") {
        for (const char* time : {"Frame Time: 0,0333333", "Frame Time 0.0333333", "FrameTime: 0.0333333",
                                 "Frame Time : 1/30", "Frame Time: 30", "Frame Time: +3.33333e-2"}) {
            CAPTURE(time);
            const std::string text = replaced(k_plain, "Frame Time: 0.0333333", time);
            CHECK(io::parse_bvh(text, "mast").clips[0].fps == doctest::Approx(30.0).epsilon(1e-4));
        }
        CHECK(workshop::has(
            io::parse_bvh(replaced(k_plain, "Frame Time: 0.0333333", "Frame Time: 0"), "mast").findings,
            "bvh.frame-time"));
    }
    SUBCASE("channels in another order, a root without positions, positions on a joint") {
        std::string text = replaced(k_plain, "CHANNELS 3 Zrotation Xrotation Yrotation",
                                    "CHANNELS 3 Yrotation Xrotation Zrotation");
        same(replaced(replaced(text, "0 0 0 90 0 0", "0 0 0 0 0 90"), "30 0 90 0", "30 0 90 0"));
        text = replaced(k_plain, "CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation",
                        "CHANNELS 1 Yrotation");
        text = replaced(replaced(text, "0 1 2 0 0 0 90", "0 90"), "3 4 5 10 20 30 0", "30 0");
        CHECK(angle_between(io::parse_bvh(text, "mast").clips[0].frame(1)[0].rotation,
                            about(Vec3::UnitY(), 30)) < 1e-5f);
        text = replaced(k_plain, "CHANNELS 3 Zrotation Xrotation Yrotation",
                        "CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation");
        same(replaced(replaced(text, " 90 0 0\n", " 0 90 0 90 0 0\n"), "30 0 90 0",
                      "30 0 90 0 0 90 0"));  // from the parent
        same(replaced(replaced(text, " 90 0 0\n", " 0 0 0 90 0 0\n"), "30 0 90 0",
                      "30 0 0 0 0 90 0"));  // on top of the offset
    }
    SUBCASE("values that are no numbers") {
        CHECK(workshop::has(io::parse_bvh(replaced(k_plain, "3 4 5 10", "nan 4 5 -1.#IND"), "mast").findings,
                            "bvh.not-a-number"));
    }
}

TEST_CASE("the unit of a BVH file is found from its size") {
    for (const auto& [factor, metres] :
         {std::pair(1.0f, 0.01f), std::pair(10.0f, 0.001f), std::pair(0.01f, 1.0f)}) {
        std::string text =
            replaced(k_plain, "OFFSET 0 90 0", "OFFSET 0 " + std::to_string(90.0f * factor) + " 0");
        text = replaced(text, "OFFSET 0 80 0", "OFFSET 0 " + std::to_string(80.0f * factor) + " 0");
        CHECK(io::parse_bvh(text, "mast").skeleton.above().scale.x() == doctest::Approx(metres));
    }
}

TEST_CASE("BVH files that cannot be read say where") {
    const auto message = [](const std::string& text) {
        try {
            io::parse_bvh(text, "mast");
        } catch (const Error& problem) {
            return std::string(problem.what());
        }
        return std::string("no error");
    };
    CHECK(message("").find("HIERARCHY") != std::string::npos);
    CHECK(message(replaced(k_plain, "0 90 0\n", "0 ninety 0\n")).find("line 8") != std::string::npos);
    CHECK(message(replaced(k_plain, "Zrotation Xrotation Yrotation\n    End",
                           "Zrotation Wrotation Yrotation\n    End"))
              .find("Wrotation") != std::string::npos);
    CHECK(message(replaced(k_plain, "3 4 5 10", "3 four 5 10")).find("line 20") != std::string::npos);
    CHECK(message(k_plain.substr(0, k_plain.find("    End Site"))).find("ends") != std::string::npos);
    CHECK(message(k_plain.substr(0, k_plain.find("0 1 2"))).find("no frames") != std::string::npos);
}

TEST_CASE("a clip written as BVH and read back is the same clip") {
    for (const Character* character : {&workshop::diver(), &workshop::bosun()}) {
        CAPTURE(character->name);
        const Clip clip = character->clips.empty() ? Clip{"rest", 30.0f, character->skeleton.size(),
                                                          rest_pose(character->skeleton)}
                                                   : character->clip("hop-down");
        const Character back = io::parse_bvh(io::bvh_text(character->skeleton, clip), clip.name);
        CHECK(back.clips[0].frame_count() == clip.frame_count());
        std::vector<Transform> a(character->skeleton.size());
        std::vector<Transform> b(back.skeleton.size());
        for (std::size_t f = 0; f < clip.frame_count(); f += 7) {
            to_model_space(character->skeleton, clip.frame(f), a);
            to_model_space(back.skeleton, back.clips[0].frame(f), b);
            for (std::size_t i = 0; i < a.size(); ++i) {
                const int same = back.skeleton.find(character->skeleton.bone(static_cast<int>(i)).label);
                REQUIRE(same != k_no_bone);
                CHECK((a[i].translation - b[static_cast<std::size_t>(same)].translation).norm() < 0.1e-3f);
            }
        }
    }
}

TEST_CASE(
    "joints whose names stand twice or not at all are numbered as the file lists joints, end sites aside") {
    const std::string twice =
        replaced(replaced(k_plain, "ROOT Hull", "ROOT Mast"), "JOINT Mast", "JOINT Mast");
    const Character mast = io::parse_bvh(twice, "mast");
    REQUIRE(mast.skeleton.size() == 3);
    CHECK(mast.skeleton.bone(0).label == "#0");
    CHECK(mast.skeleton.bone(1).label == "#1");
    CHECK(mast.skeleton.bone(2).label == "Mast_end");
    const Character nameless = io::parse_bvh(replaced(k_plain, "JOINT Mast", "JOINT"), "mast");
    CHECK(nameless.skeleton.bone(1).label == "#1");
    CHECK(nameless.skeleton.bone(2).label == "_end");
}

TEST_CASE("a unit that makes no person is told with the two nearest, and the figure gets a person's height") {
    const auto message_of = [](const Character& character) {
        for (const Finding& finding : character.findings) {
            if (finding.code == "bvh.unit") return to_string(finding);
        }
        return std::string();
    };
    // 170 units: centimetres; 26 units: of no unit in use.
    CHECK(message_of(io::parse_bvh(k_plain, "mast")).find("centimetres (1.70 m)") != std::string::npos);
    const std::string odd =
        replaced(replaced(k_plain, "OFFSET 0 90 0", "OFFSET 0 14 0"), "OFFSET 0 80 0", "OFFSET 0 12 0");
    const Character strange = io::parse_bvh(odd, "mast");
    const std::string message = message_of(strange);
    CHECK(message.find("makes no person in") != std::string::npos);
    CHECK(message.find("inches (0.66 m)") != std::string::npos);
    CHECK(strange.skeleton.above().scale.x() == doctest::Approx(1.65 / 26.0));
}
