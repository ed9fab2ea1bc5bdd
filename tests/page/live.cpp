// The live review and its server.
#include "browser.hpp"
#include "page_reader.hpp"
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/page/server.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>
#include <httplib.h>

#include <algorithm>
#include <thread>

using namespace dendraxis;
using nlohmann::json;

namespace {

namespace fs = workshop::fs;
using workshop::PageReader;
using workshop::Scratch;

json pairing_json_of(const page::LiveReview& review) {
    return PageReader(review.data()).document["pairing"];
}

// Where the hand is in a frame of a clip; `data` as the server sends it.
Vec3 right_hand(const std::vector<std::uint8_t>& data, const json& clip, std::size_t frame) {
    const auto hand = static_cast<std::size_t>(chart(workshop::bosun()).find("arm.right")->bones.back());
    return PageReader(data).positions(clip["tracks"][1])[frame * workshop::bosun().skeleton.size() + hand];
}

// A server in a thread, for as long as it is wanted.
struct Running {
    explicit Running(page::LiveReview& review) : server(review, 0), thread([this] { server.run(); }) {
        const std::string address = server.address();
        port = std::stoi(address.substr(address.rfind(':') + 1));
        httplib::Client client("127.0.0.1", port);
        while (!client.Get("/state")) std::this_thread::yield();
    }
    ~Running() {
        server.stop();
        thread.join();
    }
    Running(const Running&) = delete;
    Running& operator=(const Running&) = delete;

    page::Server server;
    std::thread thread;
    int port = 0;
};

}  // namespace

TEST_CASE("a live review follows its pairing, and keeps what was good when the file is not") {
    const Scratch scratch;
    const fs::path file = scratch / "a.pair.json";
    page::LiveReview review(workshop::k_diver, workshop::k_bosun, file);
    CHECK(review.refresh().pairing == 0);
    json pairing = pairing_json_of(review);
    pairing["offsets"] = {{{"chain", "arm.right"}, {"metres", {0.0, 0.1, 0.0}}}};
    pairing["note"] = "mine";
    CHECK_FALSE(fs::exists(file));

    const std::vector<std::uint8_t> tried = review.attempt("crouch", pairing.dump());
    const std::vector<std::uint8_t> before = review.data();
    const json clips = PageReader(before).document["clips"];
    const json& crouch =
        *std::find_if(clips.begin(), clips.end(), [](const json& clip) { return clip["name"] == "crouch"; });
    const Vec3 raised =
        right_hand(tried, PageReader(tried).document["clip"], 40) - right_hand(before, crouch, 40);
    CHECK(raised.norm() > 0.03f);

    review.keep(pairing.dump());
    CHECK(review.refresh().pairing == 1);
    CHECK(json::parse(io::read_text(file))["note"] == "mine");
    CHECK(pairing_json_of(review) == pairing);

    io::write_text(file, "{");
    const page::LiveReview::State broken = review.refresh();
    CHECK(broken.pairing == 1);
    CHECK(broken.problem.find("is not valid JSON") != std::string::npos);
    CHECK(pairing_json_of(review) == pairing);
    fs::remove(file);
    CHECK(review.refresh().pairing == 2);
    CHECK(review.refresh().problem.empty());
}

