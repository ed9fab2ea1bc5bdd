// Flat characters: found as such, and kept in their plane whatever they are paired with.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/flat.hpp>
#include <dendraxis/ik/solve_clip.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;
namespace fs = std::filesystem;

namespace {

const Character& lantern_man() {
    static const Character puppet = io::load_character(workshop::demo("lantern-man.glb"));
    return puppet;
}

// Arms longer than its legs, and a short back.
Character with_other_proportions(Character puppet) {
    std::vector<Bone> bones(puppet.skeleton.bones().begin(), puppet.skeleton.bones().end());
    for (Bone& bone : bones) {
        const auto is = [&](const char* word) { return bone.name.find(word) != std::string::npos; };
        if (is("forearm") || is("hand")) bone.rest.translation *= 1.6f;
        if (is("shin") || is("foot")) bone.rest.translation *= 0.7f;
        if (is("breast")) bone.rest.translation *= 0.8f;
    }
    puppet.skeleton = Skeleton(std::move(bones), puppet.skeleton.above());
    return puppet;
}

Vec3 across_x(const Vec3& position) {
    return {-position.x(), position.y(), position.z()};
}

// Drawn facing the other way.
Character mirrored(Character puppet) {
    std::vector<Bone> bones(puppet.skeleton.bones().begin(), puppet.skeleton.bones().end());
    for (Bone& bone : bones) {
        bone.rest.translation = across_x(bone.rest.translation);
        bone.rest.rotation = {bone.rest.rotation.w(), bone.rest.rotation.x(), -bone.rest.rotation.y(),
                              -bone.rest.rotation.z()};
    }
    puppet.skeleton = Skeleton(std::move(bones), puppet.skeleton.above());
    const Affine across(Eigen::Scaling(-1.0f, 1.0f, 1.0f));
    for (SkinnedMesh& mesh : puppet.meshes) {
        for (Vec3& position : mesh.positions) position = across_x(position);
        for (Affine& bind : mesh.inverse_bind) bind = across * bind * across;
    }
    puppet.clips.clear();
    return puppet;
}

// The farthest that a joint comes out of the plane in which it rests, of the height.
float out_of_plane(const Chart& chart, const Clip& clip) {
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    const Vec3& normal = chart.shape.flat_across;
    std::vector<Transform> model(clip.bone_count);
    float worst = 0.0f;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(chart.skeleton, clip.frame(f), model);
        for (std::size_t b = 0; b < model.size(); ++b)
            worst = std::max(worst, std::abs(normal.dot(model[b].translation - rest[b].translation)));
    }
    return worst / chart.height;
}

// How a bone points within the plane, radians, seen along the paired facing.
float heading(const Chart& chart, const Vec3& facing, std::span<const Transform> model, const Chain& chain,
              std::size_t i) {
    const Vec3 along = head_of(chain.bones[i + 1], model) - head_of(chain.bones[i], model);
    return std::atan2(along.dot(chart.up), along.dot(chart.up.cross(facing)));
}

}  // namespace

TEST_CASE("flat characters are found, in any plane and of any size, and others have depth") {
    CHECK((flat_across(lantern_man()).cwiseAbs() - Vec3::UnitZ()).norm() < 1e-5f);
    const Quat lying(Eigen::AngleAxisf(1.5707963f, Vec3::UnitX()));
    CHECK((flat_across(variants::turned(lantern_man(), lying)).cwiseAbs() - Vec3::UnitY()).norm() < 1e-4f);
    CHECK_FALSE(flat_across(variants::scaled(lantern_man(), 250.0f)).isZero());
    CHECK(flat_across(variants::bare(lantern_man())).isZero());
    for (const Character* solid : {&workshop::diver(), &workshop::bosun(), &workshop::hound()})
        CHECK(flat_across(*solid).isZero());
}

TEST_CASE("a puppet of other proportions, in another plane, moves in its plane as the first one does") {
    const Chart from = chart(lantern_man());
    const Character other = with_other_proportions(lantern_man());
    const Quat aside(Eigen::AngleAxisf(1.5707963f, Vec3::UnitY()));
    for (const Character& puppet : {other, variants::turned(other, aside), variants::scaled(other, 30.0f)}) {
        const Chart to = chart(puppet);
        REQUIRE_FALSE(to.shape.flat_across.isZero());
        const Pairing pairing = pair(from, to);
        REQUIRE_FALSE(pairing.is_same_build());
        const Transfer transfer(pairing);
        for (const Clip& clip : lantern_man().clips) {
            CAPTURE(clip.name);
            const Clip result = transfer.apply(clip);
            CHECK(out_of_plane(to, result) < 1e-6f);
            const Clip turns = transfer.apply_turns(clip);
            CHECK(out_of_plane(to, turns) < 1e-6f);
            std::vector<Transform> source(clip.bone_count);
            std::vector<Transform> target(turns.bone_count);
            for (std::size_t f = 0; f < clip.frame_count(); f += 7) {
                to_model_space(from.skeleton, clip.frame(f), source);
                to_model_space(to.skeleton, turns.frame(f), target);
                for (const char* limb : {"arm.left", "arm.right", "leg.left", "leg.right"}) {
                    for (std::size_t i = 0; i < 2; ++i) {
                        const float a = heading(from, pairing.source.facing, source, *from.find(limb), i);
                        const float b = heading(to, pairing.target.facing, target, *to.find(limb), i);
                        CHECK(std::abs(wrapped(a - b)) * k_degrees < 0.1f);
                    }
                }
            }
        }
    }
}

