// How well chains are found when what is known about a skeleton is taken away. The truth is the chart of the
// demo character with all its names, which demo/harbour/*.rig.json keep.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/io/gltf/gltf.hpp>

#include <doctest/doctest.h>
#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <map>

using namespace dendraxis;

namespace {

// A bone's place in a chart: `arm.left 2`, `hips`, `helper`.
std::vector<std::string> roles(const Chart& chart) {
    std::vector<std::string> result(chart.skeleton.size(), "helper");
    for (const Chain& chain : chart.chains) {
        for (std::size_t i = 0; i < chain.bones.size(); ++i)
            result[static_cast<std::size_t>(chain.bones[i])] = chain.name;
    }
    if (chart.hips != k_no_bone) result[static_cast<std::size_t>(chart.hips)] = "hips";
    if (chart.root != k_no_bone) result[static_cast<std::size_t>(chart.root)] = "ground";
    return result;
}

std::vector<Character> people() {
    std::vector<Character> all;
    for (const char* name : {"diver", "bosun", "deckhand", "hound"})
        all.push_back(io::load_character(workshop::demo(std::string(name) + ".glb")));
    return all;
}

bool is_main(const std::string& name) {
    return name == "spine" || name == "head" || name.starts_with("arm.") || name.starts_with("leg.");
}

}  // namespace

TEST_CASE(
    "with all names replaced nearly every bone finds its chain, and every limb, spine and head is found") {
    for (const Character& character : people()) {
        const Chart truth = chart(character);
        const Chart found = chart(variants::nameless(character));
        const auto a = roles(truth);
        const auto b = roles(found);
        std::size_t right = 0;
        for (std::size_t i = 0; i < a.size(); ++i) {
            right += a[i] == b[i] ? 1 : 0;
            if (a[i] != b[i])
                MESSAGE(character.name << ": " << character.skeleton.bones()[i].name << " is " << a[i]
                                       << ", charted as " << b[i]);
        }
        CAPTURE(character.name);
        CHECK(static_cast<double>(right) >= 0.95 * static_cast<double>(a.size()));
        for (const Chain& chain : truth.chains) {
            if (!is_main(chain.name)) continue;
            CAPTURE(chain.name);
            CHECK(found.find(chain.name) != nullptr);
        }
    }
}

TEST_CASE("with the side words taken away everything is found as before") {
    for (const Character& character : people()) {
        CAPTURE(character.name);
        CHECK(roles(chart(character)) == roles(chart(variants::without_sides(character))));
    }
}

TEST_CASE("names with the wrong sides are not believed, and that is told") {
    for (const Character& character : people()) {
        const Chart truth = chart(character);
        const Chart found = chart(variants::sides_swapped(character));
        CAPTURE(character.name);
        CHECK(roles(truth) == roles(found));
        CHECK(std::any_of(found.findings.begin(), found.findings.end(),
                          [](const Finding& f) { return f.code == "chart.sides-swapped"; }));
    }
}
