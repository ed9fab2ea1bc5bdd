// The humanoid tables of VRM files name bones whose own names say nothing.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;
using nlohmann::json;

namespace {

// The nameless diver, bare, as a glTF whose extension says what some bones are.
workshop::fs::path write_with_table(const workshop::Scratch& scratch, const std::string& extension,
                                    const json& table) {
    const Character bare = variants::bare(variants::nameless(workshop::diver()));
    workshop::RawGltf file;
    for (const Bone& bone : bare.skeleton.bones()) {
        const Quat& q = bone.rest.rotation;
        const Vec3& t = bone.rest.translation;
        file.json["nodes"].push_back({{"name", bone.name},
                                      {"rotation", {q.x(), q.y(), q.z(), q.w()}},
                                      {"translation", {t.x(), t.y(), t.z()}}});
    }
    for (std::size_t i = 0; i < bare.skeleton.size(); ++i) {
        const int parent = bare.skeleton.bones()[i].parent;
        if (parent != k_no_bone)
            file.json["nodes"][static_cast<std::size_t>(parent)]["children"].push_back(i);
    }
    file.json["extensionsUsed"] = {extension};
    file.json["extensions"] = {{extension, {{"humanoid", {{"humanBones", table}}}}}};
    return file.write(scratch, "humanoid");
}

}  // namespace

TEST_CASE("declared roles of VRM 1.0 and 0.x are evidence") {
    const workshop::Scratch scratch;
    const Skeleton& skeleton = workshop::diver().skeleton;
    const std::vector<std::pair<std::string, std::string>> roles{{"hips", "hips"},
                                                                 {"spine", "spine_1"},
                                                                 {"neck", "neck"},
                                                                 {"head", "head"},
                                                                 {"leftUpperArm", "upper_arm_left"},
                                                                 {"leftLowerArm", "forearm_left"},
                                                                 {"leftHand", "hand_left"},
                                                                 {"leftIndexProximal", "index_left_1"},
                                                                 {"leftLittleProximal", "little_left_1"},
                                                                 {"rightFoot", "foot_right"}};
    json newer = json::object();
    json older = json::array();
    for (const auto& [role, bone] : roles) {
        newer[role] = {{"node", skeleton.find(bone)}};
        older.push_back({{"bone", role}, {"node", skeleton.find(bone)}});
    }
    const Chart truth = chart(workshop::diver());
    for (const auto& [extension, table] :
         {std::pair<std::string, json>("VRMC_vrm", newer), std::pair<std::string, json>("VRM", older)}) {
        CAPTURE(extension);
        const Character character = io::load_character(write_with_table(scratch, extension, table));
        CHECK(character.declared.size() == roles.size());
        const Chart found = chart(character);
        for (const char* name :
             {"spine", "neck", "head", "arm.left", "index.left", "little.left", "leg.right"}) {
            CAPTURE(name);
            REQUIRE(found.find(name) != nullptr);
            CHECK(found.find(name)->bones == truth.find(name)->bones);
        }
        const auto& evidence = found.find("head")->evidence;
        CHECK(std::any_of(evidence.begin(), evidence.end(), [](const std::string& line) {
            return line.find("declares") != std::string::npos;
        }));
    }
}

TEST_CASE("a table that names nodes which are not there is passed over") {
    const workshop::Scratch scratch;
    const json table{{"hips", {{"node", 4000}}}, {"head", {{"node", "x"}}}, {"neck", 3}};
    CHECK(io::load_character(write_with_table(scratch, "VRMC_vrm", table)).declared.empty());
}
