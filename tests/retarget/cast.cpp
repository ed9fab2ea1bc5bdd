// Casts: one source, many bodies, exchanged while it plays.
#include "allocations.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/cast_file.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/pipeline/threads.hpp>
#include <dendraxis/retarget/cast.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;
namespace fs = std::filesystem;

namespace {

const Clip& stroll() {
    return workshop::diver().clip("stroll");
}

std::vector<CastBody> crew() {
    std::vector<CastBody> bodies;
    for (const Character* who : {&workshop::bosun(), &workshop::deckhand(), &workshop::diver()})
        bodies.push_back({who->name, pair(workshop::diver_chart(), chart(*who))});
    // The same body with another setting.
    bodies.push_back({"stiff", bodies.front().pairing});
    for (ChainPair& entry : bodies.back().pairing.chains) entry.strength = 0.0f;
    return bodies;
}

bool same_bits(std::span<const Transform> a, std::span<const Transform> b) {
    if (a.size() != b.size()) return false;
    for (std::size_t i = 0; i < a.size(); ++i) {
        if (a[i].rotation.coeffs() != b[i].rotation.coeffs() || a[i].translation != b[i].translation ||
            a[i].scale != b[i].scale)
            return false;
    }
    return true;
}

std::vector<Transform> alone(const Pairing& pairing, std::size_t frame) {
    std::vector<Transform> pose(pairing.target.skeleton.size());
    Workspace workspace;
    Transfer(pairing).apply(stroll().frame(frame), pose, workspace);
    return pose;
}

}  // namespace

TEST_CASE("every member has the pose that its body's own transfer gives, and a swap changes no one else's") {
    const std::vector<CastBody> bodies = crew();
    Cast cast(bodies, 8);
    const CastMember first = cast.add(cast.body("bosun"));
    const CastMember second = cast.add(cast.body("deckhand"));
    const CastMember third = cast.add(cast.body("deckhand"));
    CHECK(cast.size() == 3);
    cast.play(stroll().frame(5));
    CHECK(same_bits(cast.pose(first), alone(bodies[0].pairing, 5)));
    CHECK(same_bits(cast.pose(second), alone(bodies[1].pairing, 5)));
    CHECK(cast.swap(second, cast.body("diver")));
    CHECK(cast.body_of(second) == 2);
    cast.play(stroll().frame(6));
    CHECK(same_bits(cast.pose(second), alone(bodies[2].pairing, 6)));
    CHECK(same_bits(cast.pose(first), alone(bodies[0].pairing, 6)));
    CHECK(same_bits(cast.pose(third), alone(bodies[1].pairing, 6)));
    // Over threads the same bits.
    Cast other(bodies, 8);
    const CastMember there = other.add(other.body("bosun"));
    const CastMember beside = other.add(other.body("diver"));
    other.play(stroll().frame(6), 0.0f, pipeline::on_threads);
    CHECK(same_bits(other.pose(there), cast.pose(first)));
    CHECK(same_bits(other.pose(beside), cast.pose(second)));
}

TEST_CASE("members come and go while others play, and an old handle finds nobody") {
    Cast cast(crew(), 2);
    const CastMember first = cast.add(0);
    const CastMember second = cast.add(1);
    CHECK(cast.add(0) == CastMember::none);
    cast.play(stroll().frame(0));
    cast.remove(first);
    CHECK(cast.size() == 1);
    CHECK(cast.pose(first).empty());
    CHECK_FALSE(cast.swap(first, 1));
    const CastMember next = cast.add(2);
    CHECK(next != CastMember::none);
    CHECK(next != first);
    CHECK(cast.pose(first).empty());
    cast.play(stroll().frame(1));
    CHECK(cast.pose(next).size() == workshop::diver().skeleton.size());
    CHECK(cast.pose(second).size() == workshop::deckhand().skeleton.size());
    CHECK(cast.pose(CastMember::none).empty());
    CHECK(cast.add(99) == CastMember::none);
    cast.play({});  // no pose of the source: all stay as they are
    CHECK(cast.pose(next).size() == workshop::diver().skeleton.size());
}

