// Which bone is which must not depend on names, axes, size, unit or rest stance.
#include "crowd.hpp"
#include "sticks.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/body_shape.hpp>
#include <dendraxis/skeleton/compare.hpp>
#include <dendraxis/skeleton/correspondence.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;

namespace {

// Bones of the target that do not answer to the bone of the same number.
int misses(const Correspondence& bones) {
    int count = 0;
    for (std::size_t i = 0; i < bones.answers.size(); ++i)
        count += bones.answers[i].source == static_cast<int>(i) ? 0 : 1;
    return count;
}

std::string answer(const Correspondence& bones, const Character& source, const Character& target,
                   const std::string& bone) {
    const int found = bones.answers[static_cast<std::size_t>(target.skeleton.find(bone))].source;
    return found == k_no_bone ? "" : source.skeleton.bone(found).name;
}

}  // namespace

TEST_CASE("a copy under other names, axes, size and stance is matched bone by bone") {
    const Character& diver = workshop::diver();
    const Quat tilted(Eigen::AngleAxisf(90.0f / k_degrees, Vec3::UnitX()));
    const std::vector<Character> copies{variants::nameless(diver),
                                        variants::reaxed(variants::nameless(diver), 5),
                                        variants::scaled(variants::nameless(diver), 1.7f),
                                        variants::turned(variants::nameless(diver), tilted),
                                        variants::nameless(variants::arms_lowered(diver, 45.0f)),
                                        variants::under_scaled_node(variants::nameless(diver), 100.0f)};
    for (const Character& copy : copies) {
        const Correspondence bones = correspond(diver.skeleton, copy.skeleton);
        CHECK(bones.is_same_build());
        CHECK(misses(bones) == 0);
        CHECK(bones.source_coverage == doctest::Approx(1.0f));
    }
    CHECK(correspond(diver.skeleton, copies[2].skeleton).scale == doctest::Approx(1.7f));
}

TEST_CASE("the turn of a matched bone is how it was posed at rest") {
    const Character& diver = workshop::diver();
    const Character lowered = variants::arms_lowered(diver, 45.0f);
    const Correspondence bones = correspond(diver.skeleton, lowered.skeleton);
    const auto turn = [&](const char* name) {
        return angle_between(bones.answers[static_cast<std::size_t>(diver.skeleton.find(name))].turn,
                             Quat::Identity()) *
               k_degrees;
    };
    CHECK(turn("forearm_left") == doctest::Approx(45.0f).epsilon(0.001));
    CHECK(turn("chest") < 0.01f);
    CHECK(turn("thigh_right") < 0.01f);
}

TEST_CASE("bare skeletons with all their limbs posed otherwise at rest are matched") {
    std::mt19937 random(7);
    crowd::Oddities odd;
    odd.no_skin = odd.ends = odd.doubled_joints = true;
    for (unsigned number = 1; number <= 60; ++number) {
        const Skeleton source =
            crowd::plain_body(number, crowd::Kind::biped, crowd::Names::none, odd).character.skeleton;
        const std::vector<Transform> rest = rest_in_model_space(source);
        std::vector<Bone> bones(source.bones().begin(), source.bones().end());
        // About an axis of the model's space, the same for both sides.
        const auto pose = [&](const std::string& part, const Vec3& axis, float from, float to) {
            const float degrees = std::uniform_real_distribution<float>(from, to)(random);
            for (Bone& bone : bones) {
                if (bone.label != part + ".l" && bone.label != part + ".r") continue;
                const Quat& above = rest[static_cast<std::size_t>(bone.parent)].rotation;
                bone.rest.rotation =
                    above.conjugate() * sticks::turned(degrees, axis) * above * bone.rest.rotation;
            }
        };
        pose("upper", Vec3::UnitX(), -80.0f, 80.0f);
        pose("lower", Vec3::UnitX(), 0.0f, 60.0f);
        pose("thigh", Vec3::UnitX(), -40.0f, 20.0f);
        pose("shin", Vec3::UnitX(), 0.0f, 70.0f);
        const Correspondence found = correspond(source, Skeleton(bones));
        CAPTURE(number);
        CHECK(found.is_same_build());
        CHECK(found.scale == doctest::Approx(1.0f).epsilon(0.001));
    }
}

