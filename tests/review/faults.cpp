// Each measure must rise when its fault is put in on purpose.
#include "crowd.hpp"
#include "gates.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

namespace {

struct Stage {
    explicit Stage(const Character& target = workshop::deckhand())
        : pairing(pair(chart(workshop::diver()), chart(target))) {}

    Pairing pairing;
    Clip source = workshop::diver().clip("stroll");
    Clip result = Transfer(pairing).apply(source);

    float measure(const char* name) const { return review_clip(pairing, source, result)[name].value; }
    std::size_t bone(const char* chain, std::size_t index) const {
        return static_cast<std::size_t>(pairing.target.find(chain)->bones[index]);
    }
    std::size_t hips() const { return static_cast<std::size_t>(pairing.target.hips); }

    // Moves the hips in model space.
    void move_hips(std::size_t frame, const Vec3& by) {
        const Skeleton& skeleton = pairing.target.skeleton;
        std::vector<Transform> model(skeleton.size());
        to_model_space(skeleton, result.frame(frame), model);
        const int parent = skeleton.parent(pairing.target.hips);
        const Transform above =
            parent == k_no_bone ? skeleton.above() : model[static_cast<std::size_t>(parent)];
        Transform& local = result.frame(frame)[hips()];
        local.translation += inverse(above).scale.cwiseProduct(above.rotation.conjugate() * by);
    }

    // Turns a bone in model space.
    void turn(std::size_t frame, std::size_t index, const Quat& by) {
        const Skeleton& skeleton = pairing.target.skeleton;
        std::vector<Transform> model(skeleton.size());
        to_model_space(skeleton, result.frame(frame), model);
        const int parent = skeleton.bones()[index].parent;
        const Quat above = parent == k_no_bone ? skeleton.above().rotation
                                               : model[static_cast<std::size_t>(parent)].rotation;
        Quat& local = result.frame(frame)[index].rotation;
        local = (above.conjugate() * by * above * local).normalized();
    }
};

Quat about(const Vec3& axis, float degrees) {
    return Quat(Eigen::AngleAxisf(degrees / k_degrees, axis));
}

}  // namespace

TEST_CASE("sunk feet are measured, to the millimetre") {
    Stage stage;
    CHECK(stage.measure("ground_depth_mm") < 5.0f);
    for (std::size_t f = 0; f < stage.result.frame_count(); ++f)
        stage.move_hips(f, -0.03f * stage.pairing.target.up);
    CHECK(stage.measure("ground_depth_mm") == doctest::Approx(30.0).epsilon(0.1));
    CHECK(stage.measure("float_mm") < 1.0f);
}

TEST_CASE("a body that lies in the floor is measured, though its feet are not") {
    Stage stage;
    CHECK(stage.measure("body_depth_mm") < 5.0f);
    // On its back, as high as the hips stood; then down into the floor.
    for (std::size_t f = 0; f < stage.result.frame_count(); ++f)
        stage.turn(f, stage.hips(),
                   about(stage.pairing.target.up.cross(stage.pairing.target.facing), -90.0f));
    const float lying = stage.measure("body_depth_mm");
    for (std::size_t f = 0; f < stage.result.frame_count(); ++f)
        stage.move_hips(f, -0.9f * stage.pairing.target.up);
    const float sunk = stage.measure("body_depth_mm");
    CHECK(sunk > 60.0f);
    CHECK(lying < 60.0f);
    const Review review = judge(stage.pairing, {review_clip(stage.pairing, stage.source, stage.result)});
    CHECK(std::any_of(review.findings.begin(), review.findings.end(),
                      [](const Finding& finding) { return finding.code == "review.body-depth"; }));
}

TEST_CASE("feet that hang are measured") {
    Stage stage;
    CHECK(stage.measure("float_mm") < 5.0f);
    for (std::size_t f = 0; f < stage.result.frame_count(); ++f)
        stage.move_hips(f, 0.02f * stage.pairing.target.up);
    CHECK(stage.measure("float_mm") == doctest::Approx(20.0).epsilon(0.1));
}

TEST_CASE("a body without knees hangs if no foot stands, and cannot crouch") {
    crowd::Oddities odd;
    odd.block = true;
    Stage stage(crowd::plain_body(2, crowd::Kind::biped, crowd::Names::good, odd).character);
    REQUIRE_FALSE(legs_bend(stage.pairing.target));
    workshop::check_gates(stage.pairing, review_clip(stage.pairing, stage.source, stage.result),
                          {"float_mm", "foot_slide_mm", "hips_height_pct"});
    for (std::size_t f = 0; f < stage.result.frame_count(); ++f)
        stage.move_hips(f, 0.02f * stage.pairing.target.up);
    CHECK(stage.measure("float_mm") == doctest::Approx(20.0).epsilon(0.3));
    const Clip crouch = workshop::diver().clip("crouch");
    const Review review =
        judge(stage.pairing, {review_clip(stage.pairing, crouch, Transfer(stage.pairing).apply(crouch))});
    REQUIRE(review.findings.size() == 1);
    CHECK(review.findings[0].code == "review.hips-height");
    CHECK(review.findings[0].message.find("its legs have no knees") != std::string::npos);
}

