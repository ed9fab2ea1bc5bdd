// Feet of other shapes and lengths than the source's.
#include "crowd.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/contacts.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

TEST_CASE("feet of other lengths neither slide, sink nor hang over the floor as they walk") {
    const Clip& stroll = workshop::diver().clip("stroll");
    for (unsigned number = 1; number <= 12; ++number) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
        const ClipReview review = review_clip(pairing, stroll, Transfer(pairing).apply(stroll));
        for (const char* measure : {"foot_slide_mm", "ground_depth_mm", "float_mm"}) {
            CAPTURE(measure);
            CHECK(review[measure].value <= gate_of(pairing, measure));
        }
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
        for (std::size_t i = 0; i < ours.size(); ++i) {
            const auto flat = [&](std::size_t f) {
                return theirs[i].planted[f][k_heel] && theirs[i].planted[f][k_ball];
            };
            for (const FrameSpan& span : spans_where(stroll.frame_count(), flat, 4)) {
                Vec3 strayed = ours[i].parts[span.last][k_ball] - ours[i].parts[span.first][k_ball];
                strayed -= strayed.dot(pairing.target.up) * pairing.target.up;
                CHECK(strayed.norm() < 0.02f * pairing.target.height);
            }
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
            const auto foot = std::find_if(theirs.begin(), theirs.end(), [&](const FootTrack& track) {
                return track.leg == entry->source;
            });
            REQUIRE(foot != theirs.end());
            for (const FrameSpan& span : spans_where(
                     own.size(), [&](std::size_t f) { return foot->planted[f][k_ball]; }, 4)) {
                Vec3 strayed = own.parts[span.last][k_ball] - own.parts[span.first][k_ball];
                strayed -= strayed.dot(pairing.target.up) * pairing.target.up;
                CHECK(strayed.norm() < 0.003f * pairing.target.height);
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
        for (const char* measure : {"float_mm", "ground_depth_mm", "foot_slide_mm", "pops"}) {
            CAPTURE(measure);
            CHECK(review[measure].value <= gate_of(pairing, measure));
        }
    }
}
