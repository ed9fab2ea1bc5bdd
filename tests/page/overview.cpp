// Whole sets reviewed: the report, the pages and the overview.
#include "browser.hpp"
#include "page_reader.hpp"
#include "workshop.hpp"

#include <dendraxis/io/write_file.hpp>
#include <dendraxis/pipeline/review_set.hpp>

#include <doctest/doctest.h>

#include <set>

using namespace dendraxis;
using nlohmann::json;

namespace {

using workshop::between;
using workshop::k_bosun;
using workshop::k_diver;
using workshop::Scratch;
namespace fs = workshop::fs;

// One file a clip, for the bosun by a pairing without passes and for the deckhand as usual.
void carry(const Scratch& scratch) {
    const auto run = [](const std::string& command) {
        const workshop::Outcome outcome = workshop::run_tool(command);
        REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    };
    const std::string pairing = (scratch / "p.json").string();
    run("pair " + k_diver + " " + k_bosun + " -o " + pairing);
    json off = json::parse(io::read_text(pairing));
    off["passes"] = {{"feet", false}, {"hands", false}, {"clearance", false}, {"ranges", false}};
    io::write_text(pairing, off.dump(1));
    run("retarget --source " + k_diver + " --target " + k_bosun + " --pairing " + pairing +
        " --clip crouch --clip stroll --out-dir " + (scratch / "set/bosun").string());
    run("retarget --source " + k_diver + " --target " + workshop::demo("deckhand.glb").string() +
        " --clip crouch --clip idle --out-dir " + (scratch / "set/deckhand").string());
}

}  // namespace

TEST_CASE("a folder of results is reviewed as a set: one is unreadable, clips are missing") {
    const Scratch scratch;
    carry(scratch);
    io::write_text(scratch / "set/zz.glb", "no glTF");
    pipeline::ReviewSet set;
    set.source = k_diver;
    set.results = {scratch / "set"};
    std::vector<std::string> one_thread;
    for (const int jobs : {1, 2}) {
        set.jobs = jobs;
        std::set<std::string> told;
        std::mutex mutex;
        const pipeline::ReviewReport report =
            pipeline::review_set(set, [&](const pipeline::ReviewedFile& file) {
                const std::lock_guard lock(mutex);
                told.insert(file.name);
                CHECK(file.before.size() == file.after.size());
            });
        std::vector<std::string> lines;
        for (const auto& line : report.lines) {
            CHECK(line.verdicts.size() == line.review.clips.size());
            lines.push_back(line.name +
                            (line.error.empty() ? line.review.passed ? " right" : " wrong" : " failed"));
        }
        CHECK(lines == std::vector<std::string>{"bosun/crouch wrong", "bosun/stroll wrong",
                                                "deckhand/crouch right", "deckhand/idle right", "zz failed"});
        CHECK(told ==
              std::set<std::string>{"bosun/crouch", "bosun/stroll", "deckhand/crouch", "deckhand/idle"});
        CHECK_FALSE(report.passed());
        REQUIRE(report.findings.size() == 2);
        CHECK(report.findings[1].code == "review.unreadable");
        CHECK(report.findings[0].code == "review.missing-clip");
        CHECK(report.findings[0].message.starts_with("5 of the source's 8 clips"));
    }
    set.clips = {"idel"};
    CHECK_THROWS_WITH(pipeline::review_set(set), doctest::Contains("did you mean 'idle'?"));
    set.clips = {"swing-mallet"};
    CHECK_THROWS_WITH(pipeline::review_set(set), doctest::Contains("there is no clip 'swing-mallet'"));
    set.clips = {"crouch"};
    set.results = {scratch / "set/zz.glb"};
    CHECK_THROWS_AS(pipeline::review_set(set), Error);
}

TEST_CASE("results of motion files are held against those files") {
    const Scratch scratch;
    const auto convert = workshop::run_tool("convert " + k_diver + " " +
                                            (scratch / "motion/crouch.bvh").string() + " --clip crouch");
    REQUIRE_MESSAGE(convert.status == 0, convert.err);
    REQUIRE(workshop::run_tool("retarget --target " + k_bosun + " --motion " + (scratch / "motion").string() +
                               " --prefix b- --out-dir " + (scratch / "out").string())
                .status == 0);
    const auto outcome =
        workshop::run_tool("review --motion " + (scratch / "motion").string() + " --result " +
                           (scratch / "out").string() + " --prefix b- --gate --json");
    CHECK_MESSAGE(outcome.status == 0, outcome.err);
    const json report = json::parse(outcome.out);
    CHECK(report["clips"][0]["clip"] == "b-crouch");
    CHECK(report["passed"] == true);
}

TEST_CASE("the overview shows what is worst first and leads to its page") {
    const Scratch scratch;
    carry(scratch);
    const fs::path file = scratch / "nightly.html";
    const auto outcome =
        workshop::run_tool("review --source " + k_diver + " --result " + (scratch / "set").string() +
                           " --page " + file.string() + " --gate");
    CHECK_MESSAGE(outcome.status == 1, outcome.err);
    CHECK(outcome.out.find("stroll") != std::string::npos);
    const json document = json::parse(between(io::read_text(file), "id=\"document\">", "</script>"));
    REQUIRE(document["entries"].size() == 4);
    for (const json& entry : document["entries"]) {
        CHECK(fs::exists(scratch / entry["page"].get<std::string>()));
        CHECK(entry["picture"].get<std::string>().size() > 4000);
    }
    const auto seen = workshop::in_browser("overview.mjs", file.string() + " deckhand");
    if (!seen) return;
    const json& result = *seen;
    INFO(result.dump());
    CHECK(result["errors"].empty());
    CHECK(result["verdict"] == "2 of 4 clips over a gate");
    REQUIRE(result["cards"].size() == 4);
    for (std::size_t i = 0; i < 4; ++i) {
        CHECK(result["cards"][i]["over"] == (i < 2));
        CHECK(result["cards"][i]["width"] == 440);
    }
    CHECK(result["notes"].size() == 1);
    CHECK(result["only_over"] == 2);
    CHECK(result["filtered"] == 2);
    CHECK(result["opened"]["clip"] == result["cards"][0]["clip"]);
    // The picture, the card's place and where it leads all go by the same worst measure.
    json worst;
    for (const json& entry : document["entries"]) {
        for (const json& measure : entry["measures"]) {
            if (measure.contains("finding") &&
                (worst.is_null() || measure["strain"].get<double>() > worst["strain"].get<double>()))
                worst = measure;
        }
    }
    CHECK(result["opened"]["frame"] == worst["frame"]);
}
