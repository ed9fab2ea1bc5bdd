// Puppets: parts files and their pictures, read, played, and refused where they are not what they should be.
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/draw/picture.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/puppet/puppet.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <functional>

using namespace dendraxis;
using nlohmann::json;

namespace {

const std::vector<std::string> k_puppets{"ferryman", "net-mender", "harbour-master"};

std::filesystem::path puppet_file(const std::string& name) {
    return workshop::demo("puppets/" + name + ".puppet.json");
}

Vec3 at(const Chart& chart, const Clip& clip, std::size_t frame, const std::string& bone) {
    std::vector<Transform> model(clip.bone_count);
    to_model_space(chart.skeleton, clip.frame(frame), model);
    return model[static_cast<std::size_t>(chart.skeleton.find(bone))].translation;
}

// Two joints, one picture.
json small() {
    return {
        {"format", "dendraxis-puppet"},
        {"version", 1},
        {"pixels_per_metre", 100},
        {"joints",
         {{{"name", "hips"}, {"position", {50, 100}}},
          {{"name", "head"}, {"parent", "hips"}, {"position", {50, 60}}, {"tip", {50, 20}}}}},
        {"parts",
         {{{"name", "body"}, {"image", "part.png"}, {"joint", "hips"}, {"pivot", {20, 30}}, {"order", 1}},
          {{"name", "face"}, {"image", "part.png"}, {"joint", "head"}, {"pivot", {20, 40}}, {"order", 2}}}}};
}

struct PuppetDesk {
    workshop::Scratch folder;

    PuppetDesk() { std::filesystem::copy(workshop::demo("puppets/ferryman/head.png"), folder / "part.png"); }
    std::string write(const json& puppet) const {
        const auto file = folder / "small.puppet.json";
        std::ofstream(file) << puppet.dump(1);
        return file.string();
    }
};

}  // namespace

TEST_CASE("the puppets of the demo are charted whole, flat, and face as their files say") {
    for (const std::string& name : k_puppets) {
        CAPTURE(name);
        const io::Rig rig = io::load_rig(puppet_file(name));
        CHECK(rig.character.name == name);
        CHECK(rig.chart.findings.size() <= 1);  // no root
        CHECK(rig.chart.facing == (name == "ferryman" ? Vec3(-Vec3::UnitX()) : Vec3(Vec3::UnitX())));
        CHECK((rig.chart.shape.flat_across - Vec3::UnitZ()).norm() < 1e-5f);
        for (const char* limb : {"arm.left", "arm.right"}) CHECK(rig.chart.find(limb)->bones.size() == 2);
        for (const char* limb : {"leg.left", "leg.right"}) CHECK(rig.chart.find(limb)->bones.size() == 3);
        CHECK(rig.chart.ranges.size() == 4);
        CHECK(rig.chart.floor == doctest::Approx(0.0f).epsilon(0.01));
    }
}

TEST_CASE("a puppet becomes a GLB that is valid, holds its pictures, and is charted alike") {
    const workshop::Scratch folder;
    for (const std::string& name : k_puppets) {
        const auto file = folder / (name + ".glb");
        const workshop::Outcome outcome =
            workshop::run_tool("convert " + puppet_file(name).string() + " " + file.string());
        REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
        if (workshop::has_validator()) CHECK(workshop::validator_errors(file) == "");
        const io::Rig from = io::load_rig(puppet_file(name));
        const io::Rig to = io::load_rig(file);
        REQUIRE(to.chart.chains.size() == from.chart.chains.size());
        for (std::size_t i = 0; i < to.chart.chains.size(); ++i)
            CHECK(to.chart.chains[i].bones == from.chart.chains[i].bones);
        std::vector<int> images;
        for (const SkinnedMesh& mesh : to.character.meshes) images.push_back(mesh.picture);
        for (const io::Picture& picture : io::pictures_of(file, images)) {
            CHECK(picture.mime_type == "image/png");
            CHECK(picture.bytes.size() > 100);
        }
        // Nearer parts stand before the others.
        for (std::size_t i = 1; i < to.character.meshes.size(); ++i)
            CHECK(to.character.meshes[i].positions[0].z() > to.character.meshes[i - 1].positions[0].z());
    }
}

