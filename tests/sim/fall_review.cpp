// Falls are judged on the clip that is written: torn joints, lone skin, skin in the ground; and figures that
// others build: feet below the root, blocks, other units, arms that hang at rest.
#include "crowd.hpp"
#include "sticks.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/check.hpp>
#include <dendraxis/sim/fall_review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

namespace {

// A box of skin on one bone, about a point in model space at rest.
SkinnedMesh block(const Character& character, const std::string& bone, const Vec3& middle, const Vec3& half) {
    SkinnedMesh mesh;
    mesh.bones = {character.skeleton.find(bone)};
    std::vector<Affine> matrices(character.skeleton.size());
    to_model_matrices(character.skeleton, rest_pose(character.skeleton), matrices);
    mesh.inverse_bind = {matrices[static_cast<std::size_t>(mesh.bones[0])].inverse()};
    for (int corner = 0; corner < 8; ++corner) {
        const Vec3 side((corner & 1) != 0 ? 1.0f : -1.0f, (corner & 2) != 0 ? 1.0f : -1.0f,
                        (corner & 4) != 0 ? 1.0f : -1.0f);
        mesh.positions.emplace_back(middle + half.cwiseProduct(side));
        mesh.joints.push_back({0, 0, 0, 0});
        mesh.weights.push_back({1.0f, 0.0f, 0.0f, 0.0f});
    }
    mesh.triangles = {{0, 2, 1}, {1, 2, 3}, {4, 5, 6}, {5, 7, 6}, {0, 1, 4}, {1, 5, 4},
                      {2, 6, 3}, {3, 6, 7}, {0, 4, 2}, {2, 4, 6}, {1, 3, 5}, {3, 7, 5}};
    return mesh;
}

struct Fallen {
    Chart chart;
    RagdollPlan plan;
    sim::Drop drop;
    std::vector<Measure> measures;

    float operator[](const std::string& name) const {
        return std::find_if(measures.begin(), measures.end(),
                            [&](const Measure& m) { return m.name == name; })
            ->value;
    }
};

Fallen let_fall(const Character& character, sim::DropOptions options = {}, const RagdollPlan* plan = nullptr,
                float height_metres = 0.0f) {
    Fallen fallen;
    fallen.chart = chart(character);
    fallen.chart.height_metres = height_metres;
    fallen.plan = plan != nullptr ? *plan : build_ragdoll(character, fallen.chart);
    const RagdollBinding binding(fallen.plan, fallen.chart);
    sim::DropStart start;
    start.pose = start.before = rest_pose(character.skeleton);
    options.skin = skin_of_bodies(fallen.plan, character, fallen.chart);
    fallen.drop = run_drop(binding, fallen.chart, start, options);
    fallen.measures = sim::fall_measures({&character, &fallen.chart, &binding, &fallen.drop.clip, start.pose,
                                          true, fallen.drop.figures.settled});
    return fallen;
}

sim::DropOptions turned_at_random(unsigned seed, float seconds = 3.0f) {
    sim::DropOptions options;
    options.seconds = seconds;
    options.height = 0.5f;
    options.seed = seed;
    return options;
}

bool holds(const Findings& findings, const std::string& code) {
    return std::any_of(findings.begin(), findings.end(), [&](const Finding& f) { return f.code == code; });
}

}  // namespace

TEST_CASE("bodies built in odd ways fall in one piece") {
    struct Fault {
        const char* name;
        bool crowd::Oddities::*oddity;
    };
    for (const Fault& fault : std::initializer_list<Fault>{
             {"feet below the root", &crowd::Oddities::feet_on_root},
             {"chest, head, hands and feet as roots of their own", &crowd::Oddities::many_roots},
             {"hands below control bones", &crowd::Oddities::goals},
             {"the chest above the hips in the file", &crowd::Oddities::chest_root},
             {"a control above the hips", &crowd::Oddities::control_hips},
             {"a piece of the hips to each thigh", &crowd::Oddities::hip_pieces},
             {"the origin at the hips", &crowd::Oddities::pelvis_origin}}) {
        crowd::Oddities odd;
        odd.*fault.oddity = true;
        for (unsigned number = 1; number <= 2; ++number) {
            const crowd::Body body = crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good, odd);
            sim::DropOptions options = turned_at_random(number, 1.5f);
            const Fallen fallen = let_fall(body.character, options, nullptr, 1.75f);
            CAPTURE(fault.name);
            CAPTURE(number);
            CHECK(fallen["joint_gap_pct"] < 1.0f);
            CHECK(fallen["skin_stretch_pct"] < 40.0f);
            CHECK(fallen["beyond_range_deg"] < 3.0f);
            CHECK_FALSE(holds(check_ragdoll(fallen.plan, fallen.chart), "ragdoll.joint-skips"));
        }
    }
}

