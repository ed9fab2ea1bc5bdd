// The page: its data against the library, and the page itself in a browser.
#include "browser.hpp"
#include "page_reader.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/page/page.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>

using namespace dendraxis;
using nlohmann::json;

namespace {

using workshop::PageReader;
using workshop::Scratch;
namespace fs = workshop::fs;

// A review of the diver's clips on the bosun, without passes, so that there is something to see.
struct Reviewed {
    Pairing pairing = [] {
        Pairing made = pair(chart(workshop::diver()), chart(workshop::bosun()));
        made.settings.feet = made.settings.hands = made.settings.clearance = made.settings.ranges = false;
        return made;
    }();
    std::vector<Clip> clips;
    std::vector<ClipReview> reviews;
    page::Page page{
        "diver <b>to</b> bosun",
        {{&workshop::diver(), &pairing.source, "source"}, {&workshop::bosun(), &pairing.target, "result"}},
        {},
        &pairing,
        {{Severity::note, "chart.note", "</script><img src=x onerror=alert(1)>", "<b>", ""}},
        "test"};

    Reviewed() {
        const Transfer transfer(pairing);
        for (const Clip& clip : workshop::diver().clips) clips.push_back(transfer.apply(clip));
        for (std::size_t i = 0; i < clips.size(); ++i) {
            const Clip& source = workshop::diver().clips[i];
            page.clips.push_back({source.name, {&source, &clips[i]}, review_clip(pairing, source, clips[i])});
        }
    }
};

std::vector<Transform> in_model_space(const Character& character, const Clip& clip) {
    std::vector<Transform> model(clip.transforms.size());
    to_model_space(character.skeleton, clip.transforms, model);
    return model;
}

// Bend, side and twist of every joint of the result in two frames, as the library measures them.
json angles_of(const Reviewed& reviewed) {
    json angles = json::array();
    Chart limited = reviewed.pairing.target;
    limited.ranges = ranges_in_force(limited);
    const std::vector<JointFrame> joints = joint_frames(limited);
    const page::ShownClip& clip = reviewed.page.clips[1];
    for (const std::size_t frame : {std::size_t{5}, std::size_t{40}}) {
        for (std::size_t i = 0; i < joints.size(); ++i) {
            const JointRange& limit = limited.ranges[i];
            const Quat turn =
                joints[i].turn(clip.played[1]->frame(frame)[static_cast<std::size_t>(limit.bone)].rotation);
            const TurnAngles now = turn_angles(limit.range, turn);
            angles.push_back(
                {{"clip", clip.name},
                 {"frame", frame},
                 {"bone", limit.bone},
                 {"degrees", {now.bend * k_degrees, now.side * k_degrees, now.twist * k_degrees}}});
        }
    }
    return angles;
}

}  // namespace

TEST_CASE("a page holds every bone of every frame where the library has it") {
    const Reviewed reviewed;
    const PageReader page(page::html_of(reviewed.page));
    CHECK(page.document["title"] == "diver <b>to</b> bosun");
    CHECK(page.document["pairs"].size() >= reviewed.pairing.chains.size());
    REQUIRE(page.document["clips"].size() == reviewed.clips.size());
    float worst = 0.0f;
    for (std::size_t c = 0; c < reviewed.clips.size(); ++c) {
        const json& clip = page.document["clips"][c];
        for (std::size_t a = 0; a < 2; ++a) {
            const auto wanted =
                in_model_space(*reviewed.page.actors[a].character, *reviewed.page.clips[c].played[a]);
            const std::vector<Vec3> shown = page.positions(clip["tracks"][a]);
            REQUIRE(shown.size() == wanted.size());
            for (std::size_t i = 0; i < shown.size(); ++i)
                worst = std::max(worst, (shown[i] - wanted[i].translation).norm());
        }
    }
    CHECK(worst < 0.06e-3f);
    CHECK(worst > 0.0f);
}

TEST_CASE("a page tells of each measure over its gate, with where and when") {
    const Reviewed reviewed;
    const PageReader page(page::html_of(reviewed.page));
    std::size_t marks = 0;
    for (const json& clip : page.document["clips"]) {
        for (const json& measure : clip["measures"]) {
            CHECK(measure["frame"].get<std::size_t>() < clip["frames"].get<std::size_t>());
            const bool is_over =
                measure.contains("gate") && measure["value"].get<double>() > measure["gate"].get<double>();
            CHECK(measure.contains("finding") == is_over);
            if (is_over) ++marks;
        }
        CHECK(clip["plots"].size() == 6);
        for (const json& plot : clip["plots"]) {
            for (const json& series : plot["series"]) CHECK(series["values"]["count"] == clip["frames"]);
        }
    }
    const Review review = judge(reviewed.pairing, [&] {
        std::vector<ClipReview> reviews;
        for (const page::ShownClip& clip : reviewed.page.clips) reviews.push_back(clip.review);
        return reviews;
    }());
    CHECK(marks == review.findings.size());
    CHECK(marks > 0);
}

