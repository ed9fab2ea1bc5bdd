// The rig sheet: what a person wrote stays when the character is charted again, the rest is found anew.
#include "workshop.hpp"

#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/io/sheet/ragdoll_sheet.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/sheet/socket_sheet.hpp>
#include <dendraxis/io/sheet/windows.hpp>
#include <dendraxis/io/write_file.hpp>

#include <doctest/doctest.h>

#include <algorithm>
#include <fstream>

using namespace dendraxis;
using nlohmann::json;

namespace {

json& chain_in(json& sheet, const std::string& name) {
    for (json& chain : sheet["chains"]) {
        if (chain["name"] == name) return chain;
    }
    return sheet["chains"].emplace_back(json{{"name", name}, {"bones", json::array()}});
}

json bones_of(json sheet, const std::string& name) {
    return chain_in(sheet, name)["bones"];
}

struct Desk {
    workshop::Scratch scratch;
    workshop::fs::path sheet = scratch / "diver.rig.json";

    Desk() { chart(workshop::demo("diver.glb").string()); }
    void chart(const std::string& input) {
        const auto outcome = workshop::run_tool("chart " + input + " -o " + sheet.string());
        REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
    }
    json read() const { return json::parse(io::read_text(sheet)); }
    void write(const json& text) const { std::ofstream(sheet) << text.dump(2); }
};

}  // namespace

TEST_CASE("edits of a sheet stay when it is charted again") {
    Desk desk;
    CHECK(desk.read()["set"].empty());
    json edited = desk.read();
    chain_in(edited, "neck")["bones"] = {"chest", "neck"};        // one line changed
    chain_in(edited, "spine")["bones"] = {"spine_1", "spine_2"};  // its neighbor with it
    chain_in(edited, "grip.left")["bones"] = json::array();       // there is none
    chain_in(edited, "toes.left")["confidence"] = 0.1;            // found things are found anew
    edited["notes"] = "mine";
    edited["root"] = nullptr;
    desk.write(edited);
    desk.chart(desk.sheet.string());
    const json again = desk.read();
    CHECK(bones_of(again, "neck") == json({"chest", "neck"}));
    CHECK(bones_of(again, "grip.left") == json::array());
    CHECK(again["root"] == nullptr);
    CHECK(again["notes"] == "mine");
    CHECK(again["set"] == json({"root", "grip.left", "neck", "spine"}));
    json copy = again;
    CHECK(chain_in(copy, "toes.left")["confidence"].get<double>() > 0.9);
    CHECK(std::any_of(again["findings"].begin(), again["findings"].end(),
                      [](const json& f) { return f["code"] == "sheet.unknown-key"; }));

    // Charting a third time changes nothing more.
    desk.chart(desk.sheet.string());
    CHECK(desk.read() == again);

    // A chain taken out of the sheet is found anew; as long as it is out, it is not there.
    json shorter = again;
    std::erase_if(shorter["chains"].get_ref<json::array_t&>(),
                  [](const json& chain) { return chain["name"] == "leg.left"; });
    desk.write(shorter);
    CHECK(io::load_rig(desk.sheet).chart.find("leg.left") == nullptr);
    desk.chart(desk.sheet.string());
    CHECK(bones_of(desk.read(), "leg.left").size() == 3);
}

TEST_CASE("a set chain takes its bones from found ones, and that is told") {
    Desk desk;
    json edited = desk.read();
    std::erase_if(edited["chains"].get_ref<json::array_t&>(),
                  [](const json& chain) { return chain["name"] == "toes.left"; });
    chain_in(edited, "leg.left")["bones"] = {"thigh_left", "shin_left", "foot_left", "toes_left"};
    desk.write(edited);
    desk.chart(desk.sheet.string());
    CHECK(bones_of(desk.read(), "toes.left").empty());
    const json findings = desk.read()["findings"];
    CHECK(std::any_of(findings.begin(), findings.end(), [](const json& f) {
        return f["code"] == "chart.gave-way" && f["where"] == "toes.left";
    }));
}

TEST_CASE("what was decided for one character serves another with the same skeleton") {
    Desk desk;
    json edited = desk.read();
    chain_in(edited, "grip.left")["bones"] = json::array();
    desk.write(edited);
    const auto twin = desk.scratch / "twin.glb";
    workshop::fs::copy(workshop::demo("diver.glb"), twin);
    const auto out = desk.scratch / "twin.rig.json";
    REQUIRE(workshop::run_tool("chart " + twin.string() + " --sheet " + desk.sheet.string() + " -o " +
                               out.string())
                .status == 0);
    const json sheet = json::parse(io::read_text(out));
    CHECK(sheet["character"]["file"] == "twin.glb");
    CHECK(sheet["set"] == json({"grip.left"}));
    CHECK(workshop::run_tool("chart " + workshop::demo("hound.glb").string() + " --sheet " +
                             desk.sheet.string())
              .err.find("another character") != std::string::npos);
}