TEST_CASE("arms of a flat figure, which lie before its body or behind it, are not taken out of it") {
    const Chart from = chart(lantern_man());
    for (const char* name : {"ferryman", "net-mender", "harbour-master"}) {
        CAPTURE(name);
        const fs::path file = workshop::demo("puppets") / (std::string(name) + ".puppet.json");
        const Pairing pairing = pair(from, chart(io::load_character(file)));
        REQUIRE_FALSE(pairing.target.shape.flat_across.isZero());
        for (const Clip& clip : lantern_man().clips) {
            CAPTURE(clip.name);
            const ClipReview review = review_clip(pairing, clip, Transfer(pairing).apply(clip));
            CHECK(review["direction_error_deg"].value < 15.0f);
            CHECK(review["clipping_mm"].frame == -1);
        }
    }
}

TEST_CASE("a puppet renamed, re-axed, rescaled or in another plane moves as it did") {
    const Character& man = lantern_man();
    const Chart from = chart(man);
    const Quat aside(Eigen::AngleAxisf(1.5707963f, Vec3::UnitY()));
    const auto worst = [&](const Character& other, const Transform& to) {
        const Transfer transfer(pair(from, chart(other)));
        float most = 0.0f;
        for (const Clip& clip : man.clips)
            most = std::max(
                most, variants::worst_distance(man.skeleton, clip, other.skeleton, transfer.apply(clip), to));
        return most / from.height;
    };
    CHECK(worst(variants::renamed(man), {}) < 1e-4f);
    CHECK(worst(variants::nameless(man), {}) < 1e-4f);
    CHECK(worst(variants::reaxed(man, 3), {}) < 1e-4f);
    CHECK(worst(variants::under_scaled_node(man, 100.0f), {}) < 1e-4f);
    CHECK(worst(variants::turned(man, aside), {aside, Vec3::Zero(), Vec3::Ones()}) < 1e-4f);
    CHECK(worst(variants::scaled(man, 30.0f), {Quat::Identity(), Vec3::Zero(), Vec3::Constant(30.0f)}) <
          3e-3f);
}

TEST_CASE("a puppet drawn facing the other way moves as the mirror image") {
    const Character& man = lantern_man();
    const Character other = mirrored(man);
    const Chart from = chart(man);
    const Chart to = chart(other);
    CHECK(to.facing.dot(from.facing) < -0.99f);
    const Transfer transfer(pair(from, to));
    std::vector<Transform> source(man.skeleton.size());
    std::vector<Transform> target(man.skeleton.size());
    for (const Clip& clip : man.clips) {
        CAPTURE(clip.name);
        const Clip result = transfer.apply(clip);
        float most = 0.0f;
        for (std::size_t f = 0; f < clip.frame_count(); ++f) {
            to_model_space(man.skeleton, clip.frame(f), source);
            to_model_space(other.skeleton, result.frame(f), target);
            for (std::size_t b = 0; b < source.size(); ++b)
                most = std::max(most,
                                (target[b].translation - across_x(source[b].translation)).head<2>().norm());
        }
        CHECK(most / from.height < 1e-3f);
        CHECK(out_of_plane(to, result) < out_of_plane(from, clip) + 1e-6f);
    }
}

TEST_CASE("what a flat character gets from one with depth stays in its plane, and a note says so") {
    const Chart to = chart(lantern_man());
    const Pairing pairing = pair(workshop::diver_chart(), to);
    CHECK(workshop::has(pairing.findings, "pair.flat-target"));
    const Transfer transfer(pairing);
    for (const char* name : {"wave-lantern", "stroll"})
        CHECK(out_of_plane(to, transfer.apply(workshop::diver().clip(name))) < 1e-6f);
    CHECK_FALSE(workshop::has(pair(to, to).findings, "pair.flat-target"));
}

TEST_CASE("a flat character is solved in its plane, with its usual ranges") {
    const Chart puppet = chart(lantern_man());
    for (const float side : {-1.0f, 1.0f}) {
        SolveTask task;
        Effector hand = effector_of(puppet, "arm.left");
        const Vec3 asked(0.3f, 0.9f + 0.2f * side, 0.25f);
        hand.target = target_in_plane(puppet, hand, asked);
        CHECK((hand.target - asked).norm() == doctest::Approx(0.25f).epsilon(0.1));
        task.effectors.push_back({"arm.left", hand});
        const SolvedClip solved = solve_clip(puppet, lantern_man().clip("bow"), task);
        CHECK(solved.residuals[0].worst < 0.01f * puppet.height);
        CHECK(out_of_plane(puppet, solved.clip) < 1e-6f);
    }
}
