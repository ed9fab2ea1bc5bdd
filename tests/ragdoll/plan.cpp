// Plans: what is built fits, is whole and is the same whatever the character's dress; each fault is found.
#include "people.hpp"
#include "sticks.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/ragdoll/binding.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/check.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <functional>
#include <random>

using namespace dendraxis;

namespace {

// Of a skin vertex the body that moves it most, found here by the weights alone.
int body_of(const SkinnedMesh& mesh, std::size_t vertex, const std::vector<int>& owners, std::size_t bodies) {
    std::vector<float> shares(bodies, 0.0f);
    for (std::size_t k = 0; k < 4; ++k) {
        const int owner = owners[static_cast<std::size_t>(mesh.bones[mesh.joints[vertex][k]])];
        if (owner >= 0) shares[static_cast<std::size_t>(owner)] += mesh.weights[vertex][k];
    }
    const auto most = std::max_element(shares.begin(), shares.end());
    return *most > 0.0f ? static_cast<int>(most - shares.begin()) : -1;
}

struct Surface {
    std::vector<Vec3> positions;
    std::vector<int> bodies;
    std::vector<std::array<std::uint32_t, 3>> triangles;
};

Surface surface_of(const Character& character, const Chart& chart, const RagdollPlan& plan) {
    const std::vector<int> owners = bodies_of_bones(chart.skeleton, plan);
    std::vector<Affine> stands(chart.skeleton.size());
    to_model_matrices(chart.skeleton, rest_pose(chart.skeleton), stands);
    Surface surface;
    for (const SkinnedMesh& mesh : character.meshes) {
        std::vector<Vec3> positions(mesh.positions.size());
        deform(mesh, stands, positions);
        const auto first = static_cast<std::uint32_t>(surface.positions.size());
        for (std::size_t v = 0; v < positions.size(); ++v) {
            surface.positions.push_back(chart.to_upright() * positions[v]);
            surface.bodies.push_back(body_of(mesh, v, owners, plan.bodies.size()));
        }
        for (const auto& t : mesh.triangles)
            surface.triangles.push_back({first + t[0], first + t[1], first + t[2]});
    }
    return surface;
}

int nearest_body(const Surface& surface, const Vec3& point) {
    float best = 1e30f;
    int body = -1;
    for (std::size_t v = 0; v < surface.positions.size(); ++v) {
        const float square = (surface.positions[v] - point).squaredNorm();
        if (square < best) best = square, body = surface.bodies[v];
    }
    return body;
}

struct Crossing {
    float height;
    int direction;  // 1: into the skin, going up
};

// Where an upright line goes through the skin.
std::vector<Crossing> crossings(const Surface& surface, float x, float z) {
    std::vector<Crossing> found;
    for (const auto& t : surface.triangles) {
        const Vec3& a = surface.positions[t[0]];
        const Vec3 ab = surface.positions[t[1]] - a;
        const Vec3 ac = surface.positions[t[2]] - a;
        const float area = ab.z() * ac.x() - ab.x() * ac.z();  // above 0: the triangle looks up
        const float b = ((z - a.z()) * ac.x() - (x - a.x()) * ac.z()) / area;
        const float c = ((x - a.x()) * ab.z() - (z - a.z()) * ab.x()) / area;
        if (b >= 0.0f && c >= 0.0f && b + c <= 1.0f)
            found.push_back({a.y() + b * ab.y() + c * ac.y(), area > 0.0f ? -1 : 1});
    }
    std::sort(found.begin(), found.end(), [](const auto& p, const auto& q) { return p.height < q.height; });
    return found;
}

// Of each body the part of the skin's inside that lies nearer to its vertices than to any other's, cubic
// metres.
std::vector<float> part_volumes(const Surface& surface, std::size_t bodies) {
    Vec3 low = surface.positions[0];
    Vec3 high = low;
    for (const Vec3& position : surface.positions)
        low = low.cwiseMin(position), high = high.cwiseMax(position);
    const float apart = (high.y() - low.y()) / 150.0f;
    std::vector<float> volumes(bodies, 0.0f);
    for (float x = low.x() + 0.503f * apart; x < high.x(); x += apart) {
        for (float z = low.z() + 0.497f * apart; z < high.z(); z += apart) {
            int inside = 0;
            const std::vector<Crossing> through = crossings(surface, x, z);
            for (std::size_t i = 0; i + 1 < through.size(); ++i) {
                inside += through[i].direction;
                const float length = through[i + 1].height - through[i].height;
                if (inside == 0 || length <= 0.0f) continue;
                const int pieces = 1 + static_cast<int>(length / (1.5f * apart));
                const float each = length / static_cast<float>(pieces);
                for (int p = 0; p < pieces; ++p) {
                    const Vec3 at(x, through[i].height + (static_cast<float>(p) + 0.5f) * each, z);
                    const int body = nearest_body(surface, at);
                    if (body >= 0) volumes[static_cast<std::size_t>(body)] += each * apart * apart;
                }
            }
        }
    }
    return volumes;
}

const std::vector<std::function<const Character&()>> k_people{workshop::diver, workshop::bosun,
                                                              workshop::deckhand, workshop::hound};

}  // namespace

