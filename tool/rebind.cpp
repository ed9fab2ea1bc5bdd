#include "commands.hpp"

#include <dendraxis/io/gltf.hpp>
#include <dendraxis/io/rebind.hpp>
#include <dendraxis/io/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {

int run_rebind(const RebindArguments& arguments) {
    if (arguments.out.extension() != ".glb")
        throw UsageError(arguments.out.string() + ": the output must end in .glb");
    check_not_input(arguments.out, {arguments.visual, arguments.onto});
    const io::Rebound rebound =
        io::rebind(io::load_character(arguments.visual), io::load_character(arguments.onto));
    const io::OutputFile file{arguments.out, rebound.glb};
    io::write_files({&file, 1});
    if (arguments.json) {
        fmt::print("{}", io::findings_json(rebound.findings));
        return k_done;
    }
    fmt::print("{} of {} bones of {} are bones of {}\n", rebound.matched, rebound.bones,
               arguments.visual.stem().string(), arguments.onto.stem().string());
    print_findings(rebound.findings);
    fmt::print("\nwrote {}\n", arguments.out.string());
    return k_done;
}

}  // namespace dendraxis::tool
