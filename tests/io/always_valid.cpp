// Whatever valid file goes in, each command writes a valid one: awkward characters, made at random, through
// all of them.
#include "crowd.hpp"
#include "workshop.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>

#include <cstring>

using namespace dendraxis;
using nlohmann::json;

namespace {

// A GLB taken apart, so that it can be made awkward.
struct Document {
    json gltf;
    std::vector<std::uint8_t> bytes;

    explicit Document(const std::vector<std::uint8_t>& glb) {
        std::uint32_t length = 0;
        std::memcpy(&length, glb.data() + 12, 4);
        gltf = json::parse(glb.begin() + 20, glb.begin() + 20 + length);
        bytes.assign(glb.begin() + 28 + length, glb.end());
    }

    int floats(const std::vector<float>& values, const char* type, int width) {
        while (bytes.size() % 4 != 0) bytes.push_back(0);
        gltf["bufferViews"].push_back(
            {{"buffer", 0}, {"byteOffset", bytes.size()}, {"byteLength", values.size() * 4}});
        const auto* begin = reinterpret_cast<const std::uint8_t*>(values.data());
        bytes.insert(bytes.end(), begin, begin + values.size() * 4);
        json accessor = {{"bufferView", gltf["bufferViews"].size() - 1},
                         {"componentType", 5126},
                         {"type", type},
                         {"count", values.size() / static_cast<std::size_t>(width)}};
        if (width == 1) {
            accessor["min"] = {*std::min_element(values.begin(), values.end())};
            accessor["max"] = {*std::max_element(values.begin(), values.end())};
        }
        gltf["accessors"].push_back(std::move(accessor));
        return static_cast<int>(gltf["accessors"].size()) - 1;
    }

    std::vector<std::uint8_t> glb() {
        while (bytes.size() % 4 != 0) bytes.push_back(0);
        gltf["buffers"][0]["byteLength"] = bytes.size();
        std::string text = gltf.dump();
        while (text.size() % 4 != 0) text += ' ';
        std::vector<std::uint8_t> out;
        const auto word = [&](std::size_t value) {
            const auto as_written = static_cast<std::uint32_t>(value);
            const auto* begin = reinterpret_cast<const std::uint8_t*>(&as_written);
            out.insert(out.end(), begin, begin + 4);
        };
        word(0x46546C67), word(2), word(28 + text.size() + bytes.size());
        word(text.size()), word(0x4E4F534A);
        out.insert(out.end(), text.begin(), text.end());
        word(bytes.size()), word(0x004E4942);
        out.insert(out.end(), bytes.begin(), bytes.end());
        return out;
    }
};

using Random = std::mt19937;

int below(Random& random, std::size_t count) {
    return static_cast<int>(random() % count);
}

// Names that are missing, stand twice, or hold what a file name or a terminal would trip over.
void odd_names(Document& file, Random& random) {
    for (json& node : file.gltf["nodes"]) {
        switch (below(random, 8)) {
            case 0:
                node.erase("name");
                break;
            case 1:
                node["name"] = "twice";
                break;
            case 2:
                node["name"] = "a/../b\n\x1b[31m";
                break;
            case 3:
                node["name"] = std::string(200, 'n');
                break;
            default:
                break;
        }
    }
}

// What this program does not know comes along: extensions, extras, cameras, other scenes.
void unknown_things(Document& file, Random& random) {
    json& gltf = file.gltf;
    gltf["extensionsUsed"].push_back("VENDOR_mooring");
    for (json& node : gltf["nodes"]) {
        if (below(random, 3) == 0) node["extras"] = {{"knots", {1, "two", nullptr}}};
        if (below(random, 5) == 0) node["extensions"]["VENDOR_mooring"] = {{"rope", 12.5}};
    }
    gltf["cameras"] = {{{"type", "perspective"}, {"perspective", {{"yfov", 0.8}, {"znear", 0.1}}}}};
    gltf["nodes"].push_back(
        {{"name", "lookout"}, {"camera", 0}, {"matrix", {1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, 3, 4, 5, 1}}});
    gltf["scenes"].push_back({{"name", "quay"}, {"nodes", {gltf["nodes"].size() - 1}}});
    if (below(random, 2) == 0) gltf["scene"] = 0;
}

// Bones of no size, of other size by axis, mirrored; at rest and in the clip.
void odd_sizes(Document& file, Random& random) {
    json& gltf = file.gltf;
    const json joints = gltf["skins"].empty() ? json::array() : gltf["skins"][0]["joints"];
    if (joints.empty() || !gltf.contains("animations")) return;
    const int bone = joints[static_cast<std::size_t>(below(random, joints.size()))];
    const std::vector<std::vector<float>> sizes{{0, 0, 0}, {1, 2, 3}, {-1, 1, 1}, {1e-6f, 1e-6f, 1e-6f}};
    gltf["nodes"][static_cast<std::size_t>(bone)]["scale"] =
        sizes[static_cast<std::size_t>(below(random, sizes.size()))];
    json& animation = gltf["animations"][0];
    for (const json& channel : animation["channels"]) {
        if (channel["target"].value("node", -1) == bone && channel["target"]["path"] == "scale") return;
    }
    const int times = file.floats({0.25f, 0.5f}, "SCALAR", 1);
    animation["samplers"].push_back(
        {{"input", times}, {"output", file.floats({1, 1, 1, 0, 0, 0}, "VEC3", 3)}});
    animation["channels"].push_back(
        {{"sampler", animation["samplers"].size() - 1}, {"target", {{"node", bone}, {"path", "scale"}}}});
}

// Curves of all kinds, a clip that starts late, a clip without a name.
void odd_clips(Document& file, Random& random) {
    json& gltf = file.gltf;
    if (!gltf.contains("animations")) return;
    gltf["animations"][0].erase("name");
    for (json& sampler : gltf["animations"][0]["samplers"]) {
        if (below(random, 3) == 0) sampler["interpolation"] = "STEP";
    }
    const int node = below(random, gltf["nodes"].size());
    if (gltf["nodes"][static_cast<std::size_t>(node)].contains("matrix")) return;
    const int times = file.floats({2.0f, 2.5f}, "SCALAR", 1);
    const int curve = file.floats({0, 0, 0, 0, 0.1f, 0, 1, 0, 0, 1, 0, 0, 0.2f, 0, 0, 0, 0, 0}, "VEC3", 3);
    json late;
    late["samplers"] = {{{"input", times}, {"output", curve}, {"interpolation", "CUBICSPLINE"}}};
    late["channels"] = {{{"sampler", 0}, {"target", {{"node", node}, {"path", "translation"}}}}};
    gltf["animations"].push_back(late);
}

// Surfaces: the same mesh under two skins, a skin without bind poses, a shape that blends.
void odd_surfaces(Document& file, Random& random) {
    json& gltf = file.gltf;
    if (gltf["skins"].empty()) return;
    json skin = gltf["skins"][0];
    if (below(random, 2) == 0) skin.erase("inverseBindMatrices");
    skin["name"] = "again";
    gltf["skins"].push_back(skin);
    json twin = {{"name", "twin"}, {"mesh", 0}, {"skin", gltf["skins"].size() - 1}};
    gltf["nodes"].push_back(twin);
    gltf["scenes"][0]["nodes"].push_back(gltf["nodes"].size() - 1);
    for (json& primitive : gltf["meshes"][0]["primitives"]) {
        const auto position = primitive["attributes"]["POSITION"].get<std::size_t>();
        const auto count = gltf["accessors"][position]["count"].get<std::size_t>();
        const int target = file.floats(std::vector<float>(count * 3, 0.01f), "VEC3", 3);
        gltf["accessors"].back()["min"] = {0.01f, 0.01f, 0.01f};
        gltf["accessors"].back()["max"] = {0.01f, 0.01f, 0.01f};
        primitive["targets"] = {{{"POSITION", target}}};
    }
    gltf["meshes"][0]["weights"] = {0.5};
}

void write_awkward(const std::filesystem::path& to, unsigned seed) {
    Random random(seed);
    crowd::Body body = crowd::make_body(seed);
    Character& character = body.character;
    Clip clip{"move", 30.0f, character.skeleton.size(), {}};
    for (int frame = 0; frame < 20; ++frame) {
        for (const Bone& bone : character.skeleton.bones()) {
            Transform local = bone.rest;
            const float turn = 0.2f * std::sin(0.3f * static_cast<float>(frame + below(random, 2)));
            local.rotation = local.rotation * Quat(Eigen::AngleAxisf(turn, Vec3::UnitX()));
            clip.transforms.push_back(local);
        }
    }
    character.clips = {clip};
    Document file(io::new_glb(character));
    if (!file.gltf.contains("skins")) file.gltf["skins"] = json::array();
    for (auto* make : {odd_names, unknown_things, odd_sizes, odd_clips, odd_surfaces}) {
        if (below(random, 3) != 0) make(file, random);
    }
    if (file.gltf["skins"].empty()) file.gltf.erase("skins");
    io::write_files(std::vector<io::OutputFile>{{to, file.glb()}});
}

}  // namespace