TEST_CASE("a built ragdoll covers the skin, weighs what it should and has nothing wrong with it") {
    for (const auto& person : k_people) {
        const Character& character = person();
        CAPTURE(character.name);
        const Chart chart = dendraxis::chart(character);
        const RagdollPlan plan = build_ragdoll(character, chart);
        for (const Finding& finding : check_ragdoll(plan, chart)) FAIL_CHECK(to_string(finding));
        CHECK_NOTHROW(require_sound(plan, chart));
        CHECK(plan.joints.size() + 1 == plan.bodies.size());

        const Surface surface = surface_of(character, chart, plan);
        const std::vector<PlacedShape> shapes = shapes_at_rest(plan, chart);
        std::size_t within = 0;
        std::size_t all = 0;
        for (std::size_t v = 0; v < surface.positions.size(); ++v) {
            if (surface.bodies[v] < 0) continue;
            PlacedShape grown = shapes[static_cast<std::size_t>(surface.bodies[v])];
            grown.shape.half *= 1.15f;
            const Vec3 local =
                grown.frame.rotation.conjugate() * (surface.positions[v] - grown.frame.translation);
            within += gauge(grown.shape, local) <= 1.0f ? 1 : 0;
            ++all;
        }
        MESSAGE(character.name, ": ", 100.0 * static_cast<double>(within) / static_cast<double>(all),
                " % of the skin covered");
        CHECK(static_cast<double>(within) >= 0.95 * static_cast<double>(all));

        const std::vector<float> parts = part_volumes(surface, plan.bodies.size());
        float mass = 0.0f;
        for (std::size_t b = 0; b < plan.bodies.size(); ++b) {
            CAPTURE(plan.bodies[b].name);
            mass += plan.bodies[b].mass;
            const float part = parts[b];
            CHECK(volume_of(plan.bodies[b].shape) < 1.25f * part);
            CHECK(volume_of(plan.bodies[b].shape) > 0.75f * part);
        }
        CHECK(mass > 10.0f * chart.height * chart.height);
        CHECK(mass < 90.0f * chart.height * chart.height);
    }
}

TEST_CASE("names, axes, units and turned nodes do not change a ragdoll") {
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    const RagdollPlan plain = build_ragdoll(diver, chart);
    const Quat quarter(Eigen::AngleAxisf(1.5707963f, Vec3::UnitX()));
    for (const Character& other :
         {variants::nameless(diver), variants::reaxed(diver, 5), variants::under_scaled_node(diver, 100.0f),
          variants::turned(diver, quarter)}) {
        const Chart own = dendraxis::chart(other);
        const RagdollPlan plan = build_ragdoll(other, own);
        REQUIRE(plan.bodies.size() == plain.bodies.size());
        for (std::size_t b = 0; b < plan.bodies.size(); ++b) {
            CHECK(plan.bodies[b].name == plain.bodies[b].name);
            CHECK((plan.bodies[b].at - plain.bodies[b].at).norm() < 0.03f);
            CHECK(plan.bodies[b].mass == doctest::Approx(plain.bodies[b].mass).epsilon(0.05));
        }
        for (std::size_t j = 0; j < plan.joints.size(); ++j) {
            CHECK(std::abs(plan.joints[j].range.bend.to - plain.joints[j].range.bend.to) < 0.02f);
            CHECK(std::abs(plan.joints[j].range.twist.from - plain.joints[j].range.twist.from) < 0.02f);
        }
    }
}