TEST_CASE("a pose that shears is shown as matrices, one that does not as steps") {
    const Character& character = workshop::bosun();
    Clip squash = page::rest_clip(character.skeleton);
    squash.name = "squash";
    const auto spine = static_cast<std::size_t>(chart(character).find("spine")->bones.front());
    squash.transforms[spine].scale = {1.0f, 0.5f, 1.0f};
    squash.transforms.insert(squash.transforms.end(), squash.transforms.begin(), squash.transforms.end());
    squash.transforms[spine].scale = Vec3::Ones();
    const Chart own = chart(character);
    const Clip rest = page::rest_clip(character.skeleton);
    const page::Page shown{
        "bosun", {{&character, &own, ""}}, {{"squash", {&squash}, {}}, {"rest", {&rest}, {}}}};
    const PageReader page(page::html_of(shown));
    CHECK(page.document["clips"][0]["tracks"][0].contains("matrices"));
    CHECK(page.document["clips"][1]["tracks"][0].contains("positions"));
    std::vector<Affine> wanted(character.skeleton.size());
    to_model_matrices(character.skeleton, squash.frame(1), wanted);
    const std::vector<Vec3> points = page.positions(page.document["clips"][0]["tracks"][0]);
    for (std::size_t b = 0; b < wanted.size(); ++b)
        CHECK((points[wanted.size() + b] - wanted[b].translation()).norm() < 1e-5f);
}

TEST_CASE("the matched stance stands on its soles, its limbs point as the source's do at rest") {
    const Pairing pairing = pair(chart(workshop::diver()), chart(workshop::bosun()));
    const page::Stances stances = page::stances_of(pairing);
    const std::vector<page::ShownClip> shown = page::shown_stances(stances);
    const PageReader page(
        page::html_of({"stances",
                       {{&workshop::diver(), &pairing.source, ""}, {&workshop::bosun(), &pairing.target, ""}},
                       shown,
                       &pairing}));
    const json& clip = page.document["clips"][0];
    CHECK(clip["name"] == "matched stance");
    CHECK(clip["plots"].empty());
    const auto direction = [&](const Chart& chart, std::size_t actor) {
        const std::vector<Vec3> points = page.positions(clip["tracks"][actor]);
        const Chain& arm = *chart.find("arm.left");
        const Vec3 along =
            points[static_cast<std::size_t>(arm.bones[2])] - points[static_cast<std::size_t>(arm.bones[0])];
        return Vec3(chart.to_upright() * along.normalized());
    };
    CHECK(direction(pairing.source, 0).dot(direction(pairing.target, 1)) > std::cos(0.03f));
    for (std::size_t a = 0; a < 2; ++a) {
        const Chart& own = a == 0 ? pairing.source : pairing.target;
        std::vector<Transform> model(own.skeleton.size());
        to_model_space(own.skeleton, shown[0].played[a]->frame(0), model);
        float lowest = 1e9f;
        for (const Sole& sole : own.shape.soles) lowest = std::min(lowest, lowest_of(sole, model, own.up));
        CHECK(clip["tracks"][a]["floor"].get<float>() == doctest::Approx(lowest));
    }
}

