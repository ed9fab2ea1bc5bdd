// Soles, solids and arms fitted to the skin, and to the bones where there is none.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

namespace {

// All places and sizes of a shape, at rest, in model space.
std::vector<float> numbers_of(const Chart& chart) {
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    std::vector<float> numbers;
    const auto add = [&](const Vec3& v) { numbers.insert(numbers.end(), v.data(), v.data() + 3); };
    for (const Sole& sole : chart.shape.soles) {
        for (const SolePoint& part : sole.parts) add(position_of(sole, part, rest));
        for (const SolePoint& point : sole.points) add(position_of(sole, point, rest));
    }
    for (const Solid& solid : chart.shape.solids) {
        add(placed(solid.capsule, rest[static_cast<std::size_t>(solid.bone)]).center);
        numbers.push_back(solid.capsule.radius);
    }
    for (const ArmShape& arm : chart.shape.arms) {
        for (const Probe& probe : arm.probes) add(position_of(probe, rest));
    }
    return numbers;
}

}  // namespace

TEST_CASE("soles are flat on the floor, heel behind ball behind tip") {
    for (const Character* character : {&workshop::diver(), &workshop::bosun(), &workshop::deckhand()}) {
        CAPTURE(character->name);
        const Chart who = chart(*character);
        const std::vector<Transform> rest = rest_in_model_space(who.skeleton);
        REQUIRE(who.shape.soles.size() == 2);
        for (const Sole& sole : who.shape.soles) {
            CHECK(lowest_of(sole, rest, who.up) - who.floor == doctest::Approx(0.0).epsilon(0.004));
            std::array<float, k_foot_parts> along{};
            for (std::size_t p = 0; p < k_foot_parts; ++p) {
                const Vec3 position = position_of(sole, sole.parts[p], rest);
                CHECK(std::abs(position.dot(who.up) - who.floor) < 0.006f);
                along[p] = position.dot(who.facing);
            }
            CHECK(along[k_heel] < along[k_ball] - 0.05f * who.height);
            CHECK(along[k_ball] < along[k_tip]);
            CHECK(sole.points.size() >= 6);
        }
    }
}

TEST_CASE("the same character has the same shape, whatever its names, axes and units") {
    const std::vector<float> wanted = numbers_of(chart(workshop::diver()));
    for (const Character& variant :
         {variants::renamed(workshop::diver()), variants::reaxed(workshop::diver(), 4),
          variants::under_scaled_node(workshop::diver(), 100.0f)}) {
        const std::vector<float> own = numbers_of(chart(variant));
        REQUIRE(own.size() == wanted.size());
        float worst = 0.0f;
        for (std::size_t i = 0; i < own.size(); ++i) worst = std::max(worst, std::abs(own[i] - wanted[i]));
        CHECK(worst < 0.05e-3f);
    }
}

TEST_CASE("solids lie where the body is, as thick as it is") {
    const Chart who = chart(workshop::diver());
    const std::vector<Transform> rest = rest_in_model_space(who.skeleton);
    const auto find = [&](const std::string& part) {
        const auto found = std::find_if(who.shape.solids.begin(), who.shape.solids.end(),
                                        [&](const Solid& s) { return s.part == part; });
        REQUIRE(found != who.shape.solids.end());
        return placed(found->capsule, rest[static_cast<std::size_t>(found->bone)]);
    };
    CHECK(find("hips").radius == doctest::Approx(0.115).epsilon(0.1));
    CHECK(find("head").radius == doctest::Approx(0.08).epsilon(0.1));
    CHECK(find("thigh.left").radius == doctest::Approx(0.082).epsilon(0.1));
    CHECK(find("thigh.left").center.x() == doctest::Approx(0.1).epsilon(0.1));
    CHECK(nearest_on(find("spine"), Vec3(0, 1.1f, 0)).gap < -0.05f);
    CHECK(nearest_on(find("hips"), Vec3(0.4f, 0.95f, 0)).gap > 0.15f);
}

TEST_CASE("a wide sleeve makes no thick arm") {
    Character sleeved = workshop::diver();
    const Chain arm = *chart(sleeved).find("arm.left");
    const std::vector<Transform> rest = rest_in_model_space(sleeved.skeleton);
    const auto head = [&](std::size_t i) { return rest[static_cast<std::size_t>(arm.bones[i])].translation; };
    const Vec3 along = head(2) - head(1);
    for (SkinnedMesh& mesh : sleeved.meshes) {
        for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
            if (mesh.bones[static_cast<std::size_t>(mesh.joints[v][0])] != arm.bones[1]) continue;
            const Vec3 off = mesh.positions[v] - head(1);
            mesh.positions[v] += 3.0f * (off - along * along.dot(off) / along.squaredNorm());
        }
    }
    const auto radius = [](const Character& character) {
        return chart(character).shape.arms.front().probes[0].radius;
    };
    CHECK(radius(workshop::diver()) < 0.2f * along.norm());
    CHECK(radius(sleeved) == doctest::Approx(0.3 * static_cast<double>(along.norm())));
}

