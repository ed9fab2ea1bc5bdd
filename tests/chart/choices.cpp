// What a person decides about a chart: findings that it mends go away, limbs of many bones keep their elbows.
#include "crowd.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/choices.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

#include <algorithm>

using namespace dendraxis;

namespace {

bool has(const Chart& chart, const std::string& code) {
    return std::any_of(chart.findings.begin(), chart.findings.end(),
                       [&](const Finding& f) { return f.code == code; });
}

}  // namespace

TEST_CASE("findings that a choice has mended go away") {
    // A post with two arms: no body is found in it.
    const crowd::Body thing = crowd::plain_body(3, crowd::Kind::none, crowd::Names::none);
    Chart chart = dendraxis::chart(thing.character);
    REQUIRE(has(chart, "chart.no-hips"));
    CHECK(chart.confidence == 0.0f);
    Choices choices;
    choices.hips = 0;
    apply_choices(chart, choices);
    CHECK(!has(chart, "chart.no-hips"));
    CHECK(has(chart, "chart.missing-chain"));

    // A doubtful chain is doubtful no more once it is set.
    const crowd::Body body = crowd::plain_body(7, crowd::Kind::biped, crowd::Names::good);
    Chart sure = dendraxis::chart(body.character);
    CHECK(!has(sure, "chart.doubtful"));
    Chain* arm = &*std::find_if(sure.chains.begin(), sure.chains.end(),
                                [](const Chain& c) { return c.name == "arm.left"; });
    arm->confidence = 0.5f;
    const std::vector<int> bones = arm->bones;
    Choices nothing;
    apply_choices(sure, nothing);
    CHECK(has(sure, "chart.doubtful"));
    CHECK(sure.confidence == doctest::Approx(0.5));
    Choices decided;
    decided.chains["arm.left"] = bones;
    apply_choices(sure, decided);
    CHECK(!has(sure, "chart.doubtful"));
    CHECK(sure.confidence > 0.7f);
}

TEST_CASE("a chosen chain may skip the hierarchy but not run against it, and its elbow is kept") {
    crowd::Oddities odd;
    odd.goals = odd.twist_halves = true;
    const crowd::Body body = crowd::plain_body(5, crowd::Kind::biped, crowd::Names::none, odd);
    Chart chart = dendraxis::chart(body.character);
    const auto bone = [&](const char* label) { return chart.skeleton.find(label); };
    Choices choices;
    choices.chains["arm.left"] = {bone("upper.l"), bone("upper2.l"), bone("lower.l"), bone("hand.l")};
    apply_choices(chart, choices);
    const Chain* arm = chart.find("arm.left");
    REQUIRE(arm != nullptr);
    CHECK(arm->bones[arm->lower] == bone("lower.l"));
    choices.lower["arm.left"] = bone("upper2.l");
    apply_choices(chart, choices);
    CHECK(chart.find("arm.left")->lower == 1);
    CHECK(differing(choices, dendraxis::chart(body.character)).lower.contains("arm.left"));
    Choices reversed;
    reversed.chains["arm.left"] = {bone("lower.l"), bone("upper.l")};
    CHECK_THROWS_AS(apply_choices(chart, reversed), Error);
}
