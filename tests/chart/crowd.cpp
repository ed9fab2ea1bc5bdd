// Charts of bodies that nobody tidied up: a class of fault at a time, then a crowd with all of them mixed.
#include "crowd.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/chart/explain.hpp>

#include <doctest/doctest.h>
#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <fstream>

using namespace dendraxis;
using crowd::Kind;
using crowd::Names;
using crowd::Oddities;

namespace {

std::string text_of(const crowd::Score& score) {
    std::string text;
    for (const std::string& name : score.wrong) text += " " + name;
    for (const std::string& name : score.made_up) text += " made up: " + name;
    return text;
}

// The same with a bone more at the end of each row, as some exporters write them.
Skeleton with_ends(const Skeleton& skeleton) {
    std::vector<Bone> bones;
    const int count = static_cast<int>(skeleton.size());
    for (int bone = 0; bone < count; ++bone) bones.push_back(skeleton.bone(bone));
    for (int bone = 0; bone < count; ++bone) {
        if (!skeleton.children(bone).empty()) continue;
        const Transform& rest = skeleton.bone(bone).rest;
        Bone end;
        end.name = end.label = "x" + std::to_string(bone);
        end.parent = bone;
        end.rest.translation = rest.rotation.conjugate() * rest.translation;  // on the way that it came
        bones.push_back(end);
    }
    return Skeleton(bones);
}

std::vector<std::string> labels_of(const Chart& chart, const std::string& chain) {
    std::vector<std::string> labels;
    for (const int bone : chart.find(chain)->bones) labels.push_back(chart.skeleton.bone(bone).label);
    return labels;
}

struct Fault {
    const char* name;
    bool Oddities::*oddity;
    Kind kind = Kind::biped;
};

constexpr std::array<Fault, 21> k_faults{
    {{"a piece of the hips leads sideways to each thigh", &Oddities::hip_pieces},
     {"the thigh in two bones", &Oddities::second_thighs},
     {"the upper arm in two bones", &Oddities::twist_halves},
     {"bones beside the limbs that spread twist", &Oddities::twist_leaves},
     {"hands below control bones under the spine", &Oddities::goals},
     {"feet below the root", &Oddities::feet_on_root},
     {"controls as roots of their own", &Oddities::loose_roots},
     {"two joints in one place", &Oddities::doubled_joints},
     {"a control above the hips", &Oddities::control_hips},
     {"a sword in one hand", &Oddities::sword},
     {"a shield on one arm", &Oddities::shield},
     {"a cape", &Oddities::cape},
     {"a skirt of two rows of bones", &Oddities::skirt},
     {"a skirt that hangs on the hips alone", &Oddities::dress},
     {"hair", &Oddities::hair},
     {"a hat", &Oddities::hat},
     {"a heavy trunk from the face", &Oddities::nose},
     {"chest, head, hands and feet as roots of their own", &Oddities::many_roots},
     {"the chest above the hips in the file", &Oddities::chest_root},
     {"all bones of the fingers on the hand", &Oddities::flat_fingers},
     {"two spines from the middle of a body on four legs", &Oddities::two_spines, Kind::quadruped}}};

}  // namespace

TEST_CASE("each class of fault by itself is charted whole, with names and without") {
    for (const Fault& fault : k_faults) {
        Oddities odd;
        odd.*fault.oddity = true;
        for (const Names names : {Names::none, Names::good, Names::sideless, Names::misleading}) {
            for (unsigned number = 1; number <= 4; ++number) {
                const crowd::Body body = crowd::plain_body(number, fault.kind, names, odd);
                const crowd::Score score = crowd::judge_either_side(body, chart(body.character));
                CAPTURE(fault.name);
                CAPTURE(static_cast<int>(names));
                CAPTURE(number);
                CHECK(text_of(score) == "");
                CHECK(score.hips);
                CHECK(score.facing);
            }
        }
    }
}

TEST_CASE("legs of three to five bones, birds and block figures are charted whole") {
    Oddities block;
    block.block = true;
    for (unsigned number = 1; number <= 12; ++number) {
        CAPTURE(number);
        for (const Kind kind : {Kind::quadruped, Kind::bird}) {
            const crowd::Body body = crowd::plain_body(number, kind, Names::none);
            CAPTURE(static_cast<int>(kind));
            CHECK(text_of(crowd::judge(body, chart(body.character))) == "");
        }
        const crowd::Body figure = crowd::plain_body(number, Kind::biped, Names::good, block);
        CHECK(text_of(crowd::judge(figure, chart(figure.character))) == "");
    }
}

TEST_CASE("a body of several roots is one body, where its parts begin below nodes at the floor") {
    Oddities odd;
    odd.many_roots = true;
    odd.two_spines = true;
    for (unsigned number = 1; number <= 24; ++number) {
        CAPTURE(number);
        const crowd::Body body = crowd::plain_body(number, Kind::quadruped, Names::good, odd);
        const crowd::Score score = crowd::judge_either_side(body, chart(body.character));
        CHECK(text_of(score) == "");
        CHECK(score.hips);
        CHECK(score.facing);
    }
}

