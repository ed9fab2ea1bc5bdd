// Clips carried to bodies of unusual builds: legs that are folded at rest, a trunk that stands level, limbs
// that hang elsewhere in the file.
#include "crowd.hpp"
#include "gates.hpp"
#include "workshop.hpp"

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <array>
#include <string>
#include <vector>

using namespace dendraxis;
using crowd::Build;
using crowd::Names;

namespace {

Pairing onto(const Character& source, unsigned number, Build build) {
    return pair(chart(source), chart(crowd::strange_body(number, build, Names::good).character));
}

void check_clip(const Pairing& pairing, const Clip& clip, std::initializer_list<const char*> measures) {
    CAPTURE(clip.name);
    workshop::check_gates(pairing, review_clip(pairing, clip, Transfer(pairing).apply(clip)), measures);
}

// The same pose with one bone hanging on another in the file.
Character hung_on(const Character& character, const std::string& label, const std::string& holder) {
    const std::vector<Transform> rest = rest_in_model_space(character.skeleton);
    std::vector<Bone> bones(character.skeleton.bones().begin(), character.skeleton.bones().end());
    const auto bone = static_cast<std::size_t>(crowd::by_label(character.skeleton, label));
    const int above = crowd::by_label(character.skeleton, holder);
    bones[bone].parent = above;
    bones[bone].rest = inverse(rest[static_cast<std::size_t>(above)]) * rest[bone];
    Character result = character;
    result.skeleton = Skeleton(bones);
    return result;
}

}  // namespace

TEST_CASE("a body on four legs that crouches at rest stands on all of them as one that stands") {
    for (unsigned number = 1; number <= 6; ++number) {
        CAPTURE(number);
        const Pairing pairing = onto(workshop::hound(), number, Build::crouching);
        REQUIRE(stands_on_four(pairing.target));
        for (const char* clip : {"stand", "trot"})
            check_clip(pairing, workshop::hound().clip(clip),
                       {"foot_slide_mm", "ground_depth_mm", "float_mm", "body_depth_mm", "hips_height_pct"});
    }
}

TEST_CASE("a person's clips onto a body on four legs: its hind legs carry it") {
    for (unsigned number = 1; number <= 3; ++number) {
        CAPTURE(number);
        const Pairing pairing = onto(workshop::diver(), number, Build::horse);
        REQUIRE(stands_on_four(pairing.target));
        for (const char* clip : {"idle", "stroll", "crouch"})
            check_clip(pairing, workshop::diver().clip(clip), {"ground_depth_mm", "hips_height_pct"});
    }
}

TEST_CASE("legs that are bent at rest and stand as straight as the source's are no fault of height") {
    for (const Build build : {Build::theropod, Build::walker, Build::armed_walker}) {
        CAPTURE(static_cast<int>(build));
        const Pairing pairing = onto(workshop::diver(), 2, build);
        for (const char* clip : {"idle", "stroll", "crouch"})
            check_clip(pairing, workshop::diver().clip(clip),
                       {"foot_slide_mm", "ground_depth_mm", "hips_height_pct"});
    }
}

TEST_CASE("a body of more joints that stands straighter than at rest is no higher than one that stands") {
    const Chart hound = chart(workshop::hound());
    const Clip& stand = workshop::hound().clip("stand");
    for (const unsigned number : {700'009U, 700'037U, 700'095U, 700'110U}) {
        CAPTURE(number);
        const Chart body = chart(crowd::make_body(number).character);
        const Clip carried = Transfer(pair(hound, body)).apply(stand);
        check_clip(pair(body, hound), carried, {"foot_slide_mm", "ground_depth_mm", "hips_height_pct"});
    }
}

TEST_CASE("forelegs whose lower half hangs on the hips in the file stay whole as the trunk leans") {
    for (unsigned number = 1; number <= 3; ++number) {
        CAPTURE(number);
        const Character plain = crowd::strange_body(number, Build::crouching, Names::good).character;
        const Character torn = hung_on(hung_on(plain, "lower.l", "hips"), "lower.r", "hips");
        std::array<std::vector<Transform>, 2> poses;
        for (std::size_t i = 0; i < 2; ++i) {
            const Character& target = i == 0 ? plain : torn;
            Pairing pairing = pair(chart(workshop::hound()), chart(target));
            pairing.settings.feet = false;
            const Clip trot = Transfer(pairing).apply(workshop::hound().clip("trot"));
            poses[i].resize(trot.transforms.size());
            to_model_space(target.skeleton, trot.transforms, poses[i]);
        }
        const float height = chart(plain).height;
        float most = 0.0f;
        for (std::size_t i = 0; i < poses[0].size(); ++i)
            most = std::max(most, (poses[0][i].translation - poses[1][i].translation).norm());
        CHECK(most < 0.001f * height);
    }
}
