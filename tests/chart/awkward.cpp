// Awkward skeletons: what is there is found, what is not there is not made up.
#include "menagerie.hpp"
#include "variants.hpp"

#include <dendraxis/chart/chart.hpp>

#include <doctest/doctest.h>
#include <fmt/core.h>

#include <cstdlib>
#include <fstream>

using namespace dendraxis;

TEST_CASE("awkward skeletons are charted whole") {
    std::string table;
    for (const menagerie::Specimen& specimen : menagerie::specimens()) {
        const Chart found = chart(specimen.character);
        std::map<std::string, std::vector<std::string>> got;
        float least = 1.0f;
        std::size_t right = 0;
        for (const Chain& chain : found.chains) {
            for (const int bone : chain.bones) got[chain.name].push_back(found.skeleton.bone(bone).name);
            least = std::min(least, chain.confidence);
        }
        std::string differences;
        for (const auto& [name, bones] : specimen.chains) {
            right += got.contains(name) && got[name] == bones ? 1 : 0;
            if (got.contains(name) && got[name] == bones) continue;
            differences += name + " is";
            for (const std::string& bone : got[name]) differences += " " + bone;
            differences += "; ";
        }
        for (const auto& [name, bones] : got) {
            if (!specimen.chains.contains(name) && !bones.empty()) differences += name + " was made up; ";
        }
        const std::string hips = found.hips == k_no_bone ? "" : found.skeleton.bone(found.hips).name;
        CAPTURE(specimen.name);
        CHECK(differences == "");
        CHECK(hips == specimen.hips);
        table +=
            fmt::format("| {} | {} of {} | {} |\n", specimen.name, right, specimen.chains.size(),
                        found.chains.empty() ? std::string("–") : fmt::format("{:.0f} %", 100.0f * least));
    }
    if (const char* path = std::getenv("DENDRAXIS_TABLES")) std::ofstream(path, std::ios::app) << table;
}
