#include "crowd.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/retarget/lost_motion.hpp>
#include <dendraxis/retarget/matched_stance.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

namespace {

const Pairing& diver_to_bosun() {
    static const Pairing pairing = pair(chart(workshop::diver()), chart(workshop::bosun()));
    return pairing;
}

bool has(const Findings& findings, const std::string& code, const std::string& bone) {
    return std::any_of(findings.begin(), findings.end(), [&](const Finding& f) {
        return f.code == code && f.message.find(bone) != std::string::npos;
    });
}

std::size_t bone(const Character& character, const char* name) {
    return static_cast<std::size_t>(character.skeleton.find(name));
}

}  // namespace

TEST_CASE("poses one by one and a whole clip give the same bits") {
    const Transfer transfer(diver_to_bosun());
    const Clip& stroll = workshop::diver().clip("stroll");
    const Clip whole = transfer.apply_turns(stroll);
    Workspace workspace;
    std::vector<Transform> pose(workshop::bosun().skeleton.size());
    for (std::size_t f = 0; f < stroll.frame_count(); ++f) {
        transfer.apply(stroll.frame(f), pose, workspace);
        for (std::size_t i = 0; i < pose.size(); ++i) {
            CHECK(pose[i].rotation.coeffs() == whole.frame(f)[i].rotation.coeffs());
            CHECK(pose[i].translation == whole.frame(f)[i].translation);
        }
    }
}

TEST_CASE("in the matched stance the target's segments point as the source's do, its soles stay flat") {
    const Pairing& pairing = diver_to_bosun();
    const MatchedStance stance = match_stance(pairing);
    const auto source = rest_in_model_space(pairing.source.skeleton);
    const auto target = rest_in_model_space(pairing.target.skeleton);
    for (const char* name : {"arm.left", "arm.right", "leg.left", "leg.right"}) {
        const Chain& a = *pairing.source.find(name);
        const Chain& b = *pairing.target.find(name);
        for (std::size_t i = 0; i + 1 < b.bones.size(); ++i) {
            const auto position = [](const auto& model, int index) {
                return model[static_cast<std::size_t>(index)].translation;
            };
            const Vec3 theirs = position(source, a.bones[i + 1]) - position(source, a.bones[i]);
            const Vec3 own = stance.turns[static_cast<std::size_t>(b.bones[i])] *
                             (position(target, b.bones[i + 1]) - position(target, b.bones[i]));
            CHECK(angle_between(shortest_arc(own, theirs), Quat::Identity()) < 1e-3f);
        }
    }
    const auto foot = static_cast<std::size_t>(pairing.target.find("leg.left")->bones.back());
    CHECK((stance.turns[foot] * pairing.target.up - pairing.target.up).norm() < 1e-5f);
}

TEST_CASE("travel goes by leg length, height by hips height") {
    const Transfer transfer(diver_to_bosun());
    const Clip& stroll = workshop::diver().clip("stroll");
    const Clip result = transfer.apply(stroll);
    std::vector<Transform> model(workshop::bosun().skeleton.size());
    const auto ground_at = [&](std::size_t frame) {
        to_model_space(workshop::bosun().skeleton, result.frame(frame), model);
        return model[bone(workshop::bosun(), "Bo.Base")].translation;
    };
    const Vec3 direction = ground_at(result.frame_count() - 1) - ground_at(0);
    const float source_path =
        stroll.frame(stroll.frame_count() - 1)[bone(workshop::diver(), "ground")].translation.z();
    CHECK(direction.z() == doctest::Approx(source_path * transfer.leg_ratio()).epsilon(1e-4));
    CHECK(transfer.leg_ratio() ==
          doctest::Approx(leg_length(diver_to_bosun().target) / leg_length(diver_to_bosun().source)));
}

TEST_CASE("motion that is not carried is told") {
    const Character& diver = workshop::diver();
    Clip clip = diver.clip("idle");
    const Pairing pairing = pair(chart(diver), chart(workshop::deckhand()));
    CHECK(lost_motion(pairing, clip).empty());
    const Quat turn(Eigen::AngleAxisf(0.5f, Vec3::UnitX()));
    Transform& end = clip.frame(7)[bone(diver, "head_end")];
    end.rotation = end.rotation * turn;
    clip.frame(7)[bone(diver, "neck")].translation.x() += 0.1f;
    clip.frame(7)[bone(diver, "forearm_left")].translation.x() += 0.1f;  // becomes the arm's reach
    clip.frame(9)[bone(diver, "hand_right")].scale *= 1.5f;
    const Findings findings = lost_motion(pairing, clip);
    CHECK(findings.size() == 3);
    CHECK(has(findings, "retarget.bone-not-carried", "head_end"));
    CHECK(has(findings, "retarget.slide-not-carried", "neck ("));
    CHECK(has(findings, "retarget.scale-not-carried", "hand_right"));
    // A copy takes all of it.
    CHECK(lost_motion(pair(chart(diver), chart(diver)), clip).empty());
}

TEST_CASE("limbs whose bones do not hang on each other are not called left behind") {
    crowd::Oddities odd;
    odd.goals = true;
    odd.many_roots = true;
    const crowd::Body body = crowd::plain_body(1, crowd::Kind::biped, crowd::Names::good, odd);
    const Chart apart = chart(body.character);
    const Clip clip = Transfer(pair(workshop::diver_chart(), apart)).apply(workshop::diver().clip("stroll"));
    CHECK_FALSE(
        has(lost_motion(pair(apart, chart(workshop::deckhand())), clip), "retarget.bone-not-carried", ""));
}

TEST_CASE("what cannot be transferred is refused") {
    Character crate;
    crate.name = "crate";
    crate.skeleton = Skeleton({{"crate", "crate", k_no_bone, {}}});
    CHECK_THROWS_AS(Transfer(pair(chart(crate), chart(workshop::diver()))), Error);
    CHECK_THROWS_AS(Transfer(diver_to_bosun()).apply(Clip{"odd", 30.0f, 3, std::vector<Transform>(9)}),
                    Error);
}
