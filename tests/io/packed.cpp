// Files whose data are compressed: packed here by the encoders of the two open formats.
#include "packing.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>

#include <doctest/doctest.h>

#include <array>
#include <cmath>
#include <cstring>
#include <functional>

using namespace dendraxis;
using nlohmann::json;

namespace {

Character reread(const workshop::Scratch& scratch, const packing::Glb& glb) {
    packing::write(scratch / "packed.glb", glb);
    return io::load_character(scratch / "packed.glb");
}

float largest_side(const std::vector<Vec3>& points) {
    Eigen::AlignedBox3f box;
    for (const Vec3& point : points) box.extend(point);
    return box.sizes().maxCoeff();
}

// The bone that moves a vertex most.
int holder_of(const SkinnedMesh& mesh, std::size_t vertex) {
    return mesh.bones[mesh.joints[vertex][0]];
}

// Draco puts vertices in an order of its own, so each is looked for.
float worst_vertex(const SkinnedMesh& packed, const SkinnedMesh& plain) {
    float worst = 0.0f;
    for (std::size_t v = 0; v < packed.positions.size(); ++v) {
        float nearest = 1e9f;
        for (std::size_t u = 0; u < plain.positions.size(); ++u) {
            const float apart = (packed.positions[v] - plain.positions[u]).norm();
            const float turned = (packed.normals[v] - plain.normals[u]).norm();
            const float heavier = std::abs(packed.weights[v][0] - plain.weights[u][0]);
            if (turned < 0.01f && heavier < 0.01f && holder_of(packed, v) == holder_of(plain, u))
                nearest = std::min(nearest, apart);
        }
        worst = std::max(worst, nearest);
    }
    return worst / largest_side(plain.positions);
}

// How far the weights of a vertex are off one together, in the file's first surface.
float worst_weights(const packing::Glb& glb) {
    const auto& attributes = glb.json["meshes"][0]["primitives"][0]["attributes"];
    const auto& accessor = glb.json["accessors"][attributes["WEIGHTS_0"].get<std::size_t>()];
    const auto& view = glb.json["bufferViews"][accessor["bufferView"].get<std::size_t>()];
    float worst = 0.0f;
    for (std::size_t v = 0; v < accessor["count"].get<std::size_t>(); ++v) {
        std::array<float, 4> weights{};
        std::memcpy(weights.data(), glb.binary.data() + view["byteOffset"].get<std::size_t>() + 16 * v, 16);
        worst = std::max(worst, std::abs(weights[0] + weights[1] + weights[2] + weights[3] - 1.0f));
    }
    return worst;
}

std::string problem_of(const workshop::Scratch& scratch, packing::Glb glb,
                       const std::function<void(packing::Glb&)>& damage) {
    damage(glb);
    try {
        reread(scratch, glb);
    } catch (const Error& problem) {
        return problem.what();
    }
    return "";
}

bool says(const std::string& text, const std::string& part) {
    return text.find(part) != std::string::npos;
}

}  // namespace

TEST_CASE("views that are compressed are read as if they were not: surfaces, skins and clips") {
    const workshop::Scratch scratch;
    const Character& plain = workshop::diver();
    const packing::Glb glb = packing::with_packed_views(packing::read(workshop::k_diver));
    const Character packed = reread(scratch, glb);
    REQUIRE(packed.meshes.size() == plain.meshes.size());
    for (std::size_t m = 0; m < plain.meshes.size(); ++m) {
        CHECK(packed.meshes[m].positions == plain.meshes[m].positions);
        CHECK(packed.meshes[m].joints == plain.meshes[m].joints);
        CHECK(packed.meshes[m].weights == plain.meshes[m].weights);
        CHECK(packed.meshes[m].triangles.size() == plain.meshes[m].triangles.size());
        float turned = 0.0f;
        for (std::size_t v = 0; v < plain.meshes[m].normals.size(); ++v)
            turned = std::max(turned, (packed.meshes[m].normals[v] - plain.meshes[m].normals[v]).norm());
        CHECK(turned < 1e-3f);
    }
    REQUIRE(packed.clips.size() == plain.clips.size());
    for (const Clip& clip : plain.clips) {
        CAPTURE(clip.name);
        CHECK(variants::worst_distance(plain.skeleton, clip, packed.skeleton, packed.clip(clip.name)) <
              0.5e-3f);
    }
}

TEST_CASE("surfaces that are compressed are read as closely as they were kept") {
    const workshop::Scratch scratch;
    const Character& plain = workshop::bosun();
    const packing::Glb glb = packing::with_packed_surfaces(packing::read(workshop::k_bosun));
    const Character packed = reread(scratch, glb);
    REQUIRE(packed.meshes.size() == plain.meshes.size());
    for (std::size_t m = 0; m < plain.meshes.size(); ++m) {
        CHECK(packed.meshes[m].positions.size() == plain.meshes[m].positions.size());
        CHECK(packed.meshes[m].triangles.size() == plain.meshes[m].triangles.size());
        CHECK(worst_vertex(packed.meshes[m], plain.meshes[m]) < 1.0f / 32768.0f);
    }
}

