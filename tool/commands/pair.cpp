#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/outputs.hpp"
#include "../support/print.hpp"

#include <io/sheet/sheet_parts.hpp>

#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {
namespace {

struct PairArguments {
    fs::path source;
    fs::path target;
    fs::path out;
    bool json = false;
};

Json pair_json(const Pairing& pairing) {
    Json json = io::pairing_part(pairing);
    Json leftovers = Json::array();
    for (const Leftover& leftover : pairing.leftovers) {
        leftovers.push_back({{"chain", leftover.chain},
                             {"of", leftover.of_source ? "source" : "target"},
                             {"reason", leftover.reason}});
    }
    json["leftovers"] = leftovers;
    json["findings"] = json_of(pairing.findings);
    return json;
}

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
        print_json(pair_json(pairing));
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

void add_pair(CommandLine& line) {
    auto arguments = std::make_shared<PairArguments>();
    CLI::App* c = line.add("pair", "Match the chains of one character to those of another",
                           "pair hero.glb villain.glb -o hero-to-villain.pair.json", arguments, run_pair);
    add_file(c, "SOURCE", arguments->source, "the character that has the motion");
    add_file(c, "TARGET", arguments->target, "the character that is to have it");
    c->add_option("-o,--out", arguments->out,
                  "write the pairing here; edit it to leave out a chain or to pair it with another");
}

const Registration k_pair(50, add_pair);

}  // namespace
}  // namespace dendraxis::tool
