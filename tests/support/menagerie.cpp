#include "menagerie.hpp"

#include "people.hpp"
#include "sculpt.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <sstream>

namespace menagerie {
namespace {

using dendraxis::Character;
using dendraxis::Skeleton;
using dendraxis::Vec3;
using harbour::Joint;

// `arm.left: a b c; leg.left: d e f`; a `{}` stands for both sides, `left` and `right` in the chain's name.
std::map<std::string, std::vector<std::string>> chains_from(const std::string& text, const std::string& left,
                                                            const std::string& right) {
    std::map<std::string, std::vector<std::string>> result;
    std::istringstream entries(text);
    for (std::string entry; std::getline(entries, entry, ';');) {
        const auto colon = entry.find(':');
        std::istringstream head(entry.substr(0, colon));
        std::string chain;
        head >> chain;
        const bool both = chain.find("{}") != std::string::npos;
        for (const auto& [side, word] : {std::pair<std::string, std::string>("left", left),
                                         std::pair<std::string, std::string>("right", right)}) {
            const auto filled = [](std::string pattern, const std::string& with) {
                const auto hole = pattern.find("{}");
                return hole == std::string::npos ? pattern : pattern.replace(hole, 2, with);
            };
            std::istringstream bones(entry.substr(colon + 1));
            std::vector<std::string>& list = result[filled(chain, side)];
            for (std::string bone; bones >> bone;) list.push_back(filled(bone, word));
            if (!both) break;
        }
    }
    return result;
}

Specimen make(const std::string& name, const std::vector<Joint>& plan, const std::string& hips,
              const std::string& chains, const std::string& left = "l", const std::string& right = "r") {
    Specimen specimen;
    specimen.name = name;
    specimen.character.name = name;
    // The planned joints know one root; further ones are cut loose afterwards.
    specimen.character.skeleton = harbour::build_skeleton(harbour::mirrored(plan, left, right), 1, {});
    specimen.chains = chains_from(chains, left, right);
    specimen.hips = hips;
    return specimen;
}

// Gives each of these bones a box of flesh from its joint to a point.
void add_boxes(Character& character, const std::vector<std::pair<std::string, Vec3>>& ends, float thickness) {
    const auto model = dendraxis::rest_in_model_space(character.skeleton);
    std::vector<std::pair<std::string, Vec3>> positions;
    for (std::size_t i = 0; i < model.size(); ++i)
        positions.emplace_back(character.skeleton.bones()[i].name, model[i].translation);
    harbour::Sculptor sculptor(positions);
    sculptor.material("wood", {0.5f, 0.4f, 0.3f});
    for (const auto& [bone, end] : ends) {
        const Vec3 start = sculptor.joint(bone);
        const Vec3 u = (end - start).unitOrthogonal() * thickness;
        const Vec3 v = (end - start).normalized().cross(u);
        const std::string owner = bone;
        sculptor.tube(
            {{start, u, v, 6.0f}, {end, u, v, 6.0f}},
            [owner](const Vec3&) {
                return harbour::Weights{{owner, 1.0f}};
            },
            8);
    }
    character.meshes = sculptor.finish(character.skeleton);
}

Specimen with_boxes(Specimen specimen, const std::vector<std::pair<std::string, Vec3>>& ends,
                    float thickness) {
    add_boxes(specimen.character, ends, thickness);
    return specimen;
}

// Bones of these names lose their parents.
Specimen cut_loose(Specimen specimen, const std::vector<std::string>& roots) {
    const Skeleton& old = specimen.character.skeleton;
    const auto model = dendraxis::rest_in_model_space(old);
    std::vector<dendraxis::Bone> bones(old.bones().begin(), old.bones().end());
    for (std::size_t i = 0; i < bones.size(); ++i) {
        if (std::find(roots.begin(), roots.end(), bones[i].name) == roots.end()) continue;
        bones[i].parent = dendraxis::k_no_bone;
        bones[i].rest = model[i];
    }
    specimen.character.skeleton = Skeleton(std::move(bones));
    return specimen;
}

const char* const k_plain_limbs = "arm.{}: {}ua {}fa {}ha; leg.{}: {}th {}sh {}fo; toes.{}: {}to";

// A plain body of meaningless names that the odd parts below are put on.
std::vector<Joint> plain_body(const std::string& legs_on, const std::string& trunk_on) {
    return {{"a1", trunk_on, {0, 1.10f, -0.01f}},     {"a2", "a1", {0, 1.25f, -0.02f}},
            {"a3", "a2", {0, 1.50f, -0.01f}},         {"a4", "a3", {0, 1.58f, 0.01f}},
            {"{}ua", "a2", {0.19f, 1.42f, -0.02f}},   {"{}fa", "{}ua", {0.46f, 1.42f, -0.03f}},
            {"{}ha", "{}fa", {0.70f, 1.42f, -0.01f}}, {"{}th", legs_on, {0.10f, 0.92f, 0}},
            {"{}sh", "{}th", {0.10f, 0.50f, 0.01f}},  {"{}fo", "{}sh", {0.10f, 0.09f, -0.03f}},
            {"{}to", "{}fo", {0.11f, 0.02f, 0.11f}}};
}

std::vector<Joint> operator+(std::vector<Joint> a, const std::vector<Joint>& b) {
    a.insert(a.end(), b.begin(), b.end());
    return a;
}

void add_figures(std::vector<Specimen>& all) {
    // Six blocks, a bone each.
    all.push_back(with_boxes(make("blocks",
                                  {{"torso", "", {0, 0.8f, 0}},
                                   {"top", "torso", {0, 1.4f, 0}},
                                   {"{}_upper", "torso", {0.3f, 1.35f, 0}},
                                   {"{}_lower", "torso", {0.12f, 0.8f, 0}}},
                                  "torso", "head: top; arm.{}: {}_upper; leg.{}: {}_lower"),
                             {{"torso", {0, 1.38f, 0}},
                              {"top", {0, 1.8f, 0}},
                              {"l_upper", {0.34f, 0.75f, 0}},
                              {"r_upper", {-0.34f, 0.75f, 0}},
                              {"l_lower", {0.12f, 0.02f, 0}},
                              {"r_lower", {-0.12f, 0.02f, 0}}},
                             0.1f));
    // A flat puppet seen from the front.
    all.push_back(make("flat puppet",
                       {{"stick", "", {0, 0, 0}},
                        {"body", "stick", {0, 0.8f, 0}},
                        {"breast", "body", {0, 1.1f, 0}},
                        {"neck", "breast", {0, 1.4f, 0}},
                        {"head", "neck", {0, 1.5f, 0}},
                        {"arm_{}", "breast", {0.2f, 1.35f, 0}},
                        {"elbow_{}", "arm_{}", {0.3f, 1.1f, 0}},
                        {"hand_{}", "elbow_{}", {0.4f, 0.85f, 0}},
                        {"leg_{}", "body", {0.1f, 0.75f, 0}},
                        {"knee_{}", "leg_{}", {0.1f, 0.4f, 0}},
                        {"foot_{}", "knee_{}", {0.1f, 0.05f, 0}}},
                       "body",
                       "spine: breast; neck: neck; head: head; arm.{}: arm_{} elbow_{} hand_{}; leg.{}: "
                       "leg_{} knee_{} foot_{}"));
    // Fingers that hang from the forearm, and palm bones.
    all.push_back(
        make("stray fingers",
             plain_body("a0", "a0") + std::vector<Joint>{{"a0", "", {0, 0.98f, 0}},
                                                         {"{}index1", "{}fa", {0.80f, 1.42f, 0.02f}},
                                                         {"{}index2", "{}index1", {0.84f, 1.42f, 0.02f}},
                                                         {"{}index3", "{}index2", {0.87f, 1.42f, 0.02f}},
                                                         {"{}ring_palm", "{}ha", {0.74f, 1.42f, -0.02f}},
                                                         {"{}ring1", "{}ring_palm", {0.80f, 1.42f, -0.02f}},
                                                         {"{}ring2", "{}ring1", {0.84f, 1.42f, -0.02f}},
                                                         {"{}ring3", "{}ring2", {0.87f, 1.42f, -0.02f}}},
             "a0",
             std::string("spine: a1 a2; neck: a3; head: a4; index.{}: {}index1 {}index2 {}index3; ring.{}: "
                         "{}ring1 {}ring2 {}ring3; ") +
                 k_plain_limbs));
}

void add_awkward_files(std::vector<Specimen>& all) {
    // Controls and hair as roots of their own.
    all.push_back(cut_loose(
        make("several roots",
             plain_body("a0", "a0") + std::vector<Joint>{{"a0", "", {0, 0.98f, 0}},
                                                         {"foot_ik_{}", "a0", {0.10f, 0.09f, -0.03f}},
                                                         {"knee_pole_{}", "a0", {0.10f, 0.5f, 0.5f}},
                                                         {"strand1", "a0", {0, 1.7f, -0.1f}},
                                                         {"strand2", "strand1", {0, 1.6f, -0.15f}}},
             "a0", std::string("spine: a1 a2; neck: a3; head: a4; ") + k_plain_limbs),
        {"foot_ik_l", "foot_ik_r", "knee_pole_l", "knee_pole_r", "strand1"}));
    // A pelvis beside the spine, below one bone that carries both.
    all.push_back(make(
        "pelvis beside",
        plain_body("b", "a0") + std::vector<Joint>{{"a0", "", {0, 1.02f, 0}}, {"b", "a0", {0, 0.97f, 0}}},
        "a0", std::string("spine: a1 a2; neck: a3; head: a4; ") + k_plain_limbs));
    // Twist bones within and beside the limbs, ends everywhere.
    all.push_back(
        make("twists and ends",
             plain_body("a0", "a0") + std::vector<Joint>{{"a0", "", {0, 0.98f, 0}},
                                                         {"{}u_tw", "{}ua", {0.32f, 1.42f, -0.025f}},
                                                         {"{}f_tw", "{}fa", {0.58f, 1.42f, -0.02f}},
                                                         {"{}t_tw", "{}th", {0.10f, 0.72f, 0.005f}},
                                                         {"a4_end", "a4", {0, 1.8f, 0.01f}},
                                                         {"{}to_end", "{}to", {0.11f, 0.02f, 0.18f}}},
             "a0", std::string("spine: a1 a2; neck: a3; head: a4; ") + k_plain_limbs));
    // A chain broken by a node that moves no flesh.
    {
        std::vector<Joint> plan = plain_body("a0", "a0");
        for (Joint& joint : plan) {
            if (joint.name == "{}fa") joint.parent = "{}gap";
        }
        Specimen broken = make(
            "broken chain",
            plan + std::vector<Joint>{{"a0", "", {0, 0.98f, 0}}, {"{}gap", "{}ua", {0.40f, 1.42f, -0.028f}}},
            "a0", std::string("spine: a1 a2; neck: a3; head: a4; ") + k_plain_limbs);
        // `{}gap` stands behind its child in the plan; parents must come first.
        std::vector<std::pair<std::string, Vec3>> flesh{{"a0", {0, 1.1f, 0}},
                                                        {"a1", {0, 1.25f, 0}},
                                                        {"a2", {0, 1.48f, 0}},
                                                        {"a3", {0, 1.57f, 0}},
                                                        {"a4", {0, 1.8f, 0}}};
        for (const auto& [side, x] :
             {std::pair<std::string, float>("l", 1.0f), std::pair<std::string, float>("r", -1.0f)}) {
            for (const auto& [bone, end] :
                 std::vector<std::pair<std::string, Vec3>>{{"ua", {0.44f, 1.42f, -0.03f}},
                                                           {"fa", {0.68f, 1.42f, -0.01f}},
                                                           {"ha", {0.84f, 1.42f, -0.01f}},
                                                           {"th", {0.10f, 0.52f, 0.01f}},
                                                           {"sh", {0.10f, 0.12f, -0.03f}},
                                                           {"fo", {0.11f, 0.03f, 0.10f}},
                                                           {"to", {0.11f, 0.02f, 0.2f}}}) {
                flesh.emplace_back(side + bone, Vec3(x * end.x(), end.y(), end.z()));
            }
        }
        all.push_back(with_boxes(std::move(broken), flesh, 0.04f));
    }
}

void add_beasts(std::vector<Specimen>& all) {
    // Other limb counts.
    all.push_back(make("beetle",
                       {{"m0", "", {0, 0.3f, -0.2f}},
                        {"m1", "m0", {0, 0.3f, 0.0f}},
                        {"m2", "m1", {0, 0.3f, 0.2f}},
                        {"m3", "m2", {0, 0.32f, 0.35f}},
                        {"h{}1", "m0", {0.1f, 0.3f, -0.2f}},
                        {"h{}2", "h{}1", {0.3f, 0.4f, -0.25f}},
                        {"h{}3", "h{}2", {0.45f, 0.02f, -0.3f}},
                        {"i{}1", "m1", {0.1f, 0.3f, 0.0f}},
                        {"i{}2", "i{}1", {0.32f, 0.41f, 0.0f}},
                        {"i{}3", "i{}2", {0.48f, 0.02f, 0.0f}},
                        {"j{}1", "m2", {0.1f, 0.3f, 0.2f}},
                        {"j{}2", "j{}1", {0.29f, 0.39f, 0.25f}},
                        {"j{}3", "j{}2", {0.43f, 0.02f, 0.3f}}},
                       "m0",
                       "spine: m1 m2; head: m3; leg.back.{}: h{}1 h{}2 h{}3; leg.middle.{}: i{}1 i{}2 i{}3; "
                       "leg.front.{}: j{}1 j{}2 j{}3"));
    all.push_back(make("gull",
                       {{"body", "", {0, 0.20f, 0}},
                        {"breast", "body", {0, 0.24f, 0.10f}},
                        {"neck", "breast", {0, 0.30f, 0.18f}},
                        {"head", "neck", {0, 0.36f, 0.20f}},
                        {"tail1", "body", {0, 0.20f, -0.08f}},
                        {"tail2", "tail1", {0, 0.20f, -0.16f}},
                        {"wing_{}_a", "breast", {0.05f, 0.28f, 0.08f}},
                        {"wing_{}_b", "wing_{}_a", {0.22f, 0.29f, 0.10f}},
                        {"wing_{}_c", "wing_{}_b", {0.42f, 0.28f, 0.05f}},
                        {"leg_{}_a", "body", {0.04f, 0.18f, 0.0f}},
                        {"leg_{}_b", "leg_{}_a", {0.04f, 0.10f, 0.03f}},
                        {"leg_{}_foot", "leg_{}_b", {0.04f, 0.015f, 0.0f}}},
                       "body",
                       "spine: breast; neck: neck; head: head; tail: tail1 tail2; wing.{}: wing_{}_a "
                       "wing_{}_b wing_{}_c; leg.{}: leg_{}_a leg_{}_b leg_{}_foot"));
}

void add_what_has_no_body(std::vector<Specimen>& all) {
    // Nothing may be made up.
    all.push_back(make("crate", {{"crate", "", {0, 0, 0}}}, "", ""));
    all.push_back(make("snake",
                       {{"s1", "", {0, 0.05f, 0}},
                        {"s2", "s1", {0, 0.05f, 0.2f}},
                        {"s3", "s2", {0, 0.05f, 0.4f}},
                        {"s4", "s3", {0, 0.05f, 0.6f}},
                        {"s5", "s4", {0, 0.05f, 0.8f}}},
                       "", ""));
    all.push_back(make("fish",
                       {{"f1", "", {0, 0.5f, 0}},
                        {"f2", "f1", {0, 0.5f, -0.2f}},
                        {"f3", "f2", {0, 0.5f, -0.4f}},
                        {"fin{}", "f1", {0.08f, 0.47f, 0.05f}}},
                       "", ""));
    all.push_back(make("lone hand",
                       {{"k0", "", {0, 0, 0}},
                        {"k1", "k0", {0.09f, 0, 0.03f}},
                        {"k2", "k1", {0.13f, 0, 0.03f}},
                        {"k3", "k0", {0.09f, 0, 0.0f}},
                        {"k4", "k3", {0.14f, 0, 0.0f}},
                        {"k5", "k0", {0.09f, 0, -0.03f}},
                        {"k6", "k5", {0.13f, 0, -0.03f}},
                        {"k7", "k0", {0.03f, 0, 0.05f}},
                        {"k8", "k7", {0.06f, 0, 0.08f}}},
                       "", ""));
}

}  // namespace

std::vector<Specimen> specimens() {
    std::vector<Specimen> all;
    add_figures(all);
    add_awkward_files(all);
    add_beasts(all);
    add_what_has_no_body(all);
    for (Specimen& specimen : all) specimen.chains.erase("");
    return all;
}

}  // namespace menagerie