TEST_CASE("bodies of one skeleton are blended over without a jump, others change at once") {
    const std::vector<CastBody> bodies = crew();
    Cast cast(bodies, 2);
    const CastMember member = cast.add(cast.body("bosun"));
    const float step = 1.0f / stroll().fps;
    cast.play(stroll().frame(0), step);
    CHECK(cast.swap(member, cast.body("stiff"), 0.5f));
    std::vector<Transform> before(cast.pose(member).begin(), cast.pose(member).end());
    CHECK(same_bits(before, alone(bodies[0].pairing, 0)));
    const auto farthest = [](std::span<const Transform> a, std::span<const Transform> b) {
        float worst = 0.0f;
        for (std::size_t i = 0; i < a.size(); ++i)
            worst = std::max(worst, angle_between(a[i].rotation, b[i].rotation));
        return worst * k_degrees;
    };
    // Swapped at once it would jump this far; blended, a frame goes little farther than the stroll itself
    // does.
    const float jump = farthest(before, alone(bodies[3].pairing, 1));
    float worst = 0.0f;
    float own = 0.0f;
    for (std::size_t f = 1; f < 20; ++f) {
        cast.play(stroll().frame(f), step);
        worst = std::max(worst, farthest(before, cast.pose(member)));
        own = std::max(own, farthest(alone(bodies[0].pairing, f - 1), alone(bodies[0].pairing, f)));
        before.assign(cast.pose(member).begin(), cast.pose(member).end());
    }
    MESSAGE("at once ", jump, " degrees, the stroll itself ", own, ", blended ", worst);
    CHECK(worst < 15.0f);
    CHECK(worst < own + 0.25f * jump);
    CHECK(jump > 2.0f * own);
    CHECK(same_bits(cast.pose(member), alone(bodies[3].pairing, 19)));
    CHECK(cast.swap(member, cast.body("deckhand"), 0.5f));
    cast.play(stroll().frame(20), step);
    CHECK(same_bits(cast.pose(member), alone(bodies[1].pairing, 20)));
}

TEST_CASE("playing, swapping, adding and removing ask for no memory") {
    Cast cast(crew(), 100);
    std::vector<CastMember> members;
    for (std::size_t i = 0; i < 60; ++i) members.push_back(cast.add(i % 4));
    cast.play(stroll().frame(0));
    const long before = workshop::allocations();
    for (std::size_t f = 1; f < 30; ++f) {
        cast.swap(members[f], f % 4, 0.1f);
        cast.remove(members[f + 30]);
        members[f + 30] = cast.add((f + 1) % 4);
        cast.play(stroll().frame(f), 1.0f / 30.0f);
    }
    CHECK(workshop::allocations() == before);
}

TEST_CASE("casts that make no sense are refused, with the nearest name") {
    CHECK_THROWS_WITH_AS(Cast({}, 4), doctest::Contains("has no bodies"), Error);
    std::vector<CastBody> twice = crew();
    twice[1].id = "bosun";
    CHECK_THROWS_WITH_AS(Cast(twice, 4), doctest::Contains("two bodies have the id 'bosun'"), Error);
    CHECK_THROWS_AS(Cast(crew(), 0), Error);
    CHECK_THROWS_WITH_AS(Cast(crew(), 4).replace(9, crew()[0].pairing), doctest::Contains("no body 9"),
                         Error);
    std::vector<CastBody> other = crew();
    other[1].pairing = pair(chart(workshop::hound()), chart(workshop::bosun()));
    CHECK_THROWS_WITH_AS(Cast(other, 4), doctest::Contains("another source"), Error);
    CHECK_THROWS_WITH_AS(Cast(crew(), 4).body("bosum"), doctest::Contains("did you mean 'bosun'"), Error);
}

TEST_CASE("a cast file: the check reports who cannot follow, and the others get what they would get alone") {
    const workshop::Scratch scratch;
    const std::string file = workshop::demo("crew.cast.json").string();
    const io::CastFile cast = io::read_cast(file);
    REQUIRE(cast.entries.size() == 5);
    CHECK(io::bodies_of(cast).size() == 5);
    CHECK(workshop::run_tool("cast check " + file).status == 0);

    // Beside the characters, with one name misspelled and one that is no body.
    for (const char* name : {"diver.glb", "bosun.glb", "mallet.glb"})
        fs::copy_file(workshop::demo(name), scratch / name);
    const auto write = [&](const std::string& members) {
        io::write_text(
            scratch / "x.cast.json", R"({"format": "dendraxis-cast", "version": 1, "source": "diver.glb",
            "members": {)" + members + "}}");
    };
    write(
        R"("a": {"character": "bosum.glb"}, "b": {"character": "mallet.glb"}, "c/d": {"character": "bosun.glb"})");
    const std::string broken = (scratch / "x.cast.json").string();
    const auto told = workshop::run_tool("cast check " + broken);
    CHECK(told.status == 1);
    CHECK(told.out.find("did you mean 'bosun.glb'?") != std::string::npos);
    CHECK(told.out.find("has no hips") != std::string::npos);
    const fs::path out = scratch / "out";
    const auto carried =
        workshop::run_tool("retarget --cast " + broken + " --clip stroll --out-dir " + out.string());
    CHECK(carried.status == 1);
    CHECK(fs::exists(out / "c_d.glb"));
    CHECK_FALSE(fs::exists(out / "a.glb"));
    const Pairing alone = pair(workshop::diver_chart(), chart(workshop::bosun()));
    const Clip expected = Transfer(alone).apply(stroll());
    const Clip written = io::load_character(out / "c_d.glb").clip("stroll");
    REQUIRE(written.transforms.size() == expected.transforms.size());
    float off = 0.0f;
    for (std::size_t i = 0; i < expected.transforms.size(); ++i)
        off = std::max(off, angle_between(written.transforms[i].rotation, expected.transforms[i].rotation));
    CHECK(off * k_degrees < 0.1f);
    if (workshop::has_validator()) CHECK(workshop::validator_errors(out / "c_d.glb") == "");

    write(R"("diver": {"character": "bosun.glb"})");
    const auto over =
        workshop::run_tool("retarget --cast " + broken + " --out-dir " + scratch.path().string());
    CHECK(over.status == 3);
    CHECK(over.err.find("would be written over") != std::string::npos);
    write(R"("a": {"charakter": "bosun.glb"})");
    CHECK(workshop::run_tool("cast check " + broken).status == 3);
    CHECK(workshop::run_tool("retarget --cast " + broken + " --target x.glb --out-dir y").status == 2);
}

