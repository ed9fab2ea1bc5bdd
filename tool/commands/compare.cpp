#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/print.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/skeleton/compare.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {
namespace {

struct CompareArguments {
    fs::path a;
    fs::path b;
    bool json = false;
};

Json comparison_json(const Comparison& comparison) {
    Json differences = Json::array();
    for (const BoneDifference& d : comparison.differences) {
        differences.push_back({{"bone", d.bone},
                               {"what", d.what},
                               {"other", d.other},
                               {"metres", rounded(d.metres)},
                               {"degrees", rounded(d.degrees)}});
    }
    return {{"likeness", to_string(comparison.likeness)},
            {"differences", differences},
            {"advice", comparison.advice}};
}

int run_compare(const CompareArguments& arguments) {
    const Character a = io::load_character(arguments.a);
    const Character b = io::load_character(arguments.b);
    const Comparison comparison = compare(a.skeleton, b.skeleton);
    if (arguments.json) {
        print_json(comparison_json(comparison));
        return k_done;
    }
    fmt::print("{} ({} bones) and {} ({} bones) are {}\n", a.name, a.skeleton.size(), b.name,
               b.skeleton.size(), bold(std::string(to_string(comparison.likeness))));
    constexpr std::size_t most = 40;
    for (std::size_t i = 0; i < comparison.differences.size() && i < most; ++i) {
        const BoneDifference& d = comparison.differences[i];
        std::string text = d.what;
        if (d.what == "missing") text = "missing in " + b.name;
        if (d.what == "extra") text = "only in " + b.name;
        if (d.what == "renamed") text = "called " + d.other;
        if (d.what == "parent") text = "hangs below " + d.other + " in " + b.name;
        if (d.what == "rest")
            text = fmt::format("rests {:.1f} mm and {:.1f} degrees away", 1000.0f * d.metres, d.degrees);
        fmt::print("  {:<28} {}\n", d.bone, text);
    }
    if (comparison.differences.size() > most)
        fmt::print("  and {} more (--json lists all)\n", comparison.differences.size() - most);
    fmt::print("\n{}\n", comparison.advice);
    return k_done;
}

void add_compare(CommandLine& line) {
    auto arguments = std::make_shared<CompareArguments>();
    CLI::App* c = line.add("compare", "Compare two skeletons and list the bones that differ",
                           "compare old.glb new.glb", arguments, run_compare);
    add_file(c, "A", arguments->a, "one character's file");
    add_file(c, "B", arguments->b, "the other's");
}

const Registration k_compare(20, add_compare);

}  // namespace
}  // namespace dendraxis::tool