TEST_CASE("a sheet counts alike by itself and with a character's file") {
    Desk desk;
    json edited = desk.read();
    auto& chains = edited["chains"];
    chains.erase(
        std::find_if(chains.begin(), chains.end(), [](const json& c) { return c["name"] == "neck"; }));
    desk.write(edited);
    io::Rig alone = io::load_rig(desk.sheet);
    const io::Rig beside = io::load_rig(desk.sheet, 0.0f, workshop::demo("diver.glb"));
    CHECK(alone.chart.find("neck") == nullptr);
    alone.chart.file = beside.chart.file;
    CHECK(io::sheet_json(alone.chart) == io::sheet_json(beside.chart));
    CHECK(io::rechart(desk.sheet).chart.find("neck") != nullptr);
}

TEST_CASE("a sheet is edited section by section and saved whole") {
    Desk desk;
    json own = desk.read();
    own["remark"] = "by hand";
    desk.write(own);
    const io::Rig rig = io::load_rig(desk.sheet);
    io::RigSheet edited = rig.sheet;
    const std::vector<Socket> sockets = suggested_sockets(rig.character, rig.chart);
    io::set_sockets(edited, sockets, rig.chart.skeleton);
    io::set_windows(edited, std::vector<ClipWindow>{{"stroll", "mallet.head", 3.0f, 8.0f, false, {}}});
    // The copy was edited, not what it was copied from.
    Findings findings;
    CHECK_FALSE(io::read_sockets(rig, findings));
    CHECK(io::sheet_json(rig.chart, desk.scratch.path(), rig.sheet).find("mallet") == std::string::npos);

    io::write_text(desk.sheet, io::sheet_json(rig.chart, desk.scratch.path(), edited));
    CHECK(desk.read()["remark"] == "by hand");
    const io::Rig again = io::load_rig(desk.sheet);
    CHECK(io::sockets_of(again, findings).size() == sockets.size());
    CHECK(io::read_windows(again).at(0).volume == "mallet.head");
    CHECK_FALSE(io::read_ragdoll(again));
    // A character without a sheet gets one.
    io::RigSheet fresh;
    io::set_sockets(fresh, sockets, rig.chart.skeleton);
    CHECK(json::parse(io::sheet_json(rig.chart, {}, fresh))["sockets"].size() == sockets.size());
}

TEST_CASE("the sheets of the demo characters are what charting them gives") {
    for (const char* name : {"diver", "bosun", "deckhand", "hound"}) {
        CAPTURE(name);
        const workshop::fs::path kept = workshop::demo(std::string(name) + ".rig.json");
        const workshop::Scratch scratch;
        const json fresh = json::parse(
            workshop::run_tool("chart --json " + workshop::demo(std::string(name) + ".glb").string()).out);
        json stored = json::parse(io::read_text(kept));
        CHECK(stored["chains"] == fresh["chains"]);
        CHECK(stored["hips"] == fresh["hips"]);
        CHECK(stored["character"]["file"] == std::string(name) + ".glb");
    }
}

TEST_CASE("errors in a sheet name the line and the pointer") {
    Desk desk;
    std::string text = io::read_text(desk.sheet);
    const auto at = text.find("\"forearm_left\"");
    const auto line = 1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(at), '\n');
    text.replace(at, 14, "\"forarm_left\"");
    std::ofstream(desk.sheet) << text;
    const auto outcome = workshop::run_tool("chart " + desk.sheet.string());
    CHECK(outcome.status == 3);
    CAPTURE(outcome.err);
    CHECK(outcome.err.find("line " + std::to_string(line) + ", at /chains/") != std::string::npos);
    CHECK(outcome.err.find("did you mean 'forearm_left'") != std::string::npos);
}

TEST_CASE("chains without an answer of their own role pair with the nearest of kind") {
    const Pairing to_hound = pair(chart(workshop::diver()), io::load_rig(workshop::demo("hound.glb")).chart);
    const auto source_of = [](const Pairing& pairing, const std::string& target) {
        const Chain* chain = pairing.target.find(target);
        REQUIRE(chain != nullptr);
        const Chain* source = pairing.source_of(*chain);
        return source == nullptr ? std::string() : source->name;
    };
    CHECK(source_of(to_hound, "leg.back.left") == "leg.left");
    CHECK(source_of(to_hound, "leg.front.right") == "arm.right");
    CHECK(source_of(to_hound, "tail") == "");
    const Pairing from_child =
        pair(io::load_rig(workshop::demo("deckhand.glb")).chart, chart(workshop::diver()));
    CHECK(source_of(from_child, "little.left") == "middle.left");
    CHECK(source_of(from_child, "thumb.left") == "thumb.left");
    CHECK(how_paired(from_child, {"middle.left", "little.left"}) == "nearest of kind");
    CHECK(how_paired(from_child, {"spine", "spine"}) == "same role, other bone count");
}
