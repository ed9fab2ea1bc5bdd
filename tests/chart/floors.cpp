// Where characters stand: in their clips, which need not be where they rest.
#include "crowd.hpp"
#include "workshop.hpp"

#include <dendraxis/chart/floor.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace dendraxis;

namespace {

// The clip with every frame so much higher, as the roots carry it.
Clip lifted(const Skeleton& skeleton, Clip clip, float by) {
    const Transform up{Quat::Identity(), Vec3(0, by, 0), Vec3::Ones()};
    for (std::size_t i = 0; i < clip.transforms.size(); ++i) {
        if (skeleton.bones()[i % clip.bone_count].parent == k_no_bone)
            clip.transforms[i] = up * clip.transforms[i];
    }
    return clip;
}

float lowest_sole(const Chart& chart, const Clip& clip) {
    std::vector<Transform> model(chart.skeleton.size());
    std::vector<float> lows;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(chart.skeleton, clip.frame(f), model);
        float low = 1e30f;
        for (const Sole& sole : chart.shape.soles) low = std::min(low, lowest_of(sole, model, chart.up));
        lows.push_back(low);
    }
    std::sort(lows.begin(), lows.end());
    return lows[lows.size() / 2];
}

}  // namespace

TEST_CASE("a character that walks higher than it rests stands on its clips' floor, and so does the result") {
    Character source = workshop::diver();
    source.clips = {lifted(source.skeleton, source.clip("stroll"), 0.9f)};
    const Chart from = chart(source);
    CHECK(from.rest_floor == doctest::Approx(0.0));
    CHECK(from.floor == doctest::Approx(0.9).epsilon(0.01));
    CHECK(std::any_of(from.findings.begin(), from.findings.end(),
                      [](const Finding& f) { return f.code == "chart.floor-moves"; }));
    const Chart to = chart(io::load_character(workshop::demo("bosun.glb")));
    const Clip moved = Transfer(pair(from, to)).apply(source.clips[0]);
    CHECK(std::abs(lowest_sole(to, moved) - to.floor) < 0.01f);
}

TEST_CASE("the floor is kept where clips agree with the rest, or do not tell") {
    Character diver = workshop::diver();
    CHECK(chart(diver).floor == 0.0f);
    CHECK(chart(diver).clip_floors.empty());
    // Standing about on a ledge is no step: nothing tells a ledge from a floor.
    diver.clips.push_back(lifted(diver.skeleton, diver.clip("idle"), 0.4f));
    diver.clips.back().name = "on a ledge";
    CHECK(chart(diver).floor == 0.0f);
    CHECK(chart(diver).clip_floors.empty());
    CHECK(!resting_floor(chart(diver), diver.clips.back()));
    CHECK(resting_floor(chart(diver), diver.clip("stroll")));
}

TEST_CASE("a clip that steps on another floor than the others has one of its own") {
    Character diver = workshop::diver();
    diver.clips.push_back(lifted(diver.skeleton, diver.clip("stroll"), -0.5f));
    diver.clips.back().name = "in the hold";
    const Chart found = chart(diver);
    CHECK(found.floor == 0.0f);
    REQUIRE(found.clip_floors.contains("in the hold"));
    CHECK(floor_of(found, "in the hold") == doctest::Approx(-0.5).epsilon(0.02));
    CHECK(floor_of(found, "stroll") == 0.0f);
    const Chart to = chart(io::load_character(workshop::demo("deckhand.glb")));
    const Clip moved = Transfer(pair(found, to)).apply(diver.clips.back());
    CHECK(std::abs(lowest_sole(to, moved) - to.floor) < 0.01f);
}