TEST_CASE("a surface that stands in the file plainly as well is read from there") {
    const workshop::Scratch scratch;
    const packing::Glb plain = packing::read(workshop::k_bosun);
    packing::Glb glb = packing::with_packed_surfaces(plain);
    glb.json["accessors"] = plain.json["accessors"];
    glb.json.erase("extensionsRequired");
    const Character both = reread(scratch, glb);
    for (std::size_t m = 0; m < both.meshes.size(); ++m)
        CHECK(both.meshes[m].positions == workshop::bosun().meshes[m].positions);
}

TEST_CASE("what is carried between compressed files is what is carried between plain ones, written plainly") {
    const workshop::Scratch scratch;
    packing::write(scratch / "diver.glb", packing::with_packed_views(packing::read(workshop::k_diver)));
    packing::write(scratch / "bosun.glb", packing::with_packed_surfaces(packing::read(workshop::k_bosun)));
    const auto carry = [&](const std::string& source, const std::string& target, const std::string& out) {
        const auto path = (scratch / out).string();
        const workshop::Outcome outcome = workshop::run_tool("retarget --source " + source + " --target " +
                                                             target + " --clip stroll -o " + path);
        CHECK(outcome.status == 0);
        return path;
    };
    const std::string plain = carry(workshop::k_diver, workshop::k_bosun, "plain.glb");
    const std::string packed =
        carry((scratch / "diver.glb").string(), (scratch / "bosun.glb").string(), "packed-out.glb");
    const Character a = io::load_character(plain);
    const Character b = io::load_character(packed);
    CHECK(variants::worst_distance(a.skeleton, a.clip("stroll"), b.skeleton, b.clip("stroll")) < 2e-3f);
    const json written = packing::read(packed).json;
    CHECK_FALSE(written.contains("extensionsRequired"));
    CHECK(written["buffers"].size() == 1);
    if (workshop::has_validator()) CHECK(workshop::validator_errors(packed) == "");
    CHECK(worst_weights(packing::read(packed)) < 1e-6f);
}

TEST_CASE("compressed data that are damaged are refused with their place") {
    const workshop::Scratch scratch;
    const packing::Glb views = packing::with_packed_views(packing::read(workshop::k_diver));
    const auto extension = [](packing::Glb& glb) -> json& {
        return glb.json["bufferViews"][0]["extensions"]["EXT_meshopt_compression"];
    };
    const auto of_views = [&](const auto& damage) { return problem_of(scratch, views, damage); };
    CHECK(of_views([](packing::Glb&) {}).empty());
    const std::string cut = of_views([&](auto& glb) {
        extension(glb)["byteLength"] = extension(glb)["byteLength"].template get<int>() - 7;
    });
    CHECK(says(cut, "damaged"));
    CHECK(says(cut, "/bufferViews/0"));
    CHECK(says(cut, "uncompressed"));
    CHECK(
        says(of_views([&](auto& glb) { extension(glb)["count"] = 400'000'000; }), "larger than they can be"));
    CHECK(says(of_views([&](auto& glb) { extension(glb)["byteStride"] = 0; }), "larger than they can be"));
    CHECK(says(of_views([&](auto& glb) { extension(glb)["mode"] = "KNOTS"; }), "a kind that is not read"));
    CHECK(says(of_views([&](auto& glb) { extension(glb)["filter"] = "KNOTS"; }), "a way that is not read"));
    CHECK(says(of_views([&](auto& glb) { extension(glb)["buffer"] = 1; }), "outside its buffer"));
    CHECK(says(of_views([&](auto& glb) { extension(glb)["buffer"] = 9; }), "does not exist"));
    CHECK(says(of_views([&](auto& glb) { extension(glb).erase("count"); }), "'count' is no whole number"));
    CHECK(says(of_views([&](auto& glb) { extension(glb) = 4; }), "'count' is no whole number"));

    const packing::Glb surfaces = packing::with_packed_surfaces(packing::read(workshop::k_bosun));
    const auto surface = [](packing::Glb& glb) -> json& {
        return glb.json["meshes"][0]["primitives"][0]["extensions"]["KHR_draco_mesh_compression"];
    };
    const auto of_surfaces = [&](const auto& damage) { return problem_of(scratch, surfaces, damage); };
    CHECK(of_surfaces([](packing::Glb&) {}).empty());
    const std::string short_one = of_surfaces([&](auto& glb) {
        json& view = glb.json["bufferViews"][surface(glb)["bufferView"].template get<std::size_t>()];
        view["byteLength"] = view["byteLength"].template get<int>() / 2;
    });
    CHECK(says(short_one, "a compressed surface is damaged"));
    CHECK(says(short_one, "/meshes/0"));
    CHECK(says(of_surfaces([&](auto& glb) { surface(glb)["bufferView"] = 5000; }), "does not exist"));
    CHECK(says(of_surfaces([&](auto& glb) { surface(glb).erase("attributes"); }), "no list of attributes"));
    CHECK(says(of_surfaces([&](auto& glb) { surface(glb)["attributes"]["POSITION"] = 77; }),
               "lacks its 'POSITION'"));
    CHECK(says(of_surfaces([&](auto& glb) { surface(glb)["attributes"]["POSITION"] = 1.3e10; }),
               "'POSITION' is no whole number"));
}