TEST_CASE(
    "one plays, the puppets follow: mirrored where they face the other way, arms uncrossed, in their plane") {
    const io::Rig source = io::load_rig(workshop::demo("lantern-man.glb"));
    int apart_frames = 0;
    for (const std::string& name : k_puppets) {
        const io::Rig puppet = io::load_rig(puppet_file(name));
        const Pairing pairing = pair(source.chart, puppet.chart);
        const Transfer transfer(pairing);
        for (const Clip& clip : source.character.clips) {
            CAPTURE(name);
            CAPTURE(clip.name);
            const Clip result = transfer.apply(clip);
            for (std::size_t f = 0; f < clip.frame_count(); ++f) {
                const float ahead = puppet.chart.facing.x();  // the lantern man's feet point to +X
                const auto lean = [&](const Chart& chart, const Clip& moved, const char* low) {
                    return std::atan2(at(chart, moved, f, "head").x() - at(chart, moved, f, low).x(),
                                      at(chart, moved, f, "head").y() - at(chart, moved, f, low).y());
                };
                const float theirs = lean(source.chart, clip, "hips");
                const float own = ahead * lean(puppet.chart, result, "hips");
                CHECK(std::abs(own - theirs) < 0.1f);
                const auto apart = [&](const Chart& chart, const Clip& moved) {
                    return at(chart, moved, f, "forearm_left").x() - at(chart, moved, f, "forearm_right").x();
                };
                if (std::abs(apart(source.chart, clip)) > 0.3f) {
                    ++apart_frames;
                    CHECK(ahead * apart(puppet.chart, result) * apart(source.chart, clip) > 0.0f);
                }
                CHECK(std::abs(at(puppet.chart, result, f, "foot_left").z()) < 1e-6f);
            }
        }
    }
    CHECK(apart_frames > 100);
}

TEST_CASE("limits and bend sides of a puppet hold for what it is given") {
    PuppetDesk desk;
    json puppet = small();
    puppet["joints"][1]["limits"] = {-10, 25};
    const io::Rig rig = io::load_rig(desk.write(puppet));
    REQUIRE(rig.chart.ranges.size() == 1);
    CHECK(rig.chart.ranges[0].range.bend.to * k_degrees == doctest::Approx(25.0f));
    CHECK((rig.chart.ranges[0].range.about - rig.chart.to_upright() * Vec3::UnitZ()).norm() < 1e-4f);
    // The harbour master's arms are drawn folded: from straight they bend 92 - 22 degrees already.
    const io::Rig folded = io::load_rig(puppet_file("harbour-master"));
    const int forearm = folded.chart.skeleton.find("forearm_right");
    const auto joint = std::find_if(folded.chart.ranges.begin(), folded.chart.ranges.end(),
                                    [&](const JointRange& range) { return range.bone == forearm; });
    REQUIRE(joint != folded.chart.ranges.end());
    CHECK(joint->range.bend.from * k_degrees == doctest::Approx(-10.0 - 70.0).epsilon(0.01));
}