TEST_CASE("a foot that turns with its shin is said to") {
    Stage stage(variants::without_ends(crowd::make_body(700'013).character, ChainRole::leg));
    for (std::size_t f = 0; f < stage.result.frame_count(); ++f)
        stage.move_hips(f, -0.02f * stage.pairing.target.up);
    const Review review = judge(stage.pairing, {review_clip(stage.pairing, stage.source, stage.result)});
    const auto depth = std::find_if(review.findings.begin(), review.findings.end(),
                                    [](const Finding& one) { return one.code == "review.ground-depth"; });
    REQUIRE(depth != review.findings.end());
    CHECK(depth->message.find("its foot turns with the shin") != std::string::npos);
    CHECK(depth->advice.find("foot bone") != std::string::npos);
}

TEST_CASE("slid feet are measured, and travel that goes wrong") {
    Stage stage;
    CHECK(stage.measure("foot_slide_mm") < 3.0f);
    CHECK(stage.measure("root_motion_error_pct") < 0.1f);
    for (std::size_t f = 0; f < stage.result.frame_count(); ++f)
        stage.move_hips(f, 0.004f * static_cast<float>(f) * stage.pairing.target.facing);
    CHECK(stage.measure("foot_slide_mm") > 30.0f);
    CHECK(stage.measure("root_motion_error_pct") > 5.0f);
}

TEST_CASE("a foot that slides on its edge, or on heel or tip alone, is measured") {
    for (const Vec3& axis : {Vec3::UnitX().eval(), Vec3::UnitZ().eval()}) {
        for (const float degrees : {-35.0f, 35.0f}) {
            CAPTURE(axis);
            CAPTURE(degrees);
            Stage stage;
            for (std::size_t f = 0; f < stage.result.frame_count(); ++f) {
                stage.move_hips(f, 0.004f * static_cast<float>(f) * stage.pairing.target.facing);
                for (const char* leg : {"leg.left", "leg.right"})
                    stage.turn(f, stage.bone(leg, 2), about(axis, degrees));
            }
            CHECK(stage.measure("foot_slide_mm") > 20.0f);
        }
    }
}

TEST_CASE("flesh that is in the floor at rest is no fault of a clip") {
    Stage stage;
    const float before = stage.measure("body_depth_mm");
    for (Solid& solid : stage.pairing.target.shape.solids) {
        if (solid.part.starts_with("shin")) solid.capsule.radius = 0.4f;
    }
    CHECK(stage.measure("body_depth_mm") < before + 20.0f);
    for (std::size_t f = 0; f < stage.result.frame_count(); ++f)
        stage.move_hips(f, -0.1f * stage.pairing.target.up);
    CHECK(stage.measure("body_depth_mm") > before + 80.0f);
}

TEST_CASE("an arm in the hip is measured, and where it points") {
    Stage stage;
    CHECK(stage.measure("clipping_mm") < 5.0f);
    const float before = stage.measure("direction_error_deg");
    for (std::size_t f = 20; f < 40; ++f)
        stage.turn(f, stage.bone("arm.left", 0), about(Vec3::UnitZ(), -30.0f));
    CHECK(stage.measure("clipping_mm") > 15.0f);
    CHECK(stage.measure("direction_error_deg") > before + 15.0f);
    CHECK(stage.measure("reach_error_pct") > 10.0f);
}

TEST_CASE("a knee that bends the other way is measured") {
    Stage stage;
    CHECK(stage.measure("bend_flips") == 0.0f);
    // Frame 25: the left leg swings, its knee well bent.
    stage.turn(25, stage.bone("leg.left", 1), about(Vec3::UnitX(), -110.0f));
    const Measure flips = review_clip(stage.pairing, stage.source, stage.result)["bend_flips"];
    CHECK(flips.value == 1.0f);
    CHECK(flips.frame == 25);
}

TEST_CASE("a pop is measured at its frame") {
    Stage stage;
    CHECK(stage.measure("pops") == 0.0f);
    stage.turn(30, stage.bone("arm.right", 0), about(Vec3::UnitY(), 70.0f));
    const Measure pops = review_clip(stage.pairing, stage.source, stage.result)["pops"];
    CHECK(pops.value >= 1.0f);
    CHECK(std::abs(pops.frame - 30) <= 1);
}

TEST_CASE("gates: findings that name the setting to change") {
    Stage stage;
    for (std::size_t f = 0; f < stage.result.frame_count(); ++f)
        stage.move_hips(f, -0.03f * stage.pairing.target.up);
    const ClipReview review = review_clip(stage.pairing, stage.source, stage.result);
    const Review judged = judge(stage.pairing, {review});
    CHECK_FALSE(judged.passed);
    REQUIRE(judged.findings.size() == 1);
    CHECK(judged.findings[0].code == "review.ground-depth");
    CHECK(judged.findings[0].advice.find("\"feet\"") != std::string::npos);
    stage.pairing.settings.gate["ground_depth_mm"] = 40.0f;
    CHECK(judge(stage.pairing, {review}).passed);
    CHECK_THROWS_AS(review["no_such_measure"], Error);
}

TEST_CASE("millimetres are millimetres, and so are offsets' metres, whatever the target's unit") {
    const Clip& clip = workshop::diver().clip("haul-rope");
    std::vector<ClipReview> reviews;
    std::vector<Vec3> palms;
    for (const float unit : {1.0f, 100.0f}) {
        const Character target = variants::scaled(workshop::bosun(), unit);
        Pairing pairing = pair(workshop::diver_chart(), chart(target));
        pairing.settings.clearance = false;  // so that there is something to measure
        pairing.settings.offsets.push_back({"arm.left", Vec3(0.05f, 0.1f, 0.0f)});
        const Clip result = Transfer(pairing).apply(clip);
        reviews.push_back(review_clip(pairing, clip, result));
        std::vector<Transform> model(result.bone_count);
        to_model_space(target.skeleton, result.frame(20), model);
        const int hand = pairing.target.find("arm.left")->bones.back();
        palms.push_back(model[static_cast<std::size_t>(hand)].translation / unit);
        CHECK(gate_of(pairing, "clipping_mm") ==
              doctest::Approx(5.0f * workshop::diver_chart().height / 1.75f).epsilon(0.3));
    }
    CHECK(reviews[0]["clipping_mm"].value > 1.0f);
    for (const char* measure : {"clipping_mm", "foot_slide_mm", "ground_depth_mm"})
        CHECK(std::abs(reviews[1][measure].value - reviews[0][measure].value) <
              0.3f + 0.05f * reviews[0][measure].value);
    CHECK((palms[1] - palms[0]).norm() < 0.01f);
}

TEST_CASE("what does not fit together is refused") {
    const Stage stage;
    Clip shorter = stage.result;
    shorter.transforms.resize(10 * shorter.bone_count);
    CHECK_THROWS_AS(review_clip(stage.pairing, stage.source, shorter), Error);
    CHECK_THROWS_AS(review_clip(stage.pairing, stage.result, stage.result), Error);
    CHECK_THROWS_AS(review_clip(stage.pairing, stage.source, stage.source), Error);
}

TEST_CASE("a limb of one bone that points elsewhere than one of three is found") {
    crowd::Oddities odd;
    odd.block = true;
    const crowd::Body body = crowd::plain_body(2, crowd::Kind::biped, crowd::Names::good, odd);
    Stage stage(body.character);
    REQUIRE(stage.pairing.target.find("arm.left")->bones.size() == 1);
    CHECK(stage.measure("direction_error_deg") < 60.0f);
    for (std::size_t f = 4; f < 8; ++f)
        stage.turn(f, stage.bone("arm.left", 0), about(stage.pairing.target.facing, 120.0f));
    const Measure direction = review_clip(stage.pairing, stage.source, stage.result)["direction_error_deg"];
    CHECK(direction.value > 100.0f);
    CHECK(direction.where ==
          body.character.skeleton.bone(stage.pairing.target.find("arm.left")->bones[0]).label);
}

TEST_CASE("a body that is torn apart is found, whatever its bones hang on in the file") {
    crowd::Oddities odd;
    odd.many_roots = true;
    const crowd::Body body = crowd::plain_body(3, crowd::Kind::biped, crowd::Names::good, odd);
    Stage stage(body.character);
    workshop::check_gates(stage.pairing, review_clip(stage.pairing, stage.source, stage.result),
                          {"joint_gap_pct"});
    const std::size_t head = stage.bone("head", 0);
    REQUIRE(body.character.skeleton.parent(static_cast<int>(head)) == k_no_bone);
    const Vec3 away = 0.1f * stage.pairing.target.height * stage.pairing.target.facing;
    stage.result.frame(9)[head].translation += away;
    const Measure gap = review_clip(stage.pairing, stage.source, stage.result)["joint_gap_pct"];
    CHECK(gap.value == doctest::Approx(10.0f).epsilon(0.05));
    CHECK(gap.frame == 9);
    CHECK(gap.where == body.character.skeleton.bone(static_cast<int>(head)).label);
    const Review review = judge(stage.pairing, {review_clip(stage.pairing, stage.source, stage.result)});
    CHECK(std::any_of(review.findings.begin(), review.findings.end(),
                      [](const Finding& finding) { return finding.code == "review.joint-gap"; }));
}
