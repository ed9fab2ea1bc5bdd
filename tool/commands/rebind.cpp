#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/outputs.hpp"
#include "../support/print.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/gltf/rebind.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {
namespace {

struct RebindArguments {
    fs::path visual;
    fs::path onto;
    fs::path out;
    bool json = false;
};

int run_rebind(const RebindArguments& arguments) {
    if (arguments.out.extension() != ".glb")
        throw UsageError(arguments.out.string() + ": the output must end in .glb");
    check_not_input(arguments.out, {arguments.visual, arguments.onto});
    const io::Rebound rebound =
        io::rebind(io::load_character(arguments.visual), io::load_character(arguments.onto));
    const io::OutputFile file{arguments.out, rebound.glb};
    io::write_files({&file, 1});
    if (arguments.json) {
        print_json({{"findings", json_of(rebound.findings)}});
        return k_done;
    }
    fmt::print("{} of {} bones of {} are bones of {}\n", rebound.matched, rebound.bones,
               arguments.visual.stem().string(), arguments.onto.stem().string());
    print_findings(rebound.findings);
    fmt::print("\nwrote {}\n", arguments.out.string());
    return k_done;
}

void add_rebind(CommandLine& line) {
    auto arguments = std::make_shared<RebindArguments>();
    CLI::App* c =
        line.add("rebind", "Put the surface of one file on the skeleton and clips of another",
                 "rebind new-coat.glb --onto hero.glb -o hero-in-new-coat.glb", arguments, run_rebind);
    add_file(c, "VISUAL", arguments->visual, "the file with the skinned surface");
    add_file(c, "--onto", arguments->onto, "the character whose bones and clips it gets");
    add_file(c, "-o,--out", arguments->out, "the result (.glb)");
}

const Registration k_rebind(30, add_rebind);

}  // namespace
}  // namespace dendraxis::tool
