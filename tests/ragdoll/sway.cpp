// Secondary motion: pendulums and springs whose motion is known, and what people's files hold.
#include "allocations.hpp"
#include "sticks.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/loop.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/ragdoll.hpp>
#include <dendraxis/ragdoll/sway_clip.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace dendraxis;

namespace {

// A row of links below one bone, in a straight line.
struct Row {
    Chart chart;
    SwayPlan plan;
    std::vector<Transform> rest;

    explicit Row(int links, const Vec3& along = {0.0f, -0.4f, 0.0f}) {
        std::vector<Bone> bones;
        const auto add = [&](const std::string& name, int parent, const Vec3& at) {
            Bone bone;
            bone.name = bone.label = name;
            bone.parent = parent;
            bone.rest.translation = at;
            bones.push_back(bone);
        };
        add("holder", k_no_bone, Vec3(0.0f, 2.0f, 0.0f));
        for (int i = 0; i <= links; ++i)
            add("link" + std::to_string(i), i,
                i == 0 ? Vec3(Vec3::Zero()) : Vec3(along / static_cast<float>(links)));
        chart.skeleton = Skeleton(bones);
        chart.height = 1.7f;
        rest = rest_pose(chart.skeleton);
        SwayChain chain;
        chain.name = "row";
        for (int i = 1; i <= links; ++i) chain.bones.push_back(i);
        chain.drag = chain.damping = 0.0f;
        chain.most_turn = 1.5f;
        plan.chains = {chain};
    }

    SwayChain& chain() { return plan.chains.front(); }

    Vec3 end(std::span<const Transform> pose) const {
        std::vector<Transform> model(pose.size());
        to_model_space(chart.skeleton, pose, model);
        return model.back().translation;
    }
};

// How often a row whose holder is moved aside a little swings in a second.
double swings_a_second(const Row& row, const SwaySettings& settings) {
    const SwayBinding binding(row.plan, row.chart, settings);
    Sway sway(binding);
    std::vector<Transform> pose = row.rest;
    sway.step(pose, Transform(), 0.01f);
    Transform aside;
    aside.translation.x() = 0.004f;
    std::vector<double> crossings;
    float before = 0.0f;
    for (int f = 1; f < 2400; ++f) {
        pose = row.rest;
        sway.step(pose, aside, 1.0f / 240.0f);
        const float now = row.end(pose).x();
        if ((now > 0.0f) != (before > 0.0f))
            crossings.push_back((f - static_cast<double>(now / (now - before))) / 240.0);
        before = now;
    }
    return static_cast<double>(crossings.size() - 1) / (2.0 * (crossings.back() - crossings.front()));
}

SwaySettings weightless() {
    SwaySettings settings;
    settings.gravity.setZero();
    return settings;
}

// The pose after so many frames in which the animation stands at rest.
std::vector<Transform> played_at_rest(const SwayBinding& binding, const std::vector<Transform>& rest,
                                      int frames) {
    Sway sway(binding);
    std::vector<Transform> pose;
    for (int f = 0; f < frames; ++f) {
        pose = rest;
        sway.step(pose, Transform(), 1.0f / 60.0f);
    }
    return pose;
}

float most_apart(std::span<const Transform> a, std::span<const Transform> b) {
    float most = 0.0f;
    for (std::size_t i = 0; i < a.size(); ++i)
        most = std::max(most, angle_between(a[i].rotation, b[i].rotation));
    return most * k_degrees;
}

std::vector<std::string> names_of(const SwayPlan& plan) {
    std::vector<std::string> names;
    for (const SwayChain& chain : plan.chains) names.push_back(chain.name);
    return names;
}

}  // namespace

TEST_CASE("a row swings as often as it is told, whatever the number of its links") {
    for (const int links : {1, 2, 3, 5, 8, 12}) {
        CAPTURE(links);
        Row row(links);
        row.chain().frequency = 2.0f;
        CHECK(swings_a_second(row, weightless()) == doctest::Approx(2.0).epsilon(0.02));
    }
}

TEST_CASE("a limp link swings as a pendulum, and a row of them hangs straight down in the end") {
    Row row(1);
    row.chain().frequency = 0.0f;
    CHECK(swings_a_second(row, {}) ==
          doctest::Approx(std::sqrt(9.81 / 0.4) / (2.0 * 3.14159265)).epsilon(0.02));

    Row aside(4, {0.4f, 0.0f, 0.0f});
    aside.chain().frequency = 0.0f;
    aside.chain().drag = 4.0f;
    aside.chain().most_turn = 3.0f;
    const SwayBinding binding(aside.plan, aside.chart);
    const std::vector<Transform> pose = played_at_rest(binding, aside.rest, 600);
    CHECK((aside.end(pose) - Vec3(0.0f, 1.6f, 0.0f)).norm() < 0.005f);
}