TEST_CASE("what is kept is what the command line makes of it") {
    const Scratch scratch;
    const fs::path file = scratch / "a.pair.json";
    page::LiveReview review(workshop::k_diver, workshop::k_bosun, file);
    json pairing = pairing_json_of(review);
    pairing["turns"] = {{{"bone", "Bo.L.UpArm"}, {"degrees", {0.0, 0.0, 15.0}}}};
    review.keep(pairing.dump());
    review.refresh();
    const fs::path out = scratch / "out.glb";
    REQUIRE(workshop::run_tool("retarget --source " + workshop::k_diver + " --target " + workshop::k_bosun +
                               " --pairing " + file.string() + " -o " + out.string())
                .status == 0);
    const Character made = io::load_character(out);
    const PageReader shown(review.data());
    for (const json& clip : shown.document["clips"]) {
        if (clip["measures"].empty()) continue;  // a stance
        const Clip& own = made.clip(clip["name"].get<std::string>());
        std::vector<Transform> model(own.transforms.size());
        to_model_space(made.skeleton, own.transforms, model);
        const std::vector<Vec3> positions = shown.positions(clip["tracks"][1]);
        REQUIRE(positions.size() == model.size());
        float worst = 0.0f;
        for (std::size_t i = 0; i < model.size(); ++i)
            worst = std::max(worst, (positions[i] - model[i].translation).norm());
        CHECK(worst < 0.3e-3f);  // keys of the file are reduced to a tenth of a millimetre a bone
    }
}

TEST_CASE("a chain that was found wrong is set in the sheet, and all else of the sheet stays") {
    const Scratch scratch;
    fs::copy_file(workshop::k_bosun, scratch / "bosun.glb");
    const fs::path sheet = scratch / "bosun.rig.json";
    REQUIRE(
        workshop::run_tool("chart " + (scratch / "bosun.glb").string() + " -o " + sheet.string()).status ==
        0);
    json written = json::parse(io::read_text(sheet));
    written["note"] = "mine";
    io::write_text(sheet, written.dump(2));
    page::LiveReview review(workshop::k_diver, sheet, "");
    review.keep_chain(true, "spine", {"Bo.Back1", "Bo.Back2", "Bo.Back3"});
    CHECK(review.refresh().cast == 1);
    const json after = json::parse(io::read_text(sheet));
    CHECK(after["set"] == json::array({"spine"}));
    CHECK(after["note"] == "mine");
    const json chains = PageReader(review.data()).document["actors"][1]["chains"];
    CHECK(chains[0]["name"] == "spine");
    CHECK(chains[0]["bones"].size() == 3);

    CHECK_THROWS_WITH_AS(review.keep_chain(true, "spine", {"Bo.Nobody"}),
                         doctest::Contains("no bone 'Bo.Nobody'"), Error);
    CHECK_THROWS_WITH_AS(review.keep_chain(false, "spine", {"chest"}), doctest::Contains("has no sheet"),
                         Error);
    CHECK(json::parse(io::read_text(sheet)) == after);
}

TEST_CASE("a live review refuses what is no pairing, and keeps nothing where there is no file") {
    const Scratch scratch;
    page::LiveReview review(workshop::k_diver, workshop::k_bosun, "");
    const json pairing = pairing_json_of(review);
    CHECK_THROWS_WITH_AS(review.keep(pairing.dump()), doctest::Contains("no file to keep it in"), Error);
    CHECK_THROWS_WITH_AS(review.attempt("crowch", pairing.dump()), doctest::Contains("did you mean 'crouch'"),
                         Error);
    json wrong = pairing;
    wrong["chains"][0]["target"] = "spin";
    CHECK_THROWS_WITH_AS(review.attempt("crouch", wrong.dump()), doctest::Contains("did you mean 'spine'"),
                         Error);
    CHECK_THROWS_AS(page::LiveReview(workshop::k_diver, "nowhere.glb", ""), Error);
}