TEST_CASE("every file that is written is valid, whatever valid file went in") {
    if (!workshop::has_validator()) {
        MESSAGE("the validator is not installed (./test.sh installs it where npm is there): not checked");
        return;
    }
    const workshop::Scratch scratch;
    std::vector<std::filesystem::path> sources;
    // Another seed makes other files.
    const char* seed_given = std::getenv("DENDRAXIS_SEED");
    const unsigned first = seed_given == nullptr ? 9 : static_cast<unsigned>(std::atoi(seed_given));
    for (unsigned seed = first; seed < first + 8; ++seed) {
        sources.push_back(scratch / ("in" + std::to_string(seed) + ".glb"));
        write_awkward(sources.back(), seed);
    }
    REQUIRE(workshop::validator_errors(sources) == "");

    std::vector<std::filesystem::path> written;
    std::string refused;
    const std::string lantern = workshop::demo("lantern.glb").string();
    for (std::size_t i = 0; i < sources.size(); ++i) {
        const std::string mine = sources[i].string();
        const std::string other = sources[(i + 1) % sources.size()].string();
        const std::vector<std::string> commands{
            "retarget --source " + mine + " --target " + other + " -o ",
            "retarget --source " + workshop::k_diver + " --clip stroll --target " + mine + " -o ",
            "rebind " + mine + " --onto " + other + " -o ",
            "rebind " + workshop::k_diver + " --onto " + mine + " -o ",
            "solve " + mine + " --clip move --aim head=1,1,2 -o ",
            "ragdoll drop " + mine + " --seconds 1 -o ",
            "ragdoll sway " + mine + " -o ",
            "ragdoll export " + mine + " -o ",
            "equip " + mine + " --put " + lantern + "@hand.left -o ",
        };
        for (std::size_t c = 0; c < commands.size(); ++c) {
            const auto out = scratch / ("out" + std::to_string(i) + "_" + std::to_string(c) + ".glb");
            const auto outcome = workshop::run_tool(commands[c] + out.string());
            if (std::filesystem::exists(out))
                written.push_back(out);
            else
                refused += commands[c] + ": " + outcome.err + "\n";
            CHECK_MESSAGE((outcome.status >= 0 && outcome.status <= 3), commands[c], outcome.err);
        }
    }
    INFO(refused);
    CHECK(written.size() > sources.size() * 5);
    CHECK(workshop::validator_errors(written) == "");
}