TEST_CASE("a skeleton without skin, a puppet, hair and a rope get bodies too") {
    const Character bones = variants::bare(workshop::diver());
    const RagdollPlan bare = build_ragdoll(bones, chart(bones));
    CHECK(bare.bodies.size() == 16);
    CHECK(check_ragdoll(bare, chart(bones)).empty());

    const Character puppet = harbour::make_lantern_man();
    CHECK(build_ragdoll(puppet, chart(puppet)).bodies.size() >= 14);

    Character tasseled = variants::bare(workshop::diver());
    tasseled.skeleton = harbour::with_tassels(tasseled.skeleton, tasseled.skeleton.size() + 20);
    tasseled.clips.clear();
    const Chart chart_of_tassels = chart(tasseled);
    const RagdollPlan loose = build_ragdoll(tasseled, chart_of_tassels);
    REQUIRE(loose.profiles.contains("alive"));
    CHECK(loose.profiles.at("alive").size() >= 10);
    CHECK(loose.profiles.at("fall").size() == 16 + loose.profiles.at("alive").size());
    for (const int body : loose.profiles.at("alive"))
        CHECK(loose.bodies[static_cast<std::size_t>(body)].name.starts_with("tassel"));

    std::vector<Bone> links;
    for (int i = 0; i < 6; ++i)
        links.push_back({"link",
                         "link" + std::to_string(i),
                         i - 1,
                         {Quat::Identity(), Vec3(0, i == 0 ? 0 : 0.3f, 0), Vec3::Ones()}});
    Character rope;
    rope.skeleton = Skeleton(links);
    CHECK(build_ragdoll(rope, chart(rope)).bodies.size() >= 5);
    CHECK_THROWS_AS(build_ragdoll(Character{}, Chart{}), Error);
}

TEST_CASE("every fault that is put in on purpose is found") {
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    const RagdollPlan good = build_ragdoll(diver, chart);
    const auto body = [&](RagdollPlan& plan, const char* name) -> RagdollBody& {
        return plan.bodies[static_cast<std::size_t>(plan.find(name))];
    };
    const auto joint = [&](RagdollPlan& plan, const char* name) -> RagdollJoint& {
        return plan.joints[static_cast<std::size_t>(plan.joint_of(plan.find(name)))];
    };
    const auto found = [&](const char* code, const char* where,
                           const std::function<void(RagdollPlan&)>& spoil) {
        RagdollPlan plan = good;
        spoil(plan);
        CAPTURE(code);
        CHECK(workshop::has(check_ragdoll(plan, chart), code, where));
    };
    const auto drop_body = [&](RagdollPlan& plan, const char* name) {
        const int index = plan.find(name);
        const auto past = [&](int& at) { at -= at > index ? 1 : 0; };
        std::erase_if(plan.joints, [&](const RagdollJoint& j) { return j.body == index; });
        for (RagdollJoint& j : plan.joints) {
            if (j.above == index) j.above = plan.find("chest");
            past(j.body), past(j.above);
        }
        plan.bodies.erase(plan.bodies.begin() + index);
    };
    found("ragdoll.uncovered", "upper_arm_left", [&](RagdollPlan& p) { drop_body(p, "upper-arm.left"); });
    found("ragdoll.spans-segments", "upper-arm.left", [&](RagdollPlan& p) { drop_body(p, "forearm.left"); });
    found("ragdoll.spans-segments", "shin.left",
          [&](RagdollPlan& p) { body(p, "shin.left").shape.half.y() *= 3.0f; });
    found("ragdoll.joint-skips", "forearm.left",
          [&](RagdollPlan& p) { joint(p, "forearm.left").above = p.find("chest"); });
    found("ragdoll.unlinked", "head",
          [&](RagdollPlan& p) { p.joints.erase(p.joints.begin() + p.joint_of(p.find("head"))); });
    found("ragdoll.linked-twice", "head", [&](RagdollPlan& p) { p.joints.push_back(joint(p, "head")); });
    found("ragdoll.kinematic", "head", [&](RagdollPlan& p) { body(p, "head").kinematic = true; });
    found("ragdoll.kinematic", "", [&](RagdollPlan& p) {
        for (auto& b : p.bodies) b.kinematic = true;
    });
    found("ragdoll.free-axis", "shin.left", [&](RagdollPlan& p) { joint(p, "shin.left").range.twist = {}; });
    found("ragdoll.rest-outside", "shin.left", [&](RagdollPlan& p) {
        joint(p, "shin.left").range.bend = {0.3f, 1.0f};
    });
    found("ragdoll.overlap", "", [&](RagdollPlan& p) { body(p, "thigh.left").shape.half *= 1.6f; });
    found("ragdoll.mass-ratio", "hand.left", [&](RagdollPlan& p) { body(p, "hand.left").mass = 0.05f; });
    found("ragdoll.tiny-inertia", "hand.left",
          [&](RagdollPlan& p) { body(p, "hand.left").inertia.x() = 1e-7f; });
    found("ragdoll.range-wide", "shin.left",
          [&](RagdollPlan& p) { joint(p, "shin.left").range.bend.from = -0.6f; });

    const auto refused = [&](const char* words, const std::function<void(RagdollPlan&)>& spoil) {
        RagdollPlan plan = good;
        spoil(plan);
        CHECK_THROWS_WITH_AS(RagdollBinding(plan, chart), doctest::Contains(words), Error);
    };
    refused("form a loop", [&](RagdollPlan& p) {
        RagdollJoint back = joint(p, "spine");
        back.body = 0;
        back.above = p.find("head");
        p.joints.push_back(back);
    });
    refused("has no size", [&](RagdollPlan& p) { body(p, "head").shape.half.x() = 0.0f; });
    refused("has no mass", [&](RagdollPlan& p) { body(p, "head").mass = -1.0f; });
    refused("goes from more to less", [&](RagdollPlan& p) { joint(p, "head").range.twist = {1.0f, -1.0f}; });
    refused("bodies", [&](RagdollPlan& p) { p.bodies.resize(10000, p.bodies[1]); });
}