TEST_CASE("on a body that stands still a chain keeps the shape it rests in, at any weight") {
    for (const Vec3& along : {Vec3(0.0f, -0.4f, 0.0f), Vec3(0.3f, 0.2f, 0.1f), Vec3(-0.4f, 0.0f, 0.0f)}) {
        for (const float gravity : {0.0f, 0.3f, 1.0f}) {
            Row row(4, along);
            row.chain().gravity = gravity;
            row.chain().frequency = 2.0f;
            const SwayBinding binding(row.plan, row.chart);
            CHECK(most_apart(played_at_rest(binding, row.rest, 120), row.rest) < 0.05f);
        }
    }
}

TEST_CASE("what the animation moves in a chain arrives as it is") {
    Row row(4);
    row.chain().frequency = 1.5f;
    const SwayBinding binding(row.plan, row.chart, weightless());
    Sway sway(binding);
    float worst = 0.0f;
    for (int f = 0; f < 120; ++f) {
        std::vector<Transform> animated = row.rest;
        for (std::size_t b = 1; b < 5; ++b)
            animated[b].rotation =
                Quat(Eigen::AngleAxisf(0.3f * std::sin(0.2f * static_cast<float>(f)), Vec3::UnitZ()));
        std::vector<Transform> pose = animated;
        sway.step(pose, Transform(), 1.0f / 60.0f);
        worst = std::max(worst, most_apart(pose, animated));
    }
    CHECK(worst < 0.1f);
}

TEST_CASE("a chain that is swung against the body stays out of it, and only its own bones turn") {
    Row row(4);
    row.chart.shape.solids = {
        {"thigh.left", 0, 0.0f, {{0.25f, -0.3f, 0.0f}, {0.0f, 0.3f, 0.0f}, Vec3::Zero(), 0.08f}}};
    row.chain().frequency = 0.3f;
    row.chain().radius = 0.01f;
    for (const bool collide : {true, false}) {
        SwaySettings settings;
        settings.collide = collide;
        const SwayBinding binding(row.plan, row.chart, settings);
        Sway sway(binding);
        float least = 1.0f;
        Transform moved;
        for (int f = 0; f < 90; ++f) {
            moved.translation.x() -= f < 20 ? 0.05f : 0.0f;  // the chain lags behind, toward +X
            std::vector<Transform> pose = row.rest;
            sway.step(pose, moved, 1.0f / 60.0f);
            CHECK(angle_between(pose[0].rotation, row.rest[0].rotation) == 0.0f);
            std::vector<Transform> model(pose.size());
            to_model_space(row.chart.skeleton, pose, model);
            const Capsule solid = placed(row.chart.shape.solids[0].capsule, model[0]);
            for (std::size_t b = 2; b < model.size(); ++b)
                least = std::min(least, nearest_on(solid, model[b].translation).gap);
        }
        CAPTURE(collide);
        CHECK((least > 0.004f) == collide);
    }
}

TEST_CASE("rate, unit and place in the world do not matter, a jump starts it anew, a teleport does not") {
    const auto swung = [](float size, float fps, const Transform& at) {
        Row row(4, Vec3(0.0f, -0.4f * size, 0.0f));
        row.chain().frequency = 1.5f;
        row.chain().damping = 0.2f;
        SwaySettings settings;
        settings.gravity *= size;
        const SwayBinding binding(row.plan, row.chart, settings);
        Sway sway(binding);
        std::vector<Transform> pose = row.rest;
        for (int f = 0; f <= static_cast<int>(fps); ++f) {
            const float time = static_cast<float>(f) / fps;
            pose = row.rest;
            Transform moved;
            moved.translation.x() = 0.2f * size * std::sin(6.0f * time);
            sway.step(pose, at * moved, f == 0 ? 0.0f : 1.0f / fps);
        }
        return pose;
    };
    const std::vector<Transform> usual = swung(1.0f, 60.0f, {});
    CHECK(most_apart(usual, swung(1.0f, 120.0f, {})) < 1.5f);
    CHECK(most_apart(usual, swung(100.0f, 60.0f, {})) < 0.05f);
    Transform elsewhere;
    elsewhere.rotation = Quat(Eigen::AngleAxisf(2.0f, Vec3::UnitY()));
    elsewhere.translation = {10.0f, -3.0f, 5.0f};
    CHECK(most_apart(usual, swung(1.0f, 60.0f, elsewhere)) < 0.1f);

    Row row(4);
    const SwayBinding binding(row.plan, row.chart);
    Sway kept(binding);
    Sway moved(binding);
    Sway jumped(binding);
    std::vector<Transform> a, b, c;
    for (int f = 0; f < 60; ++f) {
        Transform at;
        at.translation.x() = 0.2f * std::sin(0.1f * static_cast<float>(f));
        Transform there = at;
        if (f >= 30) there = elsewhere * at;
        if (f == 30) moved.teleport(Transform(), elsewhere);
        a = b = c = row.rest;
        kept.step(a, at, 1.0f / 60.0f);
        moved.step(b, there, 1.0f / 60.0f);
        jumped.step(c, there, 1.0f / 60.0f);
        CHECK(most_apart(a, b) < 0.2f);
        if (f == 30) CHECK(most_apart(c, row.rest) < 1.0f);
    }
}

