#include <dendraxis/base/error.hpp>
#include <dendraxis/io/bvh/bvh.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/character.hpp>

#include <doctest/doctest.h>

#include <filesystem>
#include <functional>

namespace {

using dendraxis::Error;
using dendraxis::ErrorCode;

ErrorCode code_of(const std::function<void()>& work) {
    try {
        work();
    } catch (const Error& problem) {
        return problem.code();
    }
    FAIL("nothing was refused");
    return ErrorCode::invalid;
}

}  // namespace

TEST_CASE("an error keeps its parts and tells them in one line") {
    const Error error(ErrorCode::unknown_name, "crane.glb", "has no\nclip 'hoist'", "node 3", "name another");
    CHECK(std::string(error.what()) == "crane.glb: has no clip 'hoist' (node 3); name another");
    CHECK(error.code() == ErrorCode::unknown_name);
    CHECK(error.subject() == "crane.glb");
    CHECK(error.where() == "node 3");
    CHECK(error.advice() == "name another");
    CHECK(std::string(Error("crane.glb", "is damaged").what()) == "crane.glb: is damaged");
    CHECK(Error("crane.glb", "is damaged").code() == ErrorCode::invalid);
    CHECK(to_string(ErrorCode::cannot_write) == "cannot-write");
}

TEST_CASE("programs tell by the code what kind of thing is wrong") {
    namespace fs = std::filesystem;
    const fs::path folder = fs::path(DENDRAXIS_SOURCE) / "demo" / "harbour";
    const dendraxis::Character character = dendraxis::io::load_character(folder / "deckhand.glb");
    CHECK(code_of([&] { character.clip("strol"); }) == ErrorCode::unknown_name);
    CHECK(code_of([&] { dendraxis::io::load_rig(folder / "nobody.glb"); }) == ErrorCode::cannot_read);
    CHECK(code_of([&] { dendraxis::io::write_text(folder, "words"); }) == ErrorCode::cannot_write);
    const std::string deep =
        "{\"asset\":{\"version\":\"2.0\"},\"extras\":" + std::string(300, '[') + std::string(300, ']') + "}";
    CHECK(code_of([&] {
              dendraxis::io::read_character({reinterpret_cast<const std::uint8_t*>(deep.data()), deep.size()},
                                            "deep");
          }) == ErrorCode::too_large);
    std::string joints = "HIERARCHY\nROOT a\n";
    for (int i = 0; i < 1100; ++i) joints += "{\nOFFSET 0 1 0\nCHANNELS 0\nJOINT b\n";
    CHECK(code_of([&] { dendraxis::io::parse_bvh(joints, "deep"); }) == ErrorCode::too_large);
}
