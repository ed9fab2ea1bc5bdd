// After a fall the character gets up: in the clip that is written, and on the command line.
#include "workshop.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/sim/fall_review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <doctest/doctest.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>

using namespace dendraxis;

namespace {

struct Faller {
    const Character& character;
    Chart chart;
    RagdollBinding binding;
    sim::BakedFall told;
    Clip clip;

    explicit Faller(const Character& one, unsigned seed)
        : character(one), chart(dendraxis::chart(one)), binding(build_ragdoll(one, chart), chart) {
        sim::DropStart start;
        start.pose = start.before = rest_pose(one.skeleton);
        sim::DropOptions options;
        options.height = 0.5f;
        options.seed = seed;
        options.skin = skin_of_bodies(binding.plan(), one, chart);
        sim::Drop drop = run_drop(binding, chart, start, options);
        clip = std::move(drop.clip);
        told = {&character, &chart, &binding, &clip, {}, true, drop.figures.settled};
    }

    float measure(std::string_view name) {
        const std::vector<Transform> first(clip.frame(0).begin(), clip.frame(0).end());
        told.let_go = first;
        for (const Measure& one : sim::fall_measures(told)) {
            if (one.name == name) return one.value;
        }
        return -1.0f;
    }
};

}  // namespace

TEST_CASE("getting up starts as it lies, ends in the clip, and neither hurries nor sinks") {
    for (const auto& [character, name] :
         {std::pair<const Character&, const char*>{workshop::diver(), "idle"}, {workshop::hound(), "trot"}}) {
        CAPTURE(character.name);
        Faller fallen(character, 4);
        const Clip& into = character.clip(name);
        const std::size_t fell = fallen.clip.frame_count();
        RagdollSettings settings;
        settings.fastest_recovery = fastest_turn(character.clips);
        CHECK(settings.fastest_recovery > 2.0f);
        const GetUp up = append_get_up(fallen.binding, into, 1.0f, settings, fallen.chart.floor, fallen.clip);
        CHECK(up.from == fell - 1);
        CHECK(up.to >= fell + 58);
        CHECK(fallen.clip.frame_count() > up.from + static_cast<std::size_t>(60.0f * into.seconds()) - 2);
        // No jump anywhere, at the seams neither.
        std::vector<Transform> before(character.skeleton.size());
        std::vector<Transform> now(character.skeleton.size());
        to_model_space(character.skeleton, fallen.clip.frame(up.from), before);
        float most = 0.0f;
        for (std::size_t f = up.from + 1; f <= up.to; ++f) {
            to_model_space(character.skeleton, fallen.clip.frame(f), now);
            for (std::size_t b = 0; b < now.size(); ++b)
                most = std::max(most, (now[b].translation - before[b].translation).norm());
            std::swap(before, now);
        }
        CHECK(most < 0.12f * fallen.chart.height);
        // Then it is the clip, where the character got up.
        std::vector<Transform> own(character.skeleton.size());
        const std::size_t last = fallen.clip.frame_count() - 1;
        sample(into, static_cast<float>(last - up.from) / 60.0f, own);
        to_model_space(character.skeleton, own, now);
        to_model_space(character.skeleton, fallen.clip.frame(last), before);
        for (std::size_t b = 0; b < now.size(); ++b) {
            if (!character.skeleton.is_above(fallen.chart.hips, static_cast<int>(b))) continue;
            CHECK((apply(up.controller, now[b].translation) - before[b].translation).norm() < 1e-4f);
        }
        CHECK(std::abs(up.controller.translation.dot(fallen.chart.up)) < 1e-4f);

        fallen.told.get_up = up;
        fallen.told.fastest = settings.fastest_recovery;
        CHECK(fallen.measure("get_up_turn_pct") < 101.0f);
        CHECK(fallen.measure("get_up_below_pct") < 2.5f);
        CHECK(fallen.measure("below_ground_pct") < 0.5f);
    }
}

