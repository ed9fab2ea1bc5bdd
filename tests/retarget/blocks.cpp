// Onto figures of few parts: legs without knees, a trunk that is one with the hips.
#include "crowd.hpp"
#include "workshop.hpp"

#include <dendraxis/chart/body_shape.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

namespace {

crowd::Body block_figure(unsigned number) {
    crowd::Oddities odd;
    odd.block = true;
    return crowd::plain_body(number, crowd::Kind::biped, crowd::Names::good, odd);
}

// Of the lowest sole over the floor in each frame, the lowest and the highest, as shares of the height.
std::pair<float, float> lowest_sole(const Chart& chart, const Clip& clip) {
    float least = 1e30f;
    float most = -1e30f;
    std::vector<Transform> model(clip.bone_count);
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(chart.skeleton, clip.frame(f), model);
        float low = 1e30f;
        for (const Sole& sole : chart.shape.soles)
            low = std::min(low, lowest_of(sole, model, chart.up) - chart.floor);
        least = std::min(least, low / chart.height);
        most = std::max(most, low / chart.height);
    }
    return {least, most};
}

}  // namespace

TEST_CASE("a figure without knees stays on the floor where the source crouches, hops and walks") {
    for (const unsigned number : {1u, 2u, 3u}) {
        const crowd::Body body = block_figure(number);
        const Pairing pairing = pair(workshop::diver_chart(), chart(body.character));
        REQUIRE(pairing.target.shape.soles.size() == 2);
        for (const char* name : {"crouch", "stroll", "idle"}) {
            CAPTURE(number);
            CAPTURE(name);
            const Clip result = Transfer(pairing).apply(*workshop::diver().find_clip(name));
            const auto [least, most] = lowest_sole(pairing.target, result);
            CHECK(least > -0.002f);
            CHECK(most < 0.01f);
        }
        const Clip hop = Transfer(pairing).apply(*workshop::diver().find_clip("hop-down"));
        CHECK(lowest_sole(pairing.target, hop).first > -0.002f);
    }
}
