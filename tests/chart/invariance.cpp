// A chart may not depend on axes, units, the up axis, the order of bones; and what it says of its own
// certainty must hold.
#include "variants.hpp"
#include "workshop.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/gltf/gltf.hpp>

#include <doctest/doctest.h>
#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <map>
#include <random>
#include <set>

using namespace dendraxis;

namespace {

Quat axis_turn(std::mt19937& random) {
    static const std::vector<Vec3> k_axes{Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()};
    const float quarter = 1.57079633f * static_cast<float>(random() % 4);
    return Quat(Eigen::AngleAxisf(quarter, k_axes[random() % 3]));
}

// Chains by the names that the truth's bones have, whatever they are called now.
std::set<std::pair<std::string, std::string>> membership(const Chart& chart,
                                                         const std::vector<std::string>& real_names) {
    std::set<std::pair<std::string, std::string>> result;
    for (const Chain& chain : chart.chains) {
        for (const int bone : chain.bones)
            result.insert({chain.name, real_names[static_cast<std::size_t>(bone)]});
    }
    return result;
}

struct Tally {
    int right = 0;
    int all = 0;
};

// Bands of certainty, from below 0.5 to 0.9 and above.
std::size_t band(float confidence) {
    return confidence >= 0.9f ? 3 : confidence >= 0.8f ? 2 : confidence >= 0.5f ? 1 : 0;
}

}  // namespace

TEST_CASE("charts do not depend on axes, units, up axis or order, and confidence means something") {
    std::mt19937 random(5);
    std::map<std::string, std::array<Tally, 4>> table;
    int variants_seen = 0;
    int same = 0;
    for (const char* name : {"diver", "bosun", "deckhand", "hound"}) {
        const Character original = io::load_character(workshop::demo(std::string(name) + ".glb"));
        const Chart truth = chart(original);
        const auto wanted = membership(truth, workshop::bone_names(original));
        for (int i = 0; i < 72; ++i) {
            Character variant = variants::reordered(original, static_cast<unsigned>(i));
            const std::vector<std::string> real_names = workshop::bone_names(variant);
            variant = variants::reaxed(variant, static_cast<unsigned>(1000 + i));
            if (i % 3 == 1) variant = variants::under_scaled_node(variant, 100.0f);
            if (i % 3 == 2) variant = variants::scaled(variant, 100.0f);
            const bool turned = i % 2 == 1;
            if (turned) variant = variants::turned(variant, axis_turn(random));
            const int taken = i % 6;
            const char* kind = "names";
            if (taken == 1 || taken == 4) variant = variants::without_sides(variant), kind = "no sides";
            if (taken == 2 || taken == 5) variant = variants::nameless(variant), kind = "nameless";
            if (taken == 3) variant = variants::bare(variant), kind = "names, no surface";
            if (i >= 60) variant = variants::bare(variants::nameless(variant)), kind = "nameless, no surface";
            const Chart found = chart(variant);
            const auto got = membership(found, real_names);
            ++variants_seen;
            same += got == wanted ? 1 : 0;
            if (got != wanted && i < 60) {
                CAPTURE(name);
                CAPTURE(kind);
                CAPTURE(i);
                std::string first;
                for (const auto& [chain, bone] : got) {
                    if (!wanted.contains({chain, bone})) first += " " + chain + "/" + bone;
                }
                CAPTURE(first);
                CHECK(got == wanted);
            }
            for (const Chain& chain : found.chains) {
                Tally& tally = table[kind][band(chain.confidence)];
                std::vector<std::string> bones;
                for (const int bone : chain.bones)
                    bones.push_back(real_names[static_cast<std::size_t>(bone)]);
                std::vector<std::string> expected;
                if (const Chain* real = truth.find(chain.name)) {
                    for (const int bone : real->bones) expected.push_back(original.skeleton.bone(bone).name);
                }
                ++tally.all;
                tally.right += bones == expected ? 1 : 0;
            }
        }
    }
    CHECK(variants_seen >= 200);
    // The table of docs/charting.md; print it with -s.
    std::string text;
    Tally sure;
    for (const auto& [kind, bands] : table) {
        text += fmt::format("| {} |", kind);
        for (const Tally& tally : bands)
            text += tally.all == 0 ? " – |" : fmt::format(" {} of {} |", tally.right, tally.all);
        text += "\n";
        sure.right += bands[3].right;
        sure.all += bands[3].all;
    }
    INFO(text);
    CHECK(static_cast<double>(sure.right) >= 0.98 * static_cast<double>(sure.all));
    CHECK(sure.all > 1000);
    if (const char* path = std::getenv("DENDRAXIS_TABLES"))
        std::ofstream(path, std::ios::app) << text << same << " of " << variants_seen << " charts whole\n";
}
