// The ragdoll part of the sheet, and glTF rigid bodies.
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/physics/gltf_physics.hpp>
#include <dendraxis/io/sheet/ragdoll_sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/ragdoll/check.hpp>

#include <doctest/doctest.h>

#include <fstream>

using namespace dendraxis;
using nlohmann::json;
namespace fs = std::filesystem;

namespace {

void check_same(const RagdollPlan& a, const RagdollPlan& b) {
    REQUIRE(a.bodies.size() == b.bodies.size());
    REQUIRE(a.joints.size() == b.joints.size());
    for (std::size_t i = 0; i < a.bodies.size(); ++i) {
        const int other = b.find(a.bodies[i].name);
        REQUIRE(other >= 0);
        const RagdollBody& twin = b.bodies[static_cast<std::size_t>(other)];
        CHECK(a.bodies[i].bone == twin.bone);
        CHECK(a.bodies[i].shape.kind == twin.shape.kind);
        CHECK((a.bodies[i].shape.half - twin.shape.half).norm() < 1e-4f);
        CHECK((a.bodies[i].at - twin.at).norm() < 1e-4f);
        CHECK(angle_between(a.bodies[i].turn, twin.turn) < 2e-3f);
        CHECK(a.bodies[i].mass == doctest::Approx(twin.mass).epsilon(1e-4));
        CHECK((a.bodies[i].inertia - twin.inertia).norm() < 2e-3f * twin.inertia.norm());
        const RagdollJoint* own = a.joint_of(static_cast<int>(i)) < 0
                                      ? nullptr
                                      : &a.joints[static_cast<std::size_t>(a.joint_of(static_cast<int>(i)))];
        if (own == nullptr) continue;
        const RagdollJoint& link = b.joints[static_cast<std::size_t>(b.joint_of(other))];
        CHECK(std::abs(own->range.bend.to - link.range.bend.to) < 1e-3f);
        CHECK(std::abs(own->range.side.from - link.range.side.from) < 1e-3f);
        CHECK(std::abs(own->range.twist.to - link.range.twist.to) < 1e-3f);
        CHECK((own->range.about - link.range.about).norm() < 2e-3f);
    }
    CHECK(a.pass_through.size() == b.pass_through.size());
}

json sheet_of(const fs::path& character, const workshop::Scratch& scratch) {
    io::Rig rig = io::load_rig(character);
    io::set_ragdoll(rig.sheet, build_ragdoll(rig.character, rig.chart), rig.chart.skeleton);
    return json::parse(io::sheet_json(rig.chart, scratch.path(), rig.sheet));
}

RagdollPlan read_back(const json& sheet, const workshop::Scratch& scratch) {
    io::write_text(scratch / "own.rig.json", sheet.dump(1));
    return *io::read_ragdoll(io::load_rig(scratch / "own.rig.json"));
}

}  // namespace

TEST_CASE("a plan comes back from the sheet, and from glTF rigid bodies, as it was") {
    workshop::Scratch scratch;
    for (const char* name : {"diver", "bosun", "deckhand", "hound"}) {
        CAPTURE(name);
        const io::Rig rig = io::load_rig(workshop::demo(std::string(name) + ".glb"));
        const RagdollPlan plan = build_ragdoll(rig.character, rig.chart);
        check_same(plan, read_back(sheet_of(rig.character.file, scratch), scratch));

        const io::OutputFile file{scratch / "physics.glb",
                                  io::glb_with_ragdoll(rig.character, rig.chart, plan)};
        io::write_files({&file, 1});
        if (workshop::has_validator()) CHECK(workshop::validator_errors(file.path) == "");
        const Character again = io::load_character(file.path);
        CHECK(again.skeleton.size() == rig.character.skeleton.size());
        check_same(plan, io::read_physics(file.path, again, chart(again)));
    }
    const io::Rig rig = io::load_rig(workshop::demo("diver.glb"));
    CHECK_THROWS_WITH_AS(io::read_physics(workshop::demo("diver.glb"), rig.character, rig.chart),
                         doctest::Contains("holds no rigid bodies"), Error);
}

TEST_CASE("what a person leaves out is filled in, what they say stays") {
    workshop::Scratch scratch;
    json sheet = sheet_of(workshop::demo("diver.glb"), scratch);
    json& parts = sheet["ragdoll"];
    for (json& body : parts["bodies"]) {
        if (body["name"] == "head") body.erase("size"), body.erase("mass"), body["shape"] = "box";
        if (body["name"] == "hand.left") body["mass"] = 0.9, body["size"] = {0.1, 0.2, 0.05};
    }
    for (json& joint : parts["joints"]) {
        if (joint["body"] == "shin.left") joint["bend"] = {-2, 90};
        if (joint["body"] == "head") joint.erase("twist"), joint.erase("bend"), joint.erase("side");
    }
    parts["profiles"]["arms"] = {"hand.left", "forearm.left"};
    const RagdollPlan plan = read_back(sheet, scratch);
    const auto body = [&](const char* name) {
        return plan.bodies[static_cast<std::size_t>(plan.find(name))];
    };
    CHECK(body("head").shape.half.minCoeff() > 0.05f);
    CHECK(body("head").mass > 3.0f);
    CHECK(body("hand.left").mass == doctest::Approx(0.9f));
    CHECK(plan.joints[static_cast<std::size_t>(plan.joint_of(plan.find("shin.left")))].range.bend.to ==
          doctest::Approx(90.0f / k_degrees));
    CHECK(plan.joints[static_cast<std::size_t>(plan.joint_of(plan.find("head")))].range.twist.to < 1.5f);
    CHECK(plan.profiles.at("arms").size() == 2);

    parts.erase("joints");
    parts["bodies"] =
        json::array({{{"name", "trunk"}, {"bone", "hips"}}, {{"name", "skull"}, {"bone", "head"}}});
    parts["profiles"] = json::object();
    parts["pass_through"] = json::array();
    const RagdollPlan two = read_back(sheet, scratch);
    REQUIRE(two.joints.size() == 1);
    CHECK(two.joints[0].above == 0);
    CHECK(two.bodies[0].mass > two.bodies[1].mass);
}

TEST_CASE("a sheet's mistakes are told with line, place and cure") {
    workshop::Scratch scratch;
    const json good = sheet_of(workshop::demo("deckhand.glb"), scratch);
    const auto refused = [&](const char* words, const std::function<void(json&)>& spoil) {
        json sheet = good;
        spoil(sheet["ragdoll"]);
        CAPTURE(words);
        CHECK_THROWS_WITH_AS(read_back(sheet, scratch), doctest::Contains(words), Error);
    };
    refused("there is no bone 'dh:haed'", [](json& r) { r["bodies"][2]["bone"] = "dh:haed"; });
    refused("goes from more to less", [](json& r) { r["joints"][0]["bend"] = {30, -30}; });
    refused("/ragdoll/bodies/0", [](json& r) { r["bodies"][0]["size"] = {0, 0.1, 0.1}; });
    refused("/ragdoll/bodies/0", [](json& r) { r["bodies"][0]["mass"] = -4; });
    refused("did you mean 'chest'", [](json& r) { r["joints"][0]["above"] = "chset"; });
    refused("form a loop", [](json& r) { r["joints"].push_back({{"body", "hips"}, {"above", "head"}}); });
    refused("is the most", [](json& r) {
        for (int i = 0; i < 10000; ++i)
            r["bodies"].push_back({{"name", "b" + std::to_string(i)}, {"bone", "dh:head"}});
    });
    refused("two bodies have the name", [](json& r) { r["bodies"][1]["name"] = r["bodies"][0]["name"]; });
}