TEST_CASE("feet tread on the floor, though soles are a little below it at rest") {
    Chart sunk = chart(workshop::diver());
    const float leg = leg_length(sunk);
    const auto height = [&](float by) {
        sunk.floor += by;
        const float result = track_feet(sunk, workshop::diver().clip("idle"))[0].height[0];
        sunk.floor -= by;
        return result;
    };
    CHECK(std::abs(height(0.0f)) < 0.002f);
    CHECK(height(0.03f * leg) == doctest::Approx(height(0.0f)).epsilon(0.001));
    CHECK(height(0.1f * leg) == doctest::Approx(height(0.0f) - 0.1f * leg).epsilon(0.001));
}

TEST_CASE("an arm without a hand ends where its skin does") {
    const Character& whole = workshop::diver();
    const Chart cut = chart(variants::without_ends(whole, ChainRole::arm));
    REQUIRE(cut.find("arm.left")->bones.size() == 2);
    REQUIRE(cut.shape.arms.size() == 2);
    const std::vector<Transform> rest = rest_in_model_space(cut.skeleton);
    const std::vector<Transform> whole_rest = rest_in_model_space(whole.skeleton);
    for (const ArmShape& arm : cut.shape.arms) {
        const auto& shapes = workshop::diver_chart().shape.arms;
        const auto own = std::find_if(shapes.begin(), shapes.end(),
                                      [&](const ArmShape& other) { return other.arm == arm.arm; });
        const auto apart = [&](std::size_t probe) {
            return (position_of(arm.probes[probe], rest) - position_of(own->probes[probe], whole_rest))
                .norm();
        };
        CHECK(apart(0) < 0.002f);
        CHECK(apart(2) < 0.035f);
        CHECK(apart(3) < 0.035f);
    }
}

TEST_CASE("without a skin the bones' lengths must do") {
    const Chart bare = chart(variants::bare(workshop::diver()));
    REQUIRE(bare.shape.soles.size() == 2);
    REQUIRE(bare.shape.arms.size() == 2);
    CHECK(bare.shape.solids.size() >= 7);
    const std::vector<Transform> rest = rest_in_model_space(bare.skeleton);
    for (const Sole& sole : bare.shape.soles)
        CHECK(std::abs(lowest_of(sole, rest, bare.up) - bare.floor) < 1e-3f);
    for (const Solid& solid : bare.shape.solids) CHECK(solid.capsule.radius > 0.03f);
}

TEST_CASE("feet that stand: two thirds of a stroll, on a ledge, on a floor that runs") {
    const Chart who = chart(workshop::diver());
    const auto standing = [&](const char* clip, std::size_t foot) {
        const auto feet = track_feet(who, workshop::diver().clip(clip));
        std::size_t frames = 0;
        for (std::size_t f = 0; f < feet[foot].size(); ++f) frames += feet[foot].stands(f) ? 1 : 0;
        return static_cast<double>(frames) / static_cast<double>(feet[foot].size());
    };
    for (const std::size_t foot : {0u, 1u}) {
        CHECK(standing("stroll", foot) == doctest::Approx(0.62).epsilon(0.1));
        CHECK(standing("stroll-in-place", foot) == doctest::Approx(standing("stroll", foot)).epsilon(0.02));
        CHECK(standing("idle", foot) == 1.0);
        CHECK(standing("crouch", foot) == 1.0);
    }
    const auto hop = track_feet(who, workshop::diver().clip("hop-down"));
    CHECK(hop[0].stands(5));
    CHECK(hop[0].level[5] == doctest::Approx(0.35).epsilon(0.05));
    CHECK_FALSE(hop[0].stands(24));
    CHECK(hop[0].stands(60));
    CHECK(hop[0].level[60] == 0.0f);
    const auto spans = spans_where(
        10, [](std::size_t f) { return f < 2 || (f > 4 && f < 9); }, 3);
    REQUIRE(spans.size() == 1);
    CHECK(spans[0].first == 5);
    CHECK(spans[0].last == 8);
}

TEST_CASE("the pose that the skin was bound in") {
    const Character& diver = workshop::diver();
    const std::vector<Transform> bind = bind_pose(diver);
    for (std::size_t i = 0; i < bind.size(); ++i) {
        CHECK((bind[i].translation - diver.skeleton.bones()[i].rest.translation).norm() < 1e-4f);
        CHECK(std::abs(bind[i].rotation.dot(diver.skeleton.bones()[i].rest.rotation)) > 0.99999f);
    }
    const Clip& stroll = diver.clip("stroll");
    const Clip slow = resampled(stroll, 15.0f);
    CHECK(slow.frame_count() == 34);
    CHECK(slow.seconds() == doctest::Approx(stroll.seconds()));
    CHECK(slow.frame(3)[1].rotation.coeffs() == stroll.frame(6)[1].rotation.coeffs());
}