TEST_CASE("what is wrong in a parts file is told with its line, and nothing is written") {
    PuppetDesk desk;
    const auto message = [&](const std::function<void(json&)>& spoil) {
        json puppet = small();
        spoil(puppet);
        const std::string file = desk.write(puppet);
        const workshop::Outcome outcome =
            workshop::run_tool("convert " + file + " " + (desk.folder / "out.glb").string());
        CHECK(outcome.status != 0);
        CHECK_FALSE(std::filesystem::exists(desk.folder / "out.glb"));
        CHECK(std::count(outcome.err.begin(), outcome.err.end(), '\n') == 1);
        CHECK(outcome.err.find("(line ") != std::string::npos);
        return outcome.err;
    };
    const auto says = [&](const std::string& text, const std::function<void(json&)>& spoil) {
        CHECK_MESSAGE(message(spoil).find(text) != std::string::npos, message(spoil));
    };
    says("there is no picture 'pert.png' (line 26, at /parts/0/image); did you mean 'part.png'?",
         [](json& p) { p["parts"][0]["image"] = "pert.png"; });
    says("the pivot 200, 3 lies outside the part", [](json& p) { p["parts"][0]["pivot"] = {200, 3}; });
    says("hangs on itself", [](json& p) { p["joints"][0]["parent"] = "head"; });
    says("did you mean 'head'?", [](json& p) { p["parts"][1]["joint"] = "haed"; });
    says("did you mean 'hips'?", [](json& p) { p["joints"][1]["parent"] = "hip"; });
    says("'body' and 'face' have the same order, 1", [](json& p) { p["parts"][1]["order"] = 1; });
    says("the joint 'hips' stands twice", [](json& p) { p["joints"][1]["name"] = "hips"; });
    says("the limits go from more to less", [](json& p) { p["joints"][1]["limits"] = {20, -20}; });
    says("the tip lies on the joint", [](json& p) { p["joints"][1]["tip"] = {50, 60}; });
    says("both 'bends' and 'limits'", [](json& p) {
        p["joints"][1]["limits"] = {-20, 20};
        p["joints"][1]["bends"] = "clockwise";
    });
    says("is not as its schema asks", [](json& p) { p["joints"][1]["position"] = {1}; });
    const std::string file = desk.write(small());
    std::ofstream(file) << R"({"format": "dendraxis-puppet", "version": 1, "pixels_per_metre": 1e999})";
    CHECK(workshop::run_tool("chart " + file).err.find("holds a number that is too large") !=
          std::string::npos);
    std::ofstream(desk.folder / "part.png", std::ios::trunc) << "no picture";
    says("is no picture that can be read", [](json&) {});
}

TEST_CASE("a puppet follows in a folder of results, and a changed picture is noticed") {
    PuppetDesk desk;
    std::filesystem::copy(workshop::demo("puppets"), desk.folder / "puppets",
                          std::filesystem::copy_options::recursive);
    const std::string command = "retarget --source " + workshop::demo("lantern-man.glb").string() +
                                " --target " + (desk.folder / "puppets/ferryman.puppet.json").string() +
                                " --clip bow -o " + (desk.folder / "bow.glb").string();
    CHECK(workshop::run_tool(command).out.find("right") != std::string::npos);
    CHECK(workshop::run_tool(command).out.find("up to date") != std::string::npos);
    std::filesystem::copy(desk.folder / "puppets/ferryman/chest.png",
                          desk.folder / "puppets/ferryman/belly.png",
                          std::filesystem::copy_options::overwrite_existing);
    CHECK(workshop::run_tool(command).out.find("up to date") == std::string::npos);
    const Character again = io::load_character(desk.folder / "bow.glb");
    CHECK(again.clips.size() == 1);
}

TEST_CASE("pictures of puppets show their parts' own pictures, cut out") {
    io::Rig rig = io::load_rig(puppet_file("ferryman"));
    const auto drawn = [&] {
        draw::Panel panel{&rig.character, &rig.chart, rest_pose(rig.character.skeleton), "", ""};
        return draw::draw_png({&panel, 1}, {.width = 200, .height = 300, .plain = true});
    };
    const auto as_it_is = drawn();
    for (SkinnedMesh& mesh : rig.character.meshes) mesh.is_cut_out = false;
    const auto not_cut_out = drawn();
    for (SkinnedMesh& mesh : rig.character.meshes) mesh.picture = -1;
    const auto plain = drawn();
    CHECK(as_it_is != not_cut_out);
    CHECK(not_cut_out != plain);
    // Rims and faces take more bytes than plain quads.
    CHECK(as_it_is.size() > plain.size());
}