TEST_CASE("outlines lie on what they stand for: bodies and sockets at rest") {
    const Chart own = chart(workshop::bosun());
    std::vector<Affine> rest(own.skeleton.size());
    to_model_matrices(own.skeleton, rest_pose(own.skeleton), rest);
    const auto upright = [&](const page::Outline& outline, std::size_t point) {
        return Vec3(own.to_upright() * (rest[static_cast<std::size_t>(outline.bone)] * outline.lines[point]));
    };
    const RagdollPlan plan = build_ragdoll(workshop::bosun(), own);
    const std::vector<PlacedShape> shapes = shapes_at_rest(plan, own);
    const std::vector<page::Outline> bodies = page::outlines_of(plan, own);
    REQUIRE(bodies.size() == shapes.size());
    for (std::size_t i = 0; i < bodies.size(); ++i) {
        CHECK(bodies[i].name == plan.bodies[i].name);
        for (std::size_t p = 0; p < bodies[i].lines.size(); ++p) {
            const Transform& frame = shapes[i].frame;
            const Vec3 at = frame.rotation.conjugate() * (upright(bodies[i], p) - frame.translation);
            CHECK(gauge(shapes[i].shape, at) == doctest::Approx(1.0f).epsilon(0.01));
        }
    }
    const Socket socket{"hook", own.hips, SocketKind::holster, Vec3(0.1f, 0.2f, -0.1f), Quat::Identity()};
    const page::Outline axes = page::outlines_of(std::span(&socket, 1), own).front();
    const Vec3 head = own.to_upright() * rest[static_cast<std::size_t>(own.hips)].translation();
    CHECK((upright(axes, 0) - head - socket.at).norm() < 1e-5f);
    CHECK((upright(axes, 3) - upright(axes, 2)).normalized().dot(Vec3::UnitY()) > 0.9999f);
}

TEST_CASE("a surface with a picture brings it along, from within its file and from beside it") {
    const Scratch scratch;
    const std::vector<std::uint8_t> dot{0x89, 'P', 'N', 'G', 13, 10, 26, 10, 1, 2, 3};
    io::write_files(std::vector<io::OutputFile>{{scratch / "dot 1.png", dot}});
    for (const char* uri : {"dot%201.png", "data:image/png;base64,iVBORw0KGgoBAgM=", "gone.png"}) {
        workshop::RawGltf file;
        file.json["nodes"] = {{{"name", "sail"}, {"mesh", 0}}};
        file.json["images"] = {{{"uri", uri}}};
        file.json["textures"] = {{{"source", 0}}};
        file.json["materials"] = {{{"pbrMetallicRoughness", {{"baseColorTexture", {{"index", 0}}}}}}};
        const int positions = file.floats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3");
        const int points = file.floats({0, 1, 1, 1, 0, 0}, "VEC2");
        file.json["meshes"] = {
            {{"primitives",
              {{{"attributes", {{"POSITION", positions}, {"TEXCOORD_0", points}}}, {"material", 0}}}}}};
        const Character sail = io::load_character(file.write(scratch, "sail"));
        const Chart own = chart(sail);
        const Clip rest = page::rest_clip(sail.skeleton);
        const PageReader page(page::html_of({"sail", {{&sail, &own, ""}}, {{"rest", {&rest}, {}}}}));
        const json& actor = page.document["actors"][0];
        const json& mesh = actor["meshes"][0];
        CHECK(page.numbers<float>(mesh["picture_points"]) == std::vector<float>{0, 1, 1, 1, 0, 0});
        if (std::string_view(uri) == "gone.png") {
            CHECK(mesh["picture"].is_null());
            continue;
        }
        CHECK(mesh["picture"] == 0);
        CHECK(actor["pictures"][0]["mime_type"] == "image/png");
        CHECK(page.numbers<std::uint8_t>(actor["pictures"][0]["bytes"]) == dot);
    }
}

TEST_CASE("no name in a file ends the page's script or becomes markup") {
    const Reviewed reviewed;
    const std::string html = page::html_of(reviewed.page);
    CHECK(html.find("</script><img") == std::string::npos);
    CHECK(html.find("<title>diver &lt;b&gt;to&lt;/b&gt; bosun</title>") != std::string::npos);
    std::size_t ends = 0;
    for (std::size_t at = 0; (at = html.find("</script>", at)) != std::string::npos; ++at) ++ends;
    CHECK(ends == 4);
    CHECK(html.find("http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'") !=
          std::string::npos);
    CHECK(html.size() < 4'000'000);
}