TEST_CASE("a control bone that the clip turns over, and the hips back, changes nothing as it gets up") {
    const Character& diver = workshop::diver();
    const Clip& idle = diver.clip("idle");
    const auto hips = static_cast<std::size_t>(diver.skeleton.find("hips"));
    REQUIRE(diver.skeleton.parent(static_cast<int>(hips)) != k_no_bone);
    const auto root = static_cast<std::size_t>(diver.skeleton.parent(static_cast<int>(hips)));
    Clip turned = idle;
    Transform over;
    over.rotation = Quat(Eigen::AngleAxisf(k_pi, Vec3(1.0f, 0.2f, 0.3f).normalized()));
    for (std::size_t f = 0; f < turned.frame_count(); ++f) {
        turned.frame(f)[root] = turned.frame(f)[root] * over;
        turned.frame(f)[hips] = inverse(over) * turned.frame(f)[hips];
    }
    Faller fallen(diver, 4);
    Clip other = fallen.clip;
    append_get_up(fallen.binding, idle, 1.0f, {}, fallen.chart.floor, fallen.clip);
    append_get_up(fallen.binding, turned, 1.0f, {}, fallen.chart.floor, other);
    REQUIRE(other.frame_count() == fallen.clip.frame_count());
    std::vector<Transform> a(diver.skeleton.size());
    std::vector<Transform> b(a.size());
    float apart = 0.0f;
    for (std::size_t f = 0; f < other.frame_count(); ++f) {
        to_model_space(diver.skeleton, fallen.clip.frame(f), a);
        to_model_space(diver.skeleton, other.frame(f), b);
        for (std::size_t i = 0; i < a.size(); ++i)
            apart = std::max(apart, (a[i].translation - b[i].translation).norm());
    }
    CHECK(apart < 1e-3f);
}

TEST_CASE("a hasty or buried get-up is found") {
    Faller fallen(workshop::diver(), 4);
    const Clip& idle = workshop::diver().clip("idle");
    RagdollSettings hasty;
    hasty.fastest_recovery = 100.0f;
    fallen.told.fastest = fastest_turn(workshop::diver().clips);
    fallen.told.get_up =
        append_get_up(fallen.binding, idle, 0.05f, hasty, fallen.chart.floor - 0.3f, fallen.clip);
    CHECK(fallen.measure("get_up_turn_pct") > 150.0f);
    CHECK(fallen.measure("get_up_below_pct") > 10.0f);
    Clip other = idle;
    other.bone_count -= 1;
    CHECK_THROWS_AS(append_get_up(fallen.binding, other, 1.0f, {}, {}, fallen.clip), Error);
    for (const float seconds : {-1.0f, std::nanf(""), HUGE_VALF})
        CHECK_THROWS_AS(append_get_up(fallen.binding, idle, seconds, {}, {}, fallen.clip), Error);
}

TEST_CASE("drop --get-up from the command line") {
    const workshop::Scratch scratch;
    const std::string out = (scratch / "up.glb").string();
    const auto told =
        workshop::run_tool("ragdoll drop " + workshop::k_diver +
                           " --height 0.5 --seed 1 2 --seconds 6 --get-up idle --gate --json -o " + out);
    REQUIRE_MESSAGE(told.status == 0, told.out);
    const nlohmann::json report = nlohmann::json::parse(told.out);
    CHECK(report["measures"].size() == 8);
    CHECK(io::load_character(out).clip("drop").frame_count() > 360 + 60);
    const auto wrong = workshop::run_tool("ragdoll drop " + workshop::k_diver + " --get-up idl --json");
    CHECK(wrong.status == 3);
    CHECK(wrong.err.find("did you mean 'idle'") != std::string::npos);
    const auto hasty =
        workshop::run_tool("ragdoll drop " + workshop::k_diver + " --get-up idle --get-up-seconds -1 --json");
    CHECK(hasty.status == 2);
    const auto buried = workshop::run_tool("ragdoll drop " + workshop::k_diver + " --height -1 --json");
    CHECK(buried.status == 2);
    CHECK(buried.err.find("--height") != std::string::npos);

    // Clips that stand still set no pace: it does not take for ever.
    Character still = workshop::diver();
    Clip stands = still.clip("idle");
    stands.transforms.resize(stands.bone_count);
    still.clips = {stands};
    const io::OutputFile file{scratch / "still.glb", io::new_glb(still)};
    io::write_files({&file, 1});
    REQUIRE(workshop::run_tool("ragdoll drop " + file.path.string() + " --seconds 1 --get-up idle -o " + out)
                .status == 0);
    CHECK(io::load_character(out).clip("drop").frame_count() < 60 * 12);
}
