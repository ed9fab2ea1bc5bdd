// The same character renamed, re-axed, rescaled, re-posed must give the same motion: through files, every
// frame of every demo clip.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

namespace {

// Writes `target`, retargets the diver's clips onto the file with the tool, reads the result.
Character retargeted(const Character& target) {
    const workshop::Scratch scratch;
    io::write_files(std::vector<io::OutputFile>{{scratch / "target.glb", io::new_glb(target)}});
    const auto outcome =
        workshop::run_tool("retarget --source " + workshop::demo("diver.glb").string() + " --target " +
                           (scratch / "target.glb").string() + " -o " + (scratch / "result.glb").string());
    REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    return io::load_character(scratch / "result.glb");
}

float worst_over_clips(const Character& target, const Transform& to = {}) {
    const Character result = retargeted(target);
    float worst = 0.0f;
    for (const Clip& clip : workshop::diver().clips) {
        worst = std::max(worst, variants::worst_distance(workshop::diver().skeleton, clip, result.skeleton,
                                                         result.clip(clip.name), to));
    }
    return worst;
}

constexpr float k_tenth_millimetre = 0.1e-3f;

}  // namespace

TEST_CASE("a character retargeted to itself stays the same") {
    const Character& diver = workshop::diver();
    const Transfer transfer(pair(chart(diver), chart(diver)));
    for (const Clip& clip : diver.clips) {
        const Clip result = transfer.apply(clip);
        CHECK(variants::worst_distance(diver.skeleton, clip, diver.skeleton, result) < 0.01e-3f);
        float turned = 0.0f;
        float moved = 0.0f;
        for (std::size_t i = 0; i < clip.transforms.size(); ++i) {
            turned =
                std::max(turned, angle_between(clip.transforms[i].rotation, result.transforms[i].rotation) *
                                     k_degrees);
            moved =
                std::max(moved, (clip.transforms[i].translation - result.transforms[i].translation).norm());
        }
        CHECK(turned < 0.01f);
        CHECK(moved < 0.01e-3f);
    }
}

TEST_CASE("renaming every bone changes nothing") {
    CHECK(worst_over_clips(variants::renamed(workshop::diver())) < k_tenth_millimetre);
}

TEST_CASE("turning every bone's local axes changes nothing") {
    for (const unsigned seed : {1u, 2u, 3u}) {
        CAPTURE(seed);
        CHECK(worst_over_clips(variants::reaxed(workshop::diver(), seed)) < k_tenth_millimetre);
    }
}

TEST_CASE("centimetres under a scaled node change nothing") {
    CHECK(worst_over_clips(variants::under_scaled_node(workshop::diver(), 100.0f)) < k_tenth_millimetre);
}

TEST_CASE("a Z-up character moves the same, with its node turned or without") {
    const Quat y_to_z(Eigen::AngleAxisf(90.0f / k_degrees, Vec3::UnitX()));
    CHECK(worst_over_clips(variants::under_turned_node(workshop::diver(), y_to_z)) < k_tenth_millimetre);
    Transform to;
    to.rotation = y_to_z;
    CHECK(worst_over_clips(variants::turned(workshop::diver(), y_to_z), to) < k_tenth_millimetre);
}

TEST_CASE("a character that faces another way walks its own way") {
    Transform to;
    to.rotation = Quat(Eigen::AngleAxisf(-90.0f / k_degrees, Vec3::UnitY()));
    CHECK(worst_over_clips(variants::turned(workshop::diver(), to.rotation), to) < k_tenth_millimetre);
}

TEST_CASE("another rest stance gives the same motion within a millimetre") {
    for (const float degrees : {45.0f, 80.0f, -30.0f}) {
        CAPTURE(degrees);
        CHECK(worst_over_clips(variants::arms_lowered(workshop::diver(), degrees)) < 1e-3f);
    }
}

TEST_CASE("a larger copy moves larger") {
    Transform to;
    to.scale = Vec3::Constant(1.7f);
    CHECK(worst_over_clips(variants::scaled(workshop::diver(), 1.7f), to) < k_tenth_millimetre);
}

TEST_CASE("all changes at once, and back from the variant to the diver") {
    const Quat y_to_z(Eigen::AngleAxisf(90.0f / k_degrees, Vec3::UnitX()));
    const Character lowered = variants::arms_lowered(workshop::diver(), 40.0f);
    const Character variant = variants::under_scaled_node(
        variants::turned(variants::reaxed(variants::renamed(lowered), 7), y_to_z), 100.0f);
    Transform to;
    to.rotation = y_to_z;
    CHECK(worst_over_clips(variant, to) < 1e-3f);

    const Transfer there(pair(chart(workshop::diver()), chart(variant)));
    const Transfer back(pair(chart(variant), chart(workshop::diver())));
    for (const Clip& clip : workshop::diver().clips) {
        const Clip returned = back.apply(there.apply(clip));
        CHECK(variants::worst_distance(workshop::diver().skeleton, clip, workshop::diver().skeleton,
                                       returned) < 1e-3f);
    }
}