TEST_CASE("a joint beyond its range is told with when and how far") {
    const Character& character = workshop::diver();
    Chart own = chart(character);
    const int knee = own.find("leg.left")->bones[1];
    const auto& usual = ranges_in_force(own);
    Range range =
        std::find_if(usual.begin(), usual.end(), [&](const JointRange& r) { return r.bone == knee; })->range;
    const JointFrame frame = joint_frame(own, knee);
    // From rest to 20 degrees past the end of its bend, and back: 20 frames each.
    Clip clip = page::rest_clip(character.skeleton);
    clip.name = "bend";
    const std::vector<Transform> rest = clip.transforms;
    for (int f = 1; f <= 40; ++f) {
        const float share = 1.0f - std::abs(static_cast<float>(f) / 20.0f - 1.0f);
        const float angle = share * (range.bend.to + 20.0f / k_degrees);
        clip.transforms.insert(clip.transforms.end(), rest.begin(), rest.end());
        clip.transforms[clip.transforms.size() - rest.size() + static_cast<std::size_t>(knee)].rotation =
            frame.local(Quat(Eigen::AngleAxisf(angle, range.about)));
    }
    const PageReader page(page::html_of({"diver", {{&character, &own, ""}}, {{"bend", {&clip}, {}}}}));
    const json& beyond = page.document["clips"][0]["tracks"][0]["beyond"];
    REQUIRE(beyond.size() == 1);
    CHECK(beyond[0]["bone"] == knee);
    CHECK(beyond[0]["frame"] == 20);
    CHECK(beyond[0]["degrees"].get<double>() == doctest::Approx(20.0).epsilon(0.01));
    REQUIRE(beyond[0]["spans"].size() == 1);
    const double a_frame = (range.bend.to * k_degrees + 20.0) / 20.0;
    const int first = static_cast<int>(std::ceil((range.bend.to * k_degrees + 0.5) / a_frame));
    CHECK(beyond[0]["spans"][0] == json{first, 40 - first});
}

TEST_CASE("clips that do not belong together are refused") {
    Reviewed reviewed;
    Clip shorter = reviewed.clips[0];
    shorter.transforms.resize(shorter.transforms.size() - shorter.bone_count);
    reviewed.page.clips[0].played[1] = &shorter;
    CHECK_THROWS_WITH(page::html_of(reviewed.page), doctest::Contains("differ in their frames"));
    reviewed.page.clips[0].played[1] = &workshop::diver().clips[0];
    CHECK_THROWS_WITH(page::html_of(reviewed.page), doctest::Contains("of another skeleton"));
}

TEST_CASE("commands write pages, and never over what they read") {
    const Scratch scratch;
    const auto page_of = [&](const std::string& command) {
        const fs::path file = scratch / "page.html";
        const workshop::Outcome outcome = workshop::run_tool(command + " --page " + file.string());
        REQUIRE_MESSAGE(outcome.status == 0, outcome.err);
        return PageReader(io::read_text(file));
    };
    const PageReader surveyed = page_of("survey " + workshop::k_bosun);
    CHECK(surveyed.document["clips"][0]["name"] == "rest");
    CHECK(surveyed.document["actors"][0]["chains"].size() == chart(workshop::bosun()).chains.size());
    const PageReader fallen = page_of("ragdoll drop " + workshop::k_diver + " --seconds 0.2");
    CHECK(fallen.document["clips"][1]["name"] == "drop");
    CHECK(fallen.document["actors"][0]["outlines"][0]["kind"] == "body");
    const PageReader reached = page_of("solve " + workshop::k_diver + " --reach arm.left=0.5,1,0.3 -o " +
                                       (scratch / "reach.glb").string());
    CHECK(reached.document["actors"].size() == 2);
    CHECK(reached.document["actors"][1]["outlines"][0]["name"] == "arm.left");
    const PageReader dressed =
        page_of("equip " + workshop::k_diver + " --put " + workshop::demo("lantern.glb").string() +
                "@hand.left -o " + (scratch / "lit.glb").string());
    CHECK(dressed.document["actors"][0]["meshes"].front()["prop"] == -1);
    CHECK(dressed.document["actors"][0]["meshes"].back()["prop"] == 3);
    CHECK(dressed.document["actors"][0]["outlines"][0]["kind"] == "socket");

    // What happens: a thing changes its place, a window opens, something is touched.
    const auto happening = [](const PageReader& page, const std::string& clip) {
        std::string all;
        for (const json& one : page.document["clips"]) {
            for (const json& event : one["events"]) {
                if (one["name"] == clip)
                    all += event["words"].get<std::string>() + " " + event["first"].dump() + ".." +
                           event["last"].dump() + "; ";
            }
        }
        return all;
    };
    const std::string armed = (scratch / "armed.glb").string();
    const PageReader switching =
        page_of("equip " + workshop::k_diver + " --put " + workshop::demo("mallet.glb").string() +
                "@hand.right+belt.right --switch swing-mallet:48=mallet@belt.right,over=10 -o " + armed);
    CHECK(happening(switching, "swing-mallet") == "mallet goes to belt.right 48.0..58.0; ");
    const PageReader swept =
        page_of("sweep " + armed + " --clip swing-mallet --volume mallet.head --window 36..46 --against " +
                workshop::demo("mooring-post.glb").string() + " --at -0.15,0.4,0.95");
    const std::string seen = happening(swept, "swing-mallet");
    CHECK_MESSAGE(seen.starts_with("mallet.head is live 36.0..46.0; mallet.head touches mooring-post at "),
                  seen);
    CHECK(swept.document["actors"][0]["outlines"].back()["kind"] == "terrain");

    const fs::path copy = scratch / "bosun.html";
    fs::copy_file(workshop::demo("bosun.glb"), copy);
    const workshop::Outcome over = workshop::run_tool("survey " + copy.string() + " --page " + copy.string());
    CHECK(over.status == 2);
    CHECK(fs::file_size(copy) == fs::file_size(workshop::demo("bosun.glb")));
    const workshop::Outcome ending = workshop::run_tool("survey " + workshop::k_bosun + " --page page.txt");
    CHECK(ending.status == 2);
    CHECK(ending.err.find("must end in .html") != std::string::npos);
}