TEST_CASE("snakes, tentacles, forks, fish, boxes, cranes and spiders are no bodies") {
    for (unsigned number = 1; number <= 40; ++number) {
        const crowd::Body thing =
            crowd::plain_body(number, Kind::none, number % 2 == 0 ? Names::none : Names::good);
        const Chart found = chart(thing.character);
        CAPTURE(number);
        CHECK(found.hips == k_no_bone);
        CHECK(found.chains.empty());
    }
}

TEST_CASE("of a crowd nearly every chain is right, names do not make it worse, and confidence holds") {
    constexpr unsigned count = 800;
    std::array<std::size_t, 4> right{};
    std::array<std::size_t, 4> all{};
    std::size_t made_up = 0;
    std::array<std::array<std::size_t, 2>, 4> bands{};  // by confidence: right, all
    for (unsigned number = 0; number < count; ++number) {
        const crowd::Body body = crowd::make_body(number);
        const crowd::Score score = crowd::judge_either_side(body, chart(body.character));
        right[static_cast<std::size_t>(body.names)] += score.right;
        all[static_cast<std::size_t>(body.names)] += score.all;
        made_up += score.made_up.size();
        for (const auto& [confidence, is_right] : score.sureness) {
            auto& band = bands[confidence >= 0.9f ? 3 : confidence >= 0.8f ? 2 : confidence >= 0.5f ? 1 : 0];
            band[0] += is_right ? 1 : 0;
            ++band[1];
        }
    }
    const auto share = [&](std::size_t names) {
        return static_cast<double>(right[names]) / static_cast<double>(all[names]);
    };
    CHECK(share(0) >= 0.97);
    for (const std::size_t names : {std::size_t{1}, std::size_t{2}, std::size_t{3}})
        CHECK(share(names) >= share(0));
    CHECK(made_up == 0);
    const auto& sure = bands[3];
    CHECK(static_cast<double>(sure[0]) >= 0.98 * static_cast<double>(sure[1]));
    const std::size_t right_in_all = bands[0][0] + bands[1][0] + bands[2][0] + bands[3][0];
    CHECK(static_cast<double>(sure[0]) >= 0.85 * static_cast<double>(right_in_all));
    if (const char* path = std::getenv("DENDRAXIS_TABLES")) {
        std::ofstream table(path, std::ios::app);
        for (std::size_t names = 0; names < 4; ++names)
            table << fmt::format("names {}: {} of {}\n", names, right[names], all[names]);
        for (const auto& band : bands) table << fmt::format(" {} of {} |", band[0], band[1]);
        table << "\n";
    }
}