TEST_CASE("one side is taken over to the other, and takes the falls with it") {
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    RagdollPlan plan = build_ragdoll(diver, chart);
    const auto left = static_cast<std::size_t>(plan.find("upper-arm.left"));
    const auto right = static_cast<std::size_t>(plan.find("upper-arm.right"));
    plan.bodies[left].shape.half *= 1.3f;
    plan.bodies[left].at += Vec3(0.02f, 0.01f, 0.03f);
    auto& joint = plan.joints[static_cast<std::size_t>(plan.joint_of(static_cast<int>(left)))];
    joint.range.side = {-0.2f, 0.9f};
    joint.range.twist = {-0.1f, 0.7f};
    CHECK(mirror_ragdoll(plan, chart, "left") == 6);
    CHECK(plan.bodies[right].shape.half == plan.bodies[left].shape.half);
    CHECK(plan.bodies[right].at.x() == -plan.bodies[left].at.x());
    const auto& twin = plan.joints[static_cast<std::size_t>(plan.joint_of(static_cast<int>(right)))];
    // A turn and its mirror image are as far beyond their ranges.
    for (const Vec3& turn : {Vec3(0.3f, 0.9f, -0.4f), Vec3(-0.8f, 0.2f, 1.1f), Vec3(1.2f, -0.6f, 0.3f)}) {
        const Quat a(Eigen::AngleAxisf(turn.norm(), turn.normalized()));
        const Quat b(a.w(), a.x(), -a.y(), -a.z());
        CHECK(overshoot(twin.range, b) == doctest::Approx(overshoot(joint.range, a)).epsilon(0.01));
    }
}

TEST_CASE("ranges are learned from clips: every frame of them is allowed") {
    const Character& diver = workshop::diver();
    const Chart chart = dendraxis::chart(diver);
    RagdollOptions options;
    options.ranges = learned_ranges(chart, diver.clips, 5.0f / k_degrees);
    const RagdollPlan plan = build_ragdoll(diver, chart, options);
    const RagdollBinding binding(plan, chart);
    for (const char* limb : {"forearm.left", "upper-arm.right", "shin.left", "foot.right"}) {
        const auto joint = static_cast<std::size_t>(plan.joint_of(plan.find(limb)));
        float worst = 0.0f;
        for (const Clip& clip : diver.clips) {
            for (std::size_t f = 0; f < clip.frame_count(); ++f)
                worst = std::max(worst,
                                 overshoot(plan.joints[joint].range, binding.turn_in(clip.frame(f), joint)));
        }
        CAPTURE(limb);
        CHECK(worst < 0.01f);
    }
}