TEST_CASE("the server answers its own page and nobody else") {
    const Scratch scratch;
    page::LiveReview review(workshop::k_diver, workshop::k_bosun, scratch / "a.pair.json");
    const Running running(review);
    httplib::Client client("127.0.0.1", running.port);
    const std::string here = "127.0.0.1:" + std::to_string(running.port);
    CHECK(client.Get("/")->status == 200);
    // Nothing is compressed, whatever a browser takes: that would last longer than all else.
    CHECK(client.Get("/", {{"Accept-Encoding", "gzip, deflate, br"}})
              ->get_header_value("Content-Encoding")
              .empty());
    CHECK(client.Get("/")->body.find("connect-src 'self'") != std::string::npos);
    CHECK(client.Get("/state", {{"Origin", "http://" + here}})->status == 200);
    CHECK(client.Get("/state", {{"Host", "harbour.example:" + std::to_string(running.port)}})->status == 403);
    CHECK(client.Get("/state", {{"Origin", "http://harbour.example"}})->status == 403);
    CHECK(client.Post("/keep", {{"Origin", "null"}}, "{}", "application/json")->status == 403);
    for (const char* path : {"/../a.pair.json", "/demo/harbour/diver.glb", "/%2e%2e/etc/passwd", "/keep"})
        CHECK(client.Get(path)->status == 404);
    CHECK(client.Post("/keep", std::string(2 << 20, ' '), "application/json")->status == 413);
    for (const char* bones : {"{ not JSON", "{}", "[1e30]", R"(["Bo.Back1", 3])"}) {
        const auto refused = client.Post("/chain?of=target&name=spine", bones, "application/json");
        CHECK(refused->status == 422);
        CHECK(refused->body.find("is not a list of bones; send their labels") != std::string::npos);
    }
    const auto wrong = client.Post("/attempt?clip=crouch", "{ not JSON", "application/json");
    CHECK(wrong->status == 422);
    CHECK(json::parse(wrong->body)["problem"].get<std::string>().find("is not valid JSON") !=
          std::string::npos);
    CHECK_FALSE(fs::exists(scratch / "a.pair.json"));
    CHECK_THROWS_WITH_AS(page::Server(review, running.port), doctest::Contains("is taken"), Error);
}

TEST_CASE("the live page works in a browser") {
    const Scratch scratch;
    const fs::path file = scratch / "a.pair.json";
    const fs::path sheet = scratch / "bosun.rig.json";
    REQUIRE(workshop::run_tool("chart " + workshop::k_bosun + " -o " + sheet.string()).status == 0);
    page::LiveReview review(workshop::k_diver, sheet, file);
    const Running running(review);
    const auto seen = workshop::in_browser("live.mjs", running.server.address() + " " + file.string());
    if (!seen) return;
    const json& result = *seen;
    INFO(result.dump());
    CHECK(result["errors"].empty());
    CHECK(result["raised"].get<double>() > 0.02);
    CHECK(result["told"] == true);
    CHECK(result["file_untouched"] == true);
    for (const char* back : {"before", "undone", "followed", "stays"})
        CHECK_MESSAGE(std::abs(result[back].get<double>()) < 1e-4, back);
    CHECK(result["redone"].get<double>() == doctest::Approx(result["raised"].get<double>()));
    CHECK(result["kept"][0]["chain"] == "arm.right");
    CHECK(result["kept"][0]["metres"][1].get<double>() == doctest::Approx(0.1));
    CHECK(result["other_tab"] == result["kept"]);
    CHECK(result["still_at"] == json({"crouch", 40}));
    REQUIRE(result["turns"].size() == 1);
    CHECK(result["turns"][0]["bone"] == "Bo.R.Hand");
    CHECK(std::abs(result["turns"][0]["degrees"][2].get<double>()) == doctest::Approx(20.0).epsilon(0.05));
    REQUIRE(result["contacts"].size() == 1);
    CHECK(result["contacts"][0]["leg"] == "leg.left");
    CHECK(result["contacts"][0]["from"].get<int>() < result["contacts"][0]["to"].get<int>());
    CHECK(result["undo_steps_then"].get<int>() == result["undo_steps"].get<int>() + 1);
    CHECK(result["name"] == json({"chain-name", "spine"}));
    CHECK(result["spine_before"] == 5);
    CHECK(result["spine_after"] == 3);
    CHECK(result["turns_after"] == result["turns"]);
    CHECK(result["notice"].get<std::string>().find("is not valid JSON") != std::string::npos);
}
