// The stoker and the capture: made the awkward way, charted like the others.
#include "people.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/io/gltf/gltf.hpp>

#include <doctest/doctest.h>

#include <map>

using namespace dendraxis;

namespace {

std::map<std::string, std::vector<std::string>> chains_of(const Chart& chart,
                                                          const std::vector<std::string>& names) {
    std::map<std::string, std::vector<std::string>> result;
    for (const Chain& chain : chart.chains) {
        for (const int bone : chain.bones)
            result[chain.name].push_back(names[static_cast<std::size_t>(bone)]);
    }
    return result;
}

using Names = std::vector<std::string>;

void check_stoker(const Character& stoker, const std::vector<std::string>& names) {
    const Chart found = chart(stoker);
    const auto got = chains_of(found, names);
    const std::map<std::string, Names> wanted{{"spine", {"stk_spine_low", "Belly.Up", "chestTop"}},
                                              {"neck", {"head_base"}},
                                              {"head", {"NeckTop"}},
                                              {"shoulder.left", {"arm_root_L"}},
                                              {"arm.left", {"Shoulder.L", "LoArmL", "palm_L"}},
                                              {"thumb.left", {"digL_1", "digL_1b"}},
                                              {"index.left", {"digL_2", "digL_2b", "digL_2c"}},
                                              {"middle.left", {"digL_3", "digL_3b", "digL_3c"}},
                                              {"ring.left", {"digL_4", "digL_4b", "digL_4c"}},
                                              {"arm.right", {"Shoulder.R", "LoArmR", "palm_R"}},
                                              {"leg.left", {"stk_leg_L", "stk_leg2_L", "CalfL", "foot.L"}},
                                              {"toes.left", {"ballOfL"}},
                                              {"leg.right", {"stk_leg_R", "stk_leg2_R", "CalfR", "foot.R"}},
                                              {"loose.1", {"apron_a", "apron_b"}}};
    for (const auto& [chain, bones] : wanted) {
        CAPTURE(chain);
        REQUIRE(got.contains(chain));
        CHECK(got.at(chain) == bones);
    }
    REQUIRE(found.hips != k_no_bone);
    CHECK(names[static_cast<std::size_t>(found.hips)] == "Hips01");
    CHECK(found.find("leg.left")->lower == 2);
    CHECK(found.confidence > 0.9f);
}

}  // namespace

TEST_CASE("the stoker is charted whole: as he is, without clips, without names, turned and in another unit") {
    const Character stoker = io::load_character(workshop::demo("stoker.glb"));
    const std::vector<std::string> names = workshop::bone_names(stoker);
    check_stoker(stoker, names);
    Character still = stoker;
    still.clips.clear();
    check_stoker(still, names);
    check_stoker(variants::nameless(stoker), names);
    check_stoker(variants::sides_swapped(stoker), names);
    check_stoker(variants::under_scaled_node(stoker, 100.0f), names);
    check_stoker(variants::turned(stoker, Quat(Eigen::AngleAxisf(1.5707963f, Vec3::UnitX()))), names);
    CHECK(chart(stoker).facing.x() > 0.99f);
}

TEST_CASE("the capture stands where it walks, in inches, with nameless fingers told by shape") {
    const Character capture = io::load_character(workshop::demo("capture.bvh"));
    const Chart found = chart(capture);
    CHECK(found.height == doctest::Approx(1.825).epsilon(0.01));
    CHECK(found.rest_floor == doctest::Approx(-0.96).epsilon(0.02));
    CHECK(std::abs(found.floor) < 0.03f);
    for (const char* chain : {"spine", "neck", "head", "shoulder.left", "arm.left", "arm.right", "leg.left",
                              "leg.right", "toes.right"}) {
        CAPTURE(chain);
        REQUIRE(found.find(chain) != nullptr);
        CHECK(found.find(chain)->confidence > 0.8f);
    }
    REQUIRE(found.find("thumb.left") != nullptr);
    CHECK(found.skeleton.bone(found.find("thumb.left")->bones.front()).name.empty());
    REQUIRE(found.find("middle.right") != nullptr);
    CHECK(found.find("middle.right")->bones.size() == 2);
}

TEST_CASE("the demo's program makes the stoker and the capture as they stand") {
    const workshop::Scratch scratch;
    REQUIRE(workshop::run(std::string(DENDRAXIS_MAKE_HARBOUR) + " " + scratch.path().string()).status == 0);
    for (const char* name : {"stoker.glb", "capture.bvh"}) {
        const Character made = io::load_character(scratch / name);
        const Character kept = io::load_character(workshop::demo(name));
        REQUIRE(made.skeleton.size() == kept.skeleton.size());
        for (const Clip& clip : kept.clips)
            CHECK(variants::worst_distance(kept.skeleton, clip, made.skeleton, made.clip(clip.name)) < 1e-3f);
    }
}
