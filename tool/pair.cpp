#include "commands.hpp"

#include <dendraxis/io/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {

int run_pair(const PairArguments& arguments) {
    io::Rig source = io::load_rig(arguments.source);
    io::Rig target = io::load_rig(arguments.target);
    const std::vector<fs::path> inputs{arguments.source, arguments.target, source.character.file,
                                       target.character.file};
    const Pairing pairing = dendraxis::pair(std::move(source.chart), std::move(target.chart));
    if (!arguments.out.empty()) {
        check_not_input(arguments.out, inputs);
        io::write_text(arguments.out, io::pairing_json(pairing));
    }
    if (arguments.json) {
        fmt::print("{}", io::report_json(pairing));
        return k_done;
    }
    fmt::print("{}\n", bold(fmt::format("  {:<16} {:>5}    {:<16} {:>5}", pairing.source.character, "bones",
                                        pairing.target.character, "bones")));
    for (const ChainPair& entry : pairing.chains) {
        fmt::print("  {:<16} {:>5}    {:<16} {:>5}    {}\n", entry.source,
                   pairing.source.find(entry.source)->bones.size(), entry.target,
                   pairing.target.find(entry.target)->bones.size(), dim(how_paired(pairing, entry)));
    }
    if (!pairing.leftovers.empty()) fmt::print("\n{}\n", bold("left over"));
    for (const Leftover& leftover : pairing.leftovers) {
        fmt::print("  {:<16} of {}: {}\n", leftover.chain,
                   leftover.of_source ? pairing.source.character : pairing.target.character, leftover.reason);
    }
    print_findings(pairing.findings);
    if (!arguments.out.empty()) fmt::print("\nwrote {}\n", arguments.out.string());
    return k_done;
}

}  // namespace dendraxis::tool