TEST_CASE("a ragdoll takes the chains over where they are, and gives them back without a jump") {
    const Character& character = workshop::deckhand();
    const Chart chart = dendraxis::chart(character);
    const SwayBinding binding(plan_sway(character, chart), chart);
    Sway sway(binding);
    const auto bone = static_cast<std::size_t>(binding.plan().chains.front().bones.front());
    std::vector<Transform> before = rest_pose(character.skeleton);
    float most = 0.0f;
    for (int f = 0; f < 240; ++f) {
        std::vector<Transform> pose = rest_pose(character.skeleton);
        Transform at;
        at.translation.z() = 0.3f * std::sin(0.06f * static_cast<float>(f));
        if (f > 80 && f <= 160) {  // as if bodies moved it
            pose[bone].rotation = before[bone].rotation * Quat(Eigen::AngleAxisf(0.01f, Vec3::UnitX()));
            sway.follow(pose, at, 1.0f / 60.0f);
        } else {
            sway.step(pose, at, 1.0f / 60.0f);
        }
        if (f > 0) most = std::max(most, angle_between(pose[bone].rotation, before[bone].rotation));
        before = pose;
    }
    CHECK(most * k_degrees < 10.0f);
}

TEST_CASE("a frame asks for no memory, and nothing handed in by mistake does harm") {
    Row row(5);
    const SwayBinding binding(row.plan, row.chart);
    Sway sway(binding);
    std::vector<Transform> pose = row.rest;
    sway.step(pose, Transform(), 1.0f / 60.0f);
    const long before = workshop::allocations();
    for (int f = 0; f < 30; ++f) {
        pose = row.rest;
        sway.step(pose, Transform(), 1.0f / 60.0f);
        sway.follow(pose, Transform(), 1.0f / 60.0f);
    }
    CHECK(workshop::allocations() == before);
    for (const float dt : {-1.0f, 0.0f, 1e9f, std::nanf("")}) {
        pose = row.rest;
        sway.step(pose, Transform(), dt);
        for (const Transform& bone : pose) CHECK(bone.rotation.coeffs().allFinite());
    }
    Transform nowhere;
    nowhere.translation.setConstant(std::nanf(""));
    pose = row.rest;
    sway.step(pose, nowhere, 0.01f);
    for (int f = 0; f < 3; ++f) {
        pose = row.rest;
        sway.step(pose, Transform(), 0.01f);
    }
    for (const Transform& bone : pose) CHECK(bone.rotation.coeffs().allFinite());

    row.chain().frequency = -1.0f;
    CHECK_THROWS_WITH(SwayBinding(row.plan, row.chart), doctest::Contains("frequency"));
    Row other(2);
    other.chain().bones = {2, 1};
    CHECK_THROWS_WITH(SwayBinding(other.plan, other.chart), doctest::Contains("do not hang from each other"));
    other.chain().bones = {};
    CHECK_THROWS_WITH(SwayBinding(other.plan, other.chart), doctest::Contains("no bones"));
    other.chain().bones = {1, 2};
    other.plan.chains.push_back(other.chain());
    CHECK_THROWS_WITH(SwayBinding(other.plan, other.chart), doctest::Contains("name of another"));
}

