// Feet of other shapes and lengths than the source's.
#include "crowd.hpp"
#include "gates.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

namespace {

const FootTrack& of_leg(const std::vector<FootTrack>& feet, const std::string& leg) {
    const auto found =
        std::find_if(feet.begin(), feet.end(), [&](const FootTrack& foot) { return foot.leg == leg; });
    REQUIRE(found != feet.end());
    return *found;
}

// How far a part of the foot moves over the floor, beyond the source's in proportion, from the first to the
// last frame of the span.
float strayed(const Pairing& pairing, const FootTrack& own, const FootTrack& its, FootPart part,
              const FrameSpan& span) {
    const Vec3 theirs =
        source_to_target(pairing) * Vec3(its.parts[span.last][part] - its.parts[span.first][part]);
    const Vec3 moved = own.parts[span.last][part] - own.parts[span.first][part] - leg_ratio(pairing) * theirs;
    const Vec3& up = pairing.target.up;
    return (moved - moved.dot(up) * up).norm();
}

}  // namespace

TEST_CASE("feet of other lengths neither slide, sink nor hang over the floor as they walk") {
    const Clip& stroll = workshop::diver().clip("stroll");
    for (unsigned number = 1; number <= 12; ++number) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
        const ClipReview review = review_clip(pairing, stroll, Transfer(pairing).apply(stroll));
        workshop::check_gates(pairing, review, {"foot_slide_mm", "ground_depth_mm", "float_mm"});
    }
}

TEST_CASE("a foot turns towards how it stands at rest only where it is of another shape") {
    const Clip& stroll = workshop::diver().clip("stroll");
    const auto most_tilt = [&](const Pairing& pairing) {
        const Transfer transfer(pairing);
        const Clip turned = transfer.apply_turns(stroll);
        const Clip whole = transfer.apply(stroll);
        float most = 0.0f;
        for (const Sole& sole : pairing.target.shape.soles) {
            for (std::size_t f = 0; f < stroll.frame_count(); ++f) {
                const auto foot = static_cast<std::size_t>(sole.foot);
                const auto rotation = [&](const Clip& clip) {
                    std::vector<Transform> model(clip.bone_count);
                    to_model_space(pairing.target.skeleton, clip.frame(f), model);
                    return model[foot].rotation;
                };
                most = std::max(most, angle_between(rotation(turned), rotation(whole)) * k_degrees);
            }
        }
        return most;
    };
    Pairing itself = pair(workshop::diver_chart(), workshop::diver_chart());
    itself.bones.answers.clear();  // so that the passes run
    CHECK(most_tilt(itself) < 0.5f);
    const crowd::Body other = crowd::plain_body(1, crowd::Kind::biped, crowd::Names::good);
    const float tilt = most_tilt(pair(workshop::diver_chart(), chart(other.character)));
    CHECK(tilt > 5.0f);
    CHECK(tilt < 30.0f);
}

TEST_CASE("a foot without toes stands on its tip while the source's toes bend") {
    const Clip& stroll = workshop::diver().clip("stroll");
    const std::vector<FootTrack> theirs = track_feet(workshop::diver_chart(), stroll);
    for (const unsigned number : {700'138U, 700'175U, 700'181U, 700'220U}) {
        CAPTURE(number);
        const crowd::Body body = crowd::make_body(number);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
        REQUIRE(pairing.target.find("toes.left") == nullptr);
        const std::vector<FootTrack> ours = track_feet(pairing.target, Transfer(pairing).apply(stroll));
        for (const FootTrack& own : ours) {
            const FootTrack& its = of_leg(theirs, own.leg);
            const auto on_tip = [&](std::size_t f) {
                return its.planted[f][k_tip] && !its.planted[f][k_heel];
            };
            for (const FrameSpan& span : spans_where(stroll.frame_count(), on_tip, 4))
                CHECK(strayed(pairing, own, its, k_tip, span) < 0.003f * pairing.target.height);
        }
    }
}

TEST_CASE("feet that turn with the shins stand where the source's stand") {
    for (const unsigned number : {700'013U, 700'016U, 700'021U, 700'034U, 700'038U}) {
        CAPTURE(number);
        const Character body = variants::without_ends(crowd::make_body(number).character, ChainRole::leg);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body));
        REQUIRE(pairing.target.find("leg.left")->bones.size() == 2);
        for (const char* name : {"idle", "stroll", "crouch", "haul-rope"}) {
            CAPTURE(name);
            const Clip& clip = workshop::diver().clip(name);
            const ClipReview review = review_clip(pairing, clip, Transfer(pairing).apply(clip));
            workshop::check_gates(pairing, review, {"foot_slide_mm", "ground_depth_mm", "bend_flips"});
            CHECK(review["float_mm"].value < 1.5f * gate_of(pairing, "float_mm"));
        }
    }
}

