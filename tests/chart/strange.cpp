// Charts of bodies of unusual builds, and of files with more than one body.
#include "crowd.hpp"

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/explain.hpp>
#include <dendraxis/chart/pairing.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <array>
#include <utility>
#include <vector>

using namespace dendraxis;
using crowd::Build;
using crowd::Names;

namespace {

const std::array<std::pair<Build, const char*>, 10> k_builds{{{Build::theropod, "theropod"},
                                                              {Build::crouching, "crouching"},
                                                              {Build::short_legs, "short legs"},
                                                              {Build::walker, "walker"},
                                                              {Build::armed_walker, "armed walker"},
                                                              {Build::legless, "legless"},
                                                              {Build::sleeves, "sleeves"},
                                                              {Build::horse, "horse"},
                                                              {Build::two_people, "two people"},
                                                              {Build::rider, "rider"}}};

const Finding* several_bodies(const Chart& chart) {
    for (const Finding& finding : chart.findings) {
        if (finding.code == "chart.several-bodies") return &finding;
    }
    return nullptr;
}

void check_whole(const crowd::Body& body) {
    const crowd::Score score = crowd::judge(body, chart(body.character));
    for (const std::string& wrong : score.wrong) CHECK_MESSAGE(false, wrong);
    for (const std::string& made_up : score.made_up) CHECK_MESSAGE(false, "made up: " << made_up);
    CHECK(score.hips);
    CHECK(score.facing);
}

}  // namespace

TEST_CASE("bodies of unusual builds are charted whole by their names, with sides named or not") {
    for (const auto& [build, name] : k_builds) {
        for (const Names names : {Names::good, Names::sideless}) {
            // Without feet nothing but names tells left from right.
            if (build == Build::legless && names == Names::sideless) continue;
            for (unsigned number = 1; number <= 6; ++number) {
                CAPTURE(name);
                CAPTURE(static_cast<int>(names));
                CAPTURE(number);
                check_whole(crowd::strange_body(number, build, names));
            }
        }
    }
}

TEST_CASE("bodies of unusual builds are charted whole by their shape alone") {
    for (const Build build : {Build::crouching, Build::short_legs, Build::armed_walker, Build::horse,
                              Build::two_people, Build::rider}) {
        for (unsigned number = 1; number <= 6; ++number) {
            CAPTURE(static_cast<int>(build));
            CAPTURE(number);
            check_whole(crowd::strange_body(number, build, Names::none));
        }
    }
}

TEST_CASE("short legs without a skin face the way their feet point") {
    for (unsigned number = 1; number <= 6; ++number) {
        CAPTURE(number);
        check_whole(crowd::strange_body(number, Build::short_legs, Names::good, false));
    }
}

TEST_CASE("of two bodies in one file the larger is charted, and the other is reported") {
    for (const Build build : {Build::two_people, Build::rider}) {
        for (const bool skin : {true, false}) {
            const crowd::Body body = crowd::strange_body(3, build, Names::good, skin);
            const Chart found = chart(body.character);
            CAPTURE(static_cast<int>(build));
            CAPTURE(skin);
            REQUIRE(several_bodies(found) != nullptr);
            CHECK(several_bodies(found)->message ==
                  "the file holds 2 bodies; this chart is of the one at 'hips', without what hangs on "
                  "'hips.2'");
            const Pairing pairing = pair(found, found);
            CHECK(std::any_of(pairing.findings.begin(), pairing.findings.end(),
                              [](const Finding& finding) { return finding.code == "chart.several-bodies"; }));
            const int other = crowd::by_label(body.character.skeleton, "head.2");
            CHECK(explain(body.character, other).evidence.front().what ==
                  "it belongs to another body in the file than the one that is charted");
            for (const Chain& chain : found.chains) {
                for (const int bone : chain.bones)
                    CHECK(found.skeleton.bone(bone).label.find(".2") == std::string::npos);
            }
        }
    }
}

TEST_CASE("one body is not taken for several") {
    for (unsigned number = 0; number < 200; ++number) {
        CAPTURE(number);
        CHECK(several_bodies(chart(crowd::make_body(number).character)) == nullptr);
    }
}