TEST_CASE("a foot that is left behind is found, and so is the skin that it draws out") {
    crowd::Oddities odd;
    odd.feet_on_root = true;
    const crowd::Body body = crowd::plain_body(1, crowd::Kind::biped, crowd::Names::good, odd);
    const Character& character = body.character;
    const Fallen fallen = let_fall(character, turned_at_random(1));
    const int foot = fallen.plan.find("foot.left");
    REQUIRE(foot >= 0);
    const RagdollJoint& joint = fallen.plan.joints[static_cast<std::size_t>(fallen.plan.joint_of(foot))];
    CHECK(fallen.plan.bodies[static_cast<std::size_t>(joint.above)].name.starts_with("shin"));

    Clip torn = fallen.drop.clip;
    const auto bone = static_cast<std::size_t>(fallen.plan.bodies[static_cast<std::size_t>(foot)].bone);
    const std::vector<Transform> rest = rest_pose(character.skeleton);
    for (std::size_t f = 0; f < torn.frame_count(); ++f)
        torn.transforms[f * torn.bone_count + bone] = rest[bone];
    const RagdollBinding binding(fallen.plan, fallen.chart);
    const Findings findings = sim::judge_fall(
        "figure", sim::fall_measures({&character, &fallen.chart, &binding, &torn, rest, true, std::nullopt}));
    REQUIRE(holds(findings, "fall.torn"));
    CHECK(holds(findings, "fall.skin-stretched"));
    CHECK(std::find_if(findings.begin(), findings.end(), [](const Finding& f) {
              return f.code == "fall.torn";
          })->where.find("foot.left") != std::string::npos);
}

TEST_CASE("skin on a bone that hangs from no body goes with the nearest body") {
    const crowd::Body body = crowd::plain_body(1, crowd::Kind::biped, crowd::Names::good);
    Character character = body.character;
    const std::string chest = body.chains.at("spine").back();
    std::vector<Bone> bones(character.skeleton.bones().begin(), character.skeleton.bones().end());
    const std::vector<Transform> rest = rest_in_model_space(character.skeleton);
    const Vec3 middle = rest[static_cast<std::size_t>(character.skeleton.find(chest))].translation;
    Bone plate;
    plate.name = plate.label = "plate";
    plate.parent = k_no_bone;
    plate.rest = inverse(character.skeleton.above()) * Transform{Quat::Identity(), middle, Vec3::Ones()};
    bones.push_back(plate);
    character.skeleton = Skeleton(bones, character.skeleton.above());
    const float size = 0.05f * chart(character).height;
    character.meshes.push_back(block(character, "plate", middle, Vec3(size, size, 0.2f * size)));
    // A corner of the plate is the chest's own, so that it shows when they part.
    SkinnedMesh& mesh = character.meshes.back();
    std::vector<Affine> matrices(character.skeleton.size());
    to_model_matrices(character.skeleton, rest_pose(character.skeleton), matrices);
    mesh.bones.push_back(character.skeleton.find(chest));
    mesh.inverse_bind.push_back(matrices[static_cast<std::size_t>(mesh.bones[1])].inverse());
    mesh.joints[0] = {1, 0, 0, 0};
    const Fallen fallen = let_fall(character, turned_at_random(2));
    CHECK(fallen["skin_stretch_pct"] < 20.0f);
    RagdollPlan without = fallen.plan;
    const int bone = character.skeleton.find("plate");
    for (RagdollBody& one : without.bodies) std::erase(one.also, bone);
    const Fallen torn = let_fall(character, turned_at_random(2), &without);
    CHECK(holds(sim::judge_fall("figure", torn.measures), "fall.skin-stretched"));
}

TEST_CASE("the body of a block is the block, and the block does not lie in the ground") {
    Character character = sticks::figure({});
    const Vec3 head_half(0.16f, 0.15f, 0.17f);
    character.meshes = {block(character, "head", {0.0f, 1.75f, 0.02f}, head_half),
                        block(character, "spine_2", {0.0f, 1.3f, 0.0f}, {0.22f, 0.2f, 0.12f}),
                        block(character, "hips", {0.0f, 1.0f, 0.0f}, {0.2f, 0.1f, 0.12f})};
    for (const std::string side : {"left", "right"}) {
        const float x = side == "left" ? 1.0f : -1.0f;
        character.meshes.push_back(
            block(character, "thigh_" + side, {0.1f * x, 0.72f, 0.0f}, {0.08f, 0.2f, 0.08f}));
        character.meshes.push_back(
            block(character, "shin_" + side, {0.1f * x, 0.3f, 0.0f}, {0.07f, 0.2f, 0.07f}));
    }
    const Fallen fallen = let_fall(character, turned_at_random(3, 8.0f));
    const RagdollBody& head = fallen.plan.bodies[static_cast<std::size_t>(fallen.plan.find("head"))];
    CHECK(head.shape.kind == ShapeKind::box);
    const PlacedShape placed =
        shapes_at_rest(fallen.plan, fallen.chart)[static_cast<std::size_t>(fallen.plan.find("head"))];
    const Vec3 half = (placed.frame.rotation * head.shape.half).cwiseAbs();
    CHECK((half - head_half).norm() < 2e-3f);
    CHECK(fallen.drop.figures.settled.has_value());
    CHECK(fallen["below_ground_pct"] < 0.5f);
    CHECK(fallen["jitter_pct"] < 0.1f);
}