TEST_CASE(
    "a member whose file changes while it plays becomes the new one, and the others go on bit for bit") {
    const workshop::Scratch scratch;
    for (const char* name : {"diver.glb", "bosun.glb", "stoker.glb"})
        fs::copy_file(workshop::demo(name), scratch / name);
    const auto write = [&](const char* name, const std::string& text) {
        io::write_text(scratch / name, text);
        fs::last_write_time(scratch / name, fs::file_time_type::clock::now() + std::chrono::seconds(5));
    };
    write("own.pair.json", io::pairing_json(pair(workshop::diver_chart(), chart(workshop::bosun()))));
    write("x.cast.json", R"({"format": "dendraxis-cast", "version": 1, "source": "diver.glb", "members": {
        "a": {"character": "bosun.glb", "pairing": "own.pair.json"}, "b": {"character": "stoker.glb"}}})");
    io::CastFile file = io::read_cast(scratch / "x.cast.json");
    Cast cast(io::bodies_of(file), 4);
    Cast undisturbed(io::bodies_of(file), 4);
    const CastMember a = cast.add(0);
    const CastMember b = cast.add(1);
    const CastMember b_undisturbed = undisturbed.add(1);
    CHECK(io::read_changed(file).empty());
    const auto play = [&](std::size_t frame) {
        for (const std::size_t changed : io::read_changed(file)) {
            const io::CastEntry& entry = file.entries[changed];
            if (entry.problem.empty()) cast.replace(cast.body(entry.id), *entry.pairing);
        }
        cast.play(stroll().frame(frame), 1.0f / 30.0f);
        undisturbed.play(stroll().frame(frame), 1.0f / 30.0f);
        CHECK(same_bits(cast.pose(b), undisturbed.pose(b_undisturbed)));
    };
    play(0);
    const std::size_t bones = cast.pose(a).size();

    SUBCASE("into another body") {
        fs::remove(scratch / "own.pair.json");
        write("bosun.glb", io::read_text(workshop::demo("deckhand.glb")));
        play(1);
        CHECK(file.entries[0].problem.find("own.pair.json: does not exist") != std::string::npos);
        CHECK(cast.pose(a).size() == bones);
        const Character deckhand = io::load_character(scratch / "bosun.glb");
        write("own.pair.json", io::pairing_json(pair(workshop::diver_chart(), chart(deckhand))));
        play(2);
        CHECK(file.entries[0].problem.empty());
        REQUIRE(cast.pose(a).size() == deckhand.skeleton.size());
        CHECK(same_bits(cast.pose(a), alone(*file.entries[0].pairing, 2)));
    }
    SUBCASE("into one that its pairing does not know") {
        write("bosun.glb", io::read_text(workshop::demo("hound.glb")));
        play(1);
        CHECK(file.entries[0].problem.find("own.pair.json") != std::string::npos);
        CHECK(file.entries[0].problem.find("line ") != std::string::npos);
        CHECK(cast.pose(a).size() == bones);
    }
    SUBCASE("into nothing that can be read") {
        write("bosun.glb", "no GLB at all");
        play(1);
        CHECK(file.entries[0].problem.find("bosun.glb: is not a glTF file") != std::string::npos);
        CHECK(cast.pose(a).size() == bones);
        CHECK(io::read_changed(file).empty());
    }
}