TEST_CASE("bones that were added, split, merged or left out do not disturb the others") {
    const Character figure = sticks::figure({.spine_bones = 3});
    const Character cut = sticks::split(sticks::split(figure, "spine_2"), "thigh_left");
    const Correspondence more = correspond(figure.skeleton, cut.skeleton);
    CHECK(more.is_same_build());
    CHECK(more.matched() == figure.skeleton.size());
    CHECK(answer(more, figure, cut, "spine_2_half").empty());
    CHECK(answer(more, figure, cut, "spine_3") == "spine_3");
    CHECK(answer(more, figure, cut, "shin_left") == "shin_left");

    const Character fewer = sticks::merged(sticks::merged(figure, "spine_2"), "shoulder_left");
    const Correspondence less = correspond(figure.skeleton, fewer.skeleton);
    CHECK(less.is_same_build());
    CHECK(less.matched() == fewer.skeleton.size());
    CHECK(answer(less, figure, fewer, "upper_arm_left") == "upper_arm_left");
    CHECK(less.target_of(figure.skeleton.find("spine_2")) == k_no_bone);
}

TEST_CASE("a figure that is flat is laid on as the hint says, not as its mirror image") {
    const Character figure = variants::nameless(sticks::figure({}));
    const Quat around(Eigen::AngleAxisf(180.0f / k_degrees, Vec3::UnitY()));
    CHECK(misses(correspond(figure.skeleton, figure.skeleton)) == 0);
    const Character other = variants::turned(figure, around);
    CHECK(misses(correspond(figure.skeleton, other.skeleton, around)) == 0);
}

TEST_CASE("the skin tells how a bone lies that ends in no joint") {
    const auto limb = [](const Vec3& direction) {
        std::vector<Bone> bones(6);
        for (std::size_t i = 0; i < bones.size(); ++i) {
            bones[i].name = bones[i].label = "b" + std::to_string(i);
            bones[i].parent = i == 0 ? k_no_bone : 0;
            bones[i].rest.translation = Vec3(0.2f * static_cast<float>(i % 3), i < 3 ? 0.3f : -0.3f, 0.0f);
        }
        return std::pair(Skeleton(bones),
                         std::vector<BoneMark>{{5, Vec3(0.4f, 0.0f, 0.0f) + 0.3f * direction}});
    };
    const auto [from, from_marks] = limb(-Vec3::UnitY());
    const auto [to, to_marks] = limb(Vec3(0.0f, -0.8f, 0.6f));
    const Correspondence bones = correspond(from, to, Quat::Identity(), from_marks, to_marks);
    CHECK(bones.answers[5].source == 5);
    CHECK((bones.answers[5].turn * Vec3(0.0f, -1.0f, 0.0f) - Vec3(0.0f, -0.8f, 0.6f)).norm() < 1e-3f);
}

TEST_CASE("what is another build is none") {
    CHECK_FALSE(correspond(workshop::diver().skeleton, workshop::bosun().skeleton).is_same_build());
    CHECK_FALSE(correspond(workshop::diver().skeleton, workshop::hound().skeleton).is_same_build());
    CHECK_FALSE(correspond(Skeleton(), workshop::diver().skeleton).is_same_build());
    const Character other = sticks::figure({.spine_bones = 3, .bent_knees = 0.1f});
    CHECK_FALSE(correspond(sticks::figure({}).skeleton, other.skeleton).is_same_build());
}

TEST_CASE("compare calls a copy without names renamed, in any order of its bones") {
    const Character& diver = workshop::diver();
    CHECK(compare(diver.skeleton, variants::nameless(diver).skeleton).likeness == Likeness::renamed);
    CHECK(compare(diver.skeleton, variants::nameless(variants::reordered(diver, 3)).skeleton).likeness ==
          Likeness::renamed);
}