TEST_CASE(
    "legs on four bend their own ways: elbow and hock forward, stifle and wrist backward, on both sides") {
    for (const float crouch : {0.0f, 0.12f}) {
        CAPTURE(crouch);
        sticks::FourPlan plan;
        plan.crouch = crouch;
        const Character beast = sticks::on_four(plan);
        const Chart chart = dendraxis::chart(beast);
        REQUIRE(stands_on_four(chart));
        const std::vector<JointRange> ranges = usual_ranges(chart);
        const auto beyond = [&](const std::string& bone, float degrees_backward) {
            const int index = beast.skeleton.find(bone);
            const auto found = std::find_if(ranges.begin(), ranges.end(),
                                            [&](const JointRange& range) { return range.bone == index; });
            REQUIRE(found != ranges.end());
            // About what is left of it: what points down goes backward.
            const Quat turn(Eigen::AngleAxisf(degrees_backward / k_degrees, Vec3::UnitX()));
            return overshoot(found->range, turn) * k_degrees;
        };
        for (const char* side : {"_left", "_right"}) {
            CHECK(beyond(std::string("shin") + side, 60.0f) == 0.0f);
            CHECK(beyond(std::string("shin") + side, -60.0f) > 15.0f);
            CHECK(beyond(std::string("hind_paw") + side, crouch == 0.0f ? -60.0f : -40.0f) == 0.0f);
            CHECK(beyond(std::string("hind_paw") + side, crouch == 0.0f ? 60.0f : 90.0f) > 3.0f);
            CHECK(beyond(std::string("forearm") + side, -60.0f) == 0.0f);
            CHECK(beyond(std::string("forearm") + side, 60.0f) > 30.0f);
            CHECK(beyond(std::string("forepaw") + side, 60.0f) == 0.0f);
            CHECK(beyond(std::string("forepaw") + side, -60.0f) > 20.0f);
        }
    }
}

TEST_CASE("the skin that meets the ground leaves nothing out that would lie in it") {
    const Character& bosun = workshop::bosun();
    const Chart chart = dendraxis::chart(bosun);
    const RagdollPlan plan = build_ragdoll(bosun, chart);
    const std::vector<std::vector<Vec3>> skin = skin_of_bodies(plan, bosun, chart);
    const std::vector<int> owners = bodies_of_bones(bosun.skeleton, plan);
    const std::vector<PlacedShape> placed = shapes_at_rest(plan, chart);
    std::vector<std::vector<Vec3>> all(plan.bodies.size());
    std::vector<Affine> matrices(bosun.skeleton.size());
    to_model_matrices(bosun.skeleton, rest_pose(bosun.skeleton), matrices);
    for (const SkinnedMesh& mesh : bosun.meshes) {
        std::vector<Vec3> positions(mesh.positions.size());
        deform(mesh, matrices, positions);
        for (std::size_t v = 0; v < positions.size(); ++v) {
            // Also of a body that has but a small share in it: turned far, it would draw the skin down.
            for (std::size_t k = 0; k < 4; ++k) {
                if (mesh.weights[v][k] < 0.03f) continue;
                const int body = owners[static_cast<std::size_t>(mesh.bones[mesh.joints[v][k]])];
                if (body < 0) continue;
                const Transform& frame = placed[static_cast<std::size_t>(body)].frame;
                all[static_cast<std::size_t>(body)].push_back(
                    frame.rotation.conjugate() * (chart.to_upright() * positions[v] - frame.translation));
            }
        }
    }
    const auto reach = [](const std::vector<Vec3>& positions, const Vec3& way) {
        float most = -1e30f;
        for (const Vec3& position : positions) most = std::max(most, position.dot(way));
        return most;
    };
    std::mt19937 random(3);
    for (std::size_t body = 0; body < all.size(); ++body) {
        CAPTURE(plan.bodies[body].name);
        if (all[body].empty()) continue;
        CHECK(skin[body].size() < 400);
        float out = 0.0f;
        for (int i = 0; i < 1000; ++i) {
            const Vec3 way = workshop::any_direction(random);
            out = std::max(out, reach(all[body], way) - reach(skin[body], way));
        }
        CHECK(out < 0.002f * chart.height);
    }
}
