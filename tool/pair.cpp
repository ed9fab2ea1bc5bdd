#include "commands.hpp"

#include <dendraxis/io/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {

int run_pair(const PairArguments& arguments) {
    const Pairing pairing =
        dendraxis::pair(io::load_rig(arguments.source).chart, io::load_rig(arguments.target).chart);
    if (!arguments.out.empty()) {
        check_not_input(arguments.out, {arguments.source, arguments.target});
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
