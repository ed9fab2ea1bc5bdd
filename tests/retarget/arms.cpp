// Arms on bodies that are wider than the source's: out of the body, on one side, hands together.
#include "crowd.hpp"
#include "gates.hpp"
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>

#include <doctest/doctest.h>

#include <initializer_list>
#include <utility>

using namespace dendraxis;

namespace {

// The diver's clip, carried onto a body of the crowd.
void check_on(unsigned number, const char* clip_name, std::initializer_list<const char*> measures) {
    CAPTURE(number);
    const Clip& clip = workshop::diver().clip(clip_name);
    const Pairing pairing = pair(workshop::diver_chart(), chart(crowd::make_body(number).character));
    const ClipReview review = review_clip(pairing, clip, Transfer(pairing).apply(clip));
    workshop::check_gates(pairing, review, measures);
}

}  // namespace

TEST_CASE("hands are not kept together where a wide body between them would whip the arms") {
    const Clip& rope = workshop::diver().clip("haul-rope");
    for (const unsigned number : {700'025U, 700'050U, 700'149U, 700'169U, 700'181U}) {
        CAPTURE(number);
        const Pairing pairing = pair(workshop::diver_chart(), chart(crowd::make_body(number).character));
        const ClipReview review = review_clip(pairing, rope, Transfer(pairing).apply(rope));
        CHECK(review["pops"].value == 0.0f);
        CHECK(review["direction_error_deg"].value < 45.0f);
    }
}

TEST_CASE("arms come out of the body, whatever the hands hang on in the file") {
    const Clip& crouch = workshop::diver().clip("crouch");
    for (const bool goals : {false, true}) {
        for (const unsigned number : {1u, 2u, 4u, 5u, 6u}) {
            CAPTURE(goals);
            CAPTURE(number);
            crowd::Oddities odd;
            odd.goals = goals;
            const crowd::Body body = crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good, odd);
            const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
            const ClipReview review = review_clip(pairing, crouch, Transfer(pairing).apply(crouch));
            workshop::check_gates(pairing, review, {"clipping_mm", "pops"});
        }
    }
}

TEST_CASE("arms without hands come out of the body, too") {
    int mended = 0;
    for (const unsigned number : {700'013U, 700'016U, 700'021U, 700'034U, 700'038U}) {
        CAPTURE(number);
        const Character body = variants::without_ends(crowd::make_body(number).character, ChainRole::arm);
        Pairing pairing = pair(workshop::diver_chart(), chart(body));
        REQUIRE(pairing.target.find("arm.left")->bones.size() == 2);
        for (const char* name : {"crouch", "haul-rope"}) {
            CAPTURE(name);
            const Clip& clip = workshop::diver().clip(name);
            pairing.settings.clearance = true;
            const ClipReview review = review_clip(pairing, clip, Transfer(pairing).apply(clip));
            workshop::check_gates(pairing, review, {"clipping_mm", "pops"});
            pairing.settings.clearance = pairing.settings.hands = false;
            const ClipReview without = review_clip(pairing, clip, Transfer(pairing).apply(clip));
            mended += without["clipping_mm"].value > gate_of(pairing, "clipping_mm") ? 1 : 0;
        }
    }
    CHECK(mended > 4);
}

TEST_CASE("a hand that goes through a knee in a crouch comes out") {
    for (const unsigned number : {700'005U, 700'035U, 700'055U, 700'064U, 700'174U, 700'176U, 710'164U})
        check_on(number, "crouch", {"clipping_mm", "pops"});
}

TEST_CASE("hands that hold one rope do not end in a wide body") {
    for (const unsigned number : {700'043U, 700'071U, 700'149U, 710'124U, 710'236U})
        check_on(number, "haul-rope", {"clipping_mm", "pops", "direction_error_deg"});
}

TEST_CASE("an arm that would be turned out to one side and then to the other stays on one") {
    for (const auto& [number, name] : {std::pair(700'072U, "wave-lantern"), std::pair(700'178U, "crouch"),
                                       std::pair(710'104U, "haul-rope")})
        check_on(number, name, {"clipping_mm", "pops", "direction_error_deg"});
}