TEST_CASE("a foot that drifts slowly while it stands is held") {
    crowd::Oddities odd;
    odd.no_skin = true;
    const Clip& crouch = workshop::diver().clip("crouch");
    for (const unsigned number : {6U, 8U}) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, crowd::Kind::bird, crowd::Names::good, odd);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
        const ClipReview review = review_clip(pairing, crouch, Transfer(pairing).apply(crouch));
        workshop::check_gates(pairing, review, {"foot_slide_mm"});
    }
}

TEST_CASE("a leg without joints is as long as it stands high, wherever its skin has its vertices") {
    crowd::Oddities odd;
    odd.block = true;
    for (unsigned number = 1; number <= 6; ++number) {
        CAPTURE(number);
        const Chart block =
            chart(crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good, odd).character);
        const std::vector<Transform> rest = rest_in_model_space(block.skeleton);
        CHECK(leg_length(block) ==
              doctest::Approx(legs_middle(block, rest).dot(block.up) - block.floor).epsilon(0.02));
    }
}

TEST_CASE("legs without joints step as far as the body goes") {
    const Clip& stroll = workshop::diver().clip("stroll");
    crowd::Oddities odd;
    odd.block = true;
    const std::vector<FootTrack> theirs = track_feet(workshop::diver_chart(), stroll);
    for (unsigned number = 1; number <= 6; ++number) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good, odd);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
        const std::vector<FootTrack> ours = track_feet(pairing.target, Transfer(pairing).apply(stroll));
        for (const FootTrack& own : ours) {
            const FootTrack& its = of_leg(theirs, own.leg);
            const auto flat = [&](std::size_t f) { return its.planted[f][k_heel] && its.planted[f][k_ball]; };
            for (const FrameSpan& span : spans_where(stroll.frame_count(), flat, 4))
                CHECK(strayed(pairing, own, its, k_ball, span) < 0.02f * pairing.target.height);
        }
    }
}

TEST_CASE("while a heel dips behind toes that rest, the toes of the target rest") {
    const Character& hound = workshop::hound();
    const Chart source = chart(hound);
    const Clip& trot = hound.clip("trot");
    const std::vector<FootTrack> theirs = track_feet(source, trot);
    for (unsigned number = 100; number < 106; ++number) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, crowd::Kind::quadruped, crowd::Names::good);
        const Pairing pairing = pair(source, chart(body.character));
        const std::vector<FootTrack> ours = track_feet(pairing.target, Transfer(pairing).apply(trot));
        REQUIRE(ours.size() == 4);
        for (const FootTrack& own : ours) {
            const ChainPair* entry = pairing.entry_of(*pairing.target.find(own.leg));
            REQUIRE(entry != nullptr);
            const FootTrack& foot = of_leg(theirs, entry->source);
            for (const FrameSpan& span : spans_where(
                     own.size(), [&](std::size_t f) { return foot.planted[f][k_ball]; }, 4)) {
                CHECK(strayed(pairing, own, foot, k_ball, span) < 0.003f * pairing.target.height);
            }
        }
    }
}

TEST_CASE("a heel that dips behind resting toes does not carry the foot") {
    const Chart hound = chart(workshop::hound());
    for (const FootTrack& foot : track_feet(hound, workshop::hound().clip("trot"))) {
        for (std::size_t f = 0; f + 1 < foot.size(); ++f) {
            if (!foot.planted[f][k_heel] || !foot.planted[f + 1][k_heel]) continue;
            CHECK(foot.planted[f][k_ball]);
            const Vec3 moved = foot.parts[f + 1][k_heel] - foot.parts[f][k_heel];
            CHECK(moved.norm() < 0.002f * hound.height);
        }
    }
}

TEST_CASE("a beast that stands as good as still stands on all four feet") {
    const Chart hound = chart(workshop::hound());
    for (const unsigned number : {700'110U, 700'115U}) {
        CAPTURE(number);
        const Pairing pairing = pair(hound, chart(crowd::make_body(number).character));
        const Clip& stand = workshop::hound().clip("stand");
        const ClipReview review = review_clip(pairing, stand, Transfer(pairing).apply(stand));
        workshop::check_gates(pairing, review, {"float_mm", "ground_depth_mm", "foot_slide_mm", "pops"});
    }
}

TEST_CASE("a foreleg that is straight for a frame bends as it does before and after") {
    const Chart hound = chart(workshop::hound());
    const Clip& trot = workshop::hound().clip("trot");
    for (const unsigned number : {700'010U, 700'012U, 700'054U, 700'098U, 700'117U}) {
        CAPTURE(number);
        const Chart body = chart(crowd::make_body(number).character);
        const Clip of_body = Transfer(pair(hound, body)).apply(trot);
        const Pairing back = pair(body, hound);
        const ClipReview review = review_clip(back, of_body, Transfer(back).apply(of_body));
        workshop::check_gates(back, review, {"ground_depth_mm", "foot_slide_mm", "pops"});
    }
}