TEST_CASE("the page works in a browser") {
    const Scratch scratch;
    Reviewed reviewed;
    reviewed.page.clips.back().name = "<img src=x onerror=alert(1)>";
    io::write_text(scratch / "page.html", page::html_of(reviewed.page));
    json expected{{"click", {{"actor", 1}, {"bone", reviewed.pairing.target.find("head")->bones.front()}}},
                  {"filter", "stroll"}};
    for (const std::size_t frame : {std::size_t{0}, std::size_t{17}, std::size_t{50}}) {
        for (std::size_t a = 0; a < 2; ++a) {
            const Character& character = *reviewed.page.actors[a].character;
            const page::ShownClip& clip = reviewed.page.clips[1];
            const auto model = in_model_space(character, *clip.played[a]);
            for (std::size_t bone = 0; bone < character.skeleton.size(); ++bone) {
                const Vec3& at = model[frame * character.skeleton.size() + bone].translation;
                expected["bones"].push_back({{"actor", a},
                                             {"clip", clip.name},
                                             {"frame", frame},
                                             {"bone", bone},
                                             {"position", {at.x(), at.y(), at.z()}}});
            }
        }
    }
    expected["angles"] = angles_of(reviewed);
    io::write_text(scratch / "expected.json", expected.dump());
    const auto seen = workshop::in_browser(
        "browser.mjs", (scratch / "page.html").string() + " " + (scratch / "expected.json").string());
    if (!seen) return;
    const json& result = *seen;
    INFO(result.dump());
    CHECK(result["errors"].empty());
    for (const json& distance : result["distances"]) CHECK(distance.get<double>() < 0.1e-3);
    for (const json& degrees : result["angles_off"]) CHECK(degrees.get<double>() < 0.05);
    CHECK(result["pinched"]["nearer"].get<double>() == doctest::Approx(2.0));
    CHECK(result["pinched"]["turned"].get<double>() == doctest::Approx(0.4));
    CHECK(result["pinched"]["chosen"].is_null());
    CHECK(result["beyond_shown"]["frame"] == result["beyond"]["frame"]);
    CHECK(result["beyond_shown"]["bone"] == result["beyond"]["bone"]);
    CHECK(result["joint_plot"].get<std::string>().find("against its range") != std::string::npos);
    CHECK(result["first_picture"].get<int>() > 20000);
    CHECK(result["colors"].get<int>() > 200);
    CHECK(result["after_right"] == 4);
    CHECK(result["after_home"] == 0);
    for (const char* done : {"at_end", "plays", "stops", "side_view", "help_opens", "help_closes"})
        CHECK_MESSAGE(result[done] == true, done);
    CHECK(result["mode"] == "over");
    const json& finding = result.at("finding");
    CHECK(std::find(finding["frames"].begin(), finding["frames"].end(), finding["frame"]) !=
          finding["frames"].end());
    CHECK(finding["focus"] == true);
    CHECK(result["clicked"]["bone"] == expected["click"]["bone"]);
    CHECK(result["tab"] == "chains");
    CHECK(result["chosen_rows"] == 1);
    CHECK(result["linked"]["frame"] == 7);
    CHECK(result["linked"]["yaw"].get<double>() == doctest::Approx(1.25));
    CHECK(result["linked"]["clip"] == result["linked_from"]);
    CHECK(result["filtered"] == 2);
    CHECK(result["made_by_names"] == 0);
    CHECK(result["smallest_text"].get<double>() >= 12.0);
    CHECK(result["sticks_out"] == 0);
    CHECK(result["unnamed_controls"] == 0);
}