TEST_CASE("hair, tails, ears and coat tails are found, face, tools and what carries limbs are not") {
    const auto found = [](const Character& character) {
        return names_of(plan_sway(character, chart(character)));
    };
    CHECK(found(workshop::hound()) == std::vector<std::string>{"ear.left", "ear.right", "tail"});
    CHECK(found(workshop::bosun()) == std::vector<std::string>{"Bo.L.Coat1", "Bo.R.Coat1"});
    CHECK(found(workshop::deckhand()) == std::vector<std::string>{"dh:pony_a"});
    CHECK(found(workshop::diver()).empty());
    sticks::Plan plan;
    for (const char* hair : {"braid", "scarf"}) {
        plan.hair = hair;
        CHECK(found(sticks::figure(plan)) == std::vector<std::string>{hair});
    }
    for (const char* other : {"jaw", "brow_mid", "sword"}) {
        plan.hair = other;
        CHECK(found(sticks::figure(plan)).empty());
    }
    // Bones between the hips and the hind legs carry them, whatever they are taken for.
    sticks::FourPlan four;
    four.middle_hips = true;
    for (const std::string& name : found(sticks::on_four(four)))
        CHECK(name.find("loin") == std::string::npos);
}

TEST_CASE("names, axes and units do not change what sways and how") {
    const Quat k_z_up(Eigen::AngleAxisf(0.5f * k_pi, Vec3::UnitX()));
    const Character& hound = workshop::hound();
    // How far the last bones of all chains point from where they rest, after a second of being shaken.
    const auto shaken = [](const Character& character) {
        const Chart chart = dendraxis::chart(character);
        const SwayBinding binding(plan_sway(character, chart), chart, sway_settings(chart));
        Sway sway(binding);
        const std::vector<Transform> rest = rest_pose(chart.skeleton);
        std::vector<Transform> pose;
        for (int f = 0; f < 60; ++f) {
            Transform at;
            at.translation =
                0.05f * std::sin(0.15f * static_cast<float>(f)) * chart.height * chart.facing.cross(chart.up);
            pose = rest;
            sway.step(pose, at, 1.0f / 60.0f);
        }
        std::vector<float> turned;
        for (std::size_t c = 0; c < binding.plan().chains.size(); ++c)
            turned.push_back(k_degrees * sway.turned(c));
        return turned;
    };
    const std::vector<float> usual = shaken(hound);
    REQUIRE(usual.size() == 3);
    CHECK(usual[2] > 3.0f);
    for (const Character& other :
         {variants::reaxed(hound, 5), variants::under_scaled_node(variants::turned(hound, k_z_up), 100.0f),
          variants::scaled(variants::renamed(hound), 100.0f)}) {
        const std::vector<float> own = shaken(other);
        REQUIRE(own.size() == usual.size());
        for (std::size_t c = 0; c < own.size(); ++c) CHECK(std::abs(own[c] - usual[c]) < 0.3f);
    }
}

TEST_CASE("baked loops stay loops, also such as end one frame early, stillness stays still") {
    const Character& hound = workshop::hound();
    const Chart chart = dendraxis::chart(hound);
    const SwayBinding binding(plan_sway(hound, chart), chart, sway_settings(chart));
    Clip trot = hound.clip("trot");
    SwayedClip swayed = sway_clip(binding, chart, trot);
    CHECK(swayed.loops);
    CHECK(swayed.unclosed * k_degrees < 0.2f);
    CHECK(loop_gap(chart, swayed.clip).distance < 1e-4f);
    CHECK(swayed.chains[2].most_turned * k_degrees > 3.0f);

    trot.transforms.resize(trot.transforms.size() - trot.bone_count);
    swayed = sway_clip(binding, chart, trot);
    CHECK(swayed.loops);
    const std::size_t last = trot.frame_count() - 1;
    // From the last frame to the first is a step like those beside it.
    const float across = most_apart(swayed.clip.frame(last), swayed.clip.frame(0));
    const float beside = std::max(most_apart(swayed.clip.frame(last - 1), swayed.clip.frame(last)),
                                  most_apart(swayed.clip.frame(0), swayed.clip.frame(1)));
    CHECK(across < 1.6f * beside + 0.5f);

    Clip still = trot;
    for (std::size_t f = 0; f < still.frame_count(); ++f) {
        const std::vector<Transform> rest = rest_pose(hound.skeleton);
        std::copy(rest.begin(), rest.end(), still.frame(f).begin());
    }
    CHECK(most_apart(sway_clip(binding, chart, still).clip.transforms, still.transforms) < 0.1f);
}