TEST_CASE("a figure in another unit weighs and falls as it does in metres, told its height or not") {
    for (const float size : {8.0f, 100.0f}) {
        CAPTURE(size);
        sticks::Plan large;
        large.size = size;
        const Fallen metres = let_fall(sticks::figure({}), turned_at_random(4));
        const Fallen other = let_fall(sticks::figure(large), turned_at_random(4), nullptr,
                                      size == 100.0f ? 0.0f : metres.chart.height);
        for (std::size_t b = 0; b < metres.plan.bodies.size(); ++b)
            CHECK(other.plan.bodies[b].mass == doctest::Approx(metres.plan.bodies[b].mass).epsilon(1e-3));
        REQUIRE(metres.drop.clip.transforms.size() == other.drop.clip.transforms.size());
        float worst = 0.0f;
        // Up to the first touches; later on what differs in the last digit goes far.
        const std::size_t count = metres.drop.clip.bone_count;
        for (std::size_t i = 0; i < 20 * count; ++i)
            worst = std::max(worst, angle_between(metres.drop.clip.transforms[i].rotation,
                                                  other.drop.clip.transforms[i].rotation));
        CHECK(worst < 1e-3f);
        const auto hips_in = [&](const Fallen& fallen, std::size_t frame) {
            std::vector<Transform> model(count);
            to_model_space(fallen.chart.skeleton, fallen.drop.clip.frame(frame), model);
            return model[static_cast<std::size_t>(fallen.chart.hips)].translation;
        };
        for (const std::size_t frame : {std::size_t{0}, std::size_t{10}, std::size_t{19}})
            CHECK((hips_in(other, frame) / size - hips_in(metres, frame)).norm() < 1e-3f);
    }
}

TEST_CASE("arms that hang at rest do not flip through half a turn") {
    Character character = sticks::figure({});
    std::vector<Bone> bones(character.skeleton.bones().begin(), character.skeleton.bones().end());
    for (const float side : {1.0f, -1.0f}) {
        Bone& arm = bones[static_cast<std::size_t>(
            character.skeleton.find(side > 0.0f ? "upper_arm_left" : "upper_arm_right"))];
        arm.rest.rotation =
            Quat(Eigen::AngleAxisf(-side * 80.0f / k_degrees, Vec3::UnitZ())) * arm.rest.rotation;
    }
    character.skeleton = Skeleton(bones, character.skeleton.above());
    for (const unsigned seed : {1u, 2u, 3u}) {
        const Fallen fallen = let_fall(character, turned_at_random(seed, 4.0f));
        CAPTURE(seed);
        CHECK(fallen["beyond_range_deg"] < 3.0f);
    }
}

TEST_CASE("a fall of twelve seconds that never came to rest is found, a short one is not") {
    const std::vector<Measure> moving{{"unsettled_seconds", 12.0f, 720, ""}};
    CHECK(holds(sim::judge_fall("figure", moving), "fall.unsettled"));
    const std::vector<Measure> cut_short{{"unsettled_seconds", 4.0f, 240, ""}};
    CHECK_FALSE(holds(sim::judge_fall("figure", cut_short), "fall.unsettled"));
}

TEST_CASE("the fall's verdict on the command line: measures, gate, a figure of odd size") {
    const workshop::Scratch scratch;
    const auto told = workshop::run_tool("ragdoll drop " + workshop::k_diver +
                                         " --seconds 9 --height 0.5 --seed 2 --gate --json");
    REQUIRE_MESSAGE(told.status == 0, told.out);
    const nlohmann::json report = nlohmann::json::parse(told.out);
    CHECK(report["passed"] == true);
    CHECK(report["measures"].size() == 6);
    CHECK(report["measures"]["joint_gap_pct"]["value"].get<double>() < 1.0);
    const auto read =
        workshop::run_tool("ragdoll drop " + workshop::demo("stoker.glb").string() + " --seconds 1 --json");
    CHECK(read.out.find("chart.odd-size") != std::string::npos);
    const auto as_tall = workshop::run_tool("ragdoll drop " + workshop::demo("stoker.glb").string() +
                                            " --seconds 1 --height-metres 1.8 --json");
    CHECK(as_tall.out.find("chart.odd-size") == std::string::npos);
}
