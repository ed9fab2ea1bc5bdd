#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/chart/bone_names.hpp>
#include <dendraxis/chart/survey.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

TEST_CASE("names are split where case, digits and separators change") {
    CHECK(name_words("upper_arm_left") == std::vector<std::string>{"upper", "arm", "left"});
    CHECK(name_words("Rig:LeftUpArm02") == std::vector<std::string>{"rig", "left", "up", "arm"});
    CHECK(name_words("IKFoot.L") == std::vector<std::string>{"ik", "foot", "l"});
    CHECK(name_words("").empty());
    CHECK(shared_words(std::vector<std::string>{"Bo.Base", "Bo.Pelvis", "Bo.Back1"}) == 1);
    CHECK(shared_words(std::vector<std::string>{"a_x", "a_y"}) == 0);
}

TEST_CASE("sides and parts are read wherever they stand") {
    struct Case {
        const char* name;
        Part part;
        Side side;
        NameKind kind = NameKind::plain;
    };
    for (const Case& c : {Case{"upper_arm_left", Part::upper_arm, Side::left},
                          Case{"L_UpArm", Part::upper_arm, Side::left},
                          Case{"armUpper.R", Part::upper_arm, Side::right},
                          Case{"rightforearm", Part::forearm, Side::right},
                          Case{"lthigh", Part::thigh, Side::left},
                          Case{"shin.l.001", Part::shin, Side::left},
                          Case{"Hip", Part::hips, Side::none},
                          Case{"hip_r", Part::thigh, Side::right},
                          Case{"hand_index_2_l", Part::index, Side::left},
                          Case{"ring", Part::ring, Side::none},
                          Case{"spine_mid", Part::spine, Side::none},
                          Case{"middle_spine", Part::spine, Side::none},
                          Case{"toe_middle_l", Part::toes, Side::left},
                          Case{"index_metacarpal_r", Part::index, Side::right, NameKind::palm},
                          Case{"UpArmTwist_L", Part::upper_arm, Side::left, NameKind::twist},
                          Case{"foot_ik.R", Part::foot, Side::right, NameKind::target},
                          Case{"toe_end_l", Part::toes, Side::left, NameKind::end},
                          Case{"clavical_r", Part::shoulder, Side::right},
                          Case{"thight.L", Part::thigh, Side::left},
                          Case{"n017", Part::none, Side::none},
                          Case{"leftover", Part::none, Side::none},
                          Case{"", Part::none, Side::none}}) {
        CAPTURE(std::string(c.name));
        const NameReading reading = read_bone_name(c.name);
        CHECK(to_string(reading.part) == to_string(c.part));
        CHECK(reading.side == c.side);
        CHECK(reading.kind == c.kind);
    }
    CHECK(read_bone_name("ring_upper_arm", 1).part == Part::upper_arm);
}

TEST_CASE("survey tells of names that stand twice and of scaled bones") {
    Character character = workshop::diver();
    std::vector<Bone> bones(character.skeleton.bones().begin(), character.skeleton.bones().end());
    bones[5].name = bones[6].name = "twin";
    bones[7].rest.scale = Vec3::Constant(2.0f);
    character.skeleton = Skeleton(std::move(bones));
    const Findings findings = survey(character).findings;
    const auto has = [&](const char* code, const std::string& where) {
        return std::any_of(findings.begin(), findings.end(),
                           [&](const Finding& f) { return f.code == code && f.where == where; });
    };
    CHECK(has("survey.duplicate-name", "twin"));
    CHECK(has("survey.scaled-bone", character.skeleton.bones()[7].label));
}