TEST_CASE("of a crowd of bare skeletons nearly every chain is right too") {
    std::array<std::size_t, 4> right{};
    std::array<std::size_t, 4> all{};
    std::size_t turned = 0;
    for (unsigned number = 0; number < 600; ++number) {
        Oddities odd;
        odd.no_skin = true;
        odd.ends = number % 2 == 0;
        const crowd::Body body = crowd::make_body(20'000 + number, odd);
        const crowd::Score score = crowd::judge_either_side(body, chart(body.character));
        right[static_cast<std::size_t>(body.names)] += score.right;
        all[static_cast<std::size_t>(body.names)] += score.all;
        turned += score.facing ? 0 : 1;
    }
    const auto share = [&](Names names) {
        const auto i = static_cast<std::size_t>(names);
        return static_cast<double>(right[i]) / static_cast<double>(all[i]);
    };
    CHECK(share(Names::none) >= 0.95);
    CHECK(share(Names::good) >= 0.99);
    CHECK(share(Names::sideless) >= 0.98);
    CHECK(share(Names::misleading) >= 0.98);
    CHECK(turned <= 6);
    if (const char* path = std::getenv("DENDRAXIS_TABLES")) {
        std::ofstream table(path, std::ios::app);
        for (std::size_t names = 0; names < 4; ++names)
            table << fmt::format("bare, names {}: {} of {}\n", names, right[names], all[names]);
    }
}

TEST_CASE("without skin a rod in one hand costs neither arm, and ends of all rows no head") {
    Oddities odd;
    odd.no_skin = odd.sword = true;
    int with_toes = 0;
    for (unsigned number = 1; number <= 12; ++number) {
        const crowd::Body body = crowd::plain_body(number, Kind::biped, Names::none, odd);
        const Chart plain = chart(body.character);
        CAPTURE(number);
        CHECK(text_of(crowd::judge(body, plain)) == "");
        if (plain.find("toes.left") == nullptr) continue;  // an end would be what toes are
        ++with_toes;
        Character ended = body.character;
        ended.skeleton = with_ends(body.character.skeleton);
        const Chart found = chart(ended);
        for (const std::string name :
             {"head", "neck", "spine", "arm.left", "arm.right", "leg.left", "leg.right"}) {
            CAPTURE(name);
            if (plain.find(name) == nullptr) continue;  // not every body has a neck
            REQUIRE(found.find(name) != nullptr);
            CHECK(fmt::format("{}", fmt::join(labels_of(found, name), " ")) ==
                  fmt::format("{}", fmt::join(labels_of(plain, name), " ")));
        }
    }
    CHECK(with_toes >= 4);
}

TEST_CASE("a hand without a body is charted, left or right by its shape, whatever its unit") {
    for (const float side : {1.0f, -1.0f}) {
        for (const float scale : {0.01f, 1.0f, 100.0f}) {
            // Fingers along +Y that curl toward +Z, the palm; the thumb to +X on a right hand.
            std::vector<Bone> bones;
            const auto add = [&](const std::string& name, int parent, const Vec3& step) {
                Bone bone;
                bone.name = bone.label = name;
                bone.parent = parent;
                bone.rest = {Quat::Identity(), scale * Vec3(side * step.x(), step.y(), step.z()),
                             Vec3::Ones()};
                bones.push_back(bone);
                return static_cast<int>(bones.size()) - 1;
            };
            const int wrist = add("a", k_no_bone, Vec3::Zero());
            for (int finger = 0; finger < 4; ++finger) {
                const float x = 0.03f - 0.02f * static_cast<float>(finger);
                int above = add("b" + std::to_string(finger), wrist, {x, 0.09f, 0});
                above = add("c" + std::to_string(finger), above, {0, 0.04f, 0.004f});
                add("d" + std::to_string(finger), above, {0, 0.025f, 0.006f});
            }
            const int thumb = add("t1", wrist, {0.03f, 0.02f, 0.01f});
            add("t3", add("t2", thumb, {0.025f, 0.025f, 0.008f}), {0.02f, 0.02f, 0.006f});
            const Chart found = chart(Skeleton(bones));
            const std::string named = side > 0 ? ".right" : ".left";
            CAPTURE(side);
            CAPTURE(scale);
            REQUIRE(found.find("arm" + named) != nullptr);
            CHECK(found.hips == k_no_bone);
            REQUIRE(found.find("thumb" + named) != nullptr);
            CHECK(found.skeleton.bone(found.find("thumb" + named)->bones.front()).label == "t1");
            CHECK(found.skeleton.bone(found.find("index" + named)->bones.front()).label == "b0");
            CHECK(found.skeleton.bone(found.find("little" + named)->bones.back()).label == "d3");
        }
    }
}

TEST_CASE("elbow and knee are told where limbs have more bones than three") {
    Oddities odd;
    odd.second_thighs = odd.twist_halves = true;
    const crowd::Body body = crowd::plain_body(5, Kind::biped, Names::none, odd);
    const Chart found = chart(body.character);
    for (const auto& [limb, bone] : {std::pair("arm.left", "lower.l"), std::pair("leg.right", "shin.r")}) {
        const Chain* chain = found.find(limb);
        REQUIRE(chain != nullptr);
        CHECK(chain->bones.size() == 4);
        CHECK(found.skeleton.bone(chain->bones[chain->lower]).label == bone);
        const auto bends = bending_bones(found.skeleton, *chain);
        REQUIRE(bends);
        CHECK((*bends)[1] == chain->bones[chain->lower]);
    }
    // A hand below its goal does not hang on the forearm: such a limb does not bend in one piece.
    Oddities goals;
    goals.goals = true;
    const crowd::Body other = crowd::plain_body(5, Kind::biped, Names::none, goals);
    const Chart with_goals = chart(other.character);
    CHECK(!bending_bones(with_goals.skeleton, *with_goals.find("arm.left")));
}

TEST_CASE("a role is explained: evidence for and against, and the runner-up") {
    Oddities odd;
    odd.goals = true;
    const crowd::Body body = crowd::plain_body(5, Kind::biped, Names::good, odd);
    const Skeleton& skeleton = body.character.skeleton;
    const BoneExplanation shin = explain(body.character, skeleton.find("shin.l"));
    CHECK(shin.role == "leg.left");
    CHECK(shin.confidence > 0.9f);
    REQUIRE(!shin.evidence.empty());
    CHECK(shin.evidence.front().weight > 0.0f);
    CHECK(!shin.runner_up.empty());
    CHECK(shin.runner_up != shin.role);
    CHECK(shin.margin > 0.0f);
    const auto tells = [](const BoneExplanation& explanation, const std::string& words) {
        return std::any_of(
            explanation.evidence.begin(), explanation.evidence.end(),
            [&](const Evidence& piece) { return piece.what.find(words) != std::string::npos; });
    };
    CHECK(tells(shin, "reads as left shin"));
    CHECK(tells(explain(body.character, skeleton.find("hand.l")), "in the body it hangs on 'lower.l'"));
    CHECK(tells(explain(body.character, skeleton.find("goal.l")), "it moves no skin"));
    CHECK_THROWS_AS(explain(body.character, 10'000), Error);
}
