#include "outfit.hpp"

#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

#include <algorithm>

namespace dendraxis::tool {
namespace {

// One line a prop, with all its places; pieces have a table of their own.
void print_props(const io::EquipReport& report) {
    std::vector<std::pair<std::string, std::string>> lines;
    for (const io::MountedProp& one : report.mounted) {
        const bool is_piece =
            std::any_of(report.pieces.begin(), report.pieces.end(),
                        [&](const io::EquipReport::Piece& piece) { return piece.piece == one.prop; });
        if (one.socket.empty() || is_piece) continue;
        const auto known = std::find_if(lines.begin(), lines.end(),
                                        [&](const auto& line) { return line.first == one.prop; });
        if (known == lines.end())
            lines.emplace_back(one.prop, one.socket);
        else
            known->second += ", " + one.socket;
    }
    for (const auto& [prop, sockets] : lines) fmt::print("  {:<16} {}\n", prop, sockets);
}

int tell(const EquipArguments& arguments, const io::EquipReport& report) {
    if (arguments.json) {
        fmt::print("{}", io::equip_json(report));
        return k_done;
    }
    fmt::print("{}\n", bold(arguments.character.stem().string()));
    if (report.mounted.empty()) fmt::print("  no props\n");
    print_props(report);
    if (!report.pieces.empty())
        fmt::print("\n  {}\n",
                   bold(fmt::format("{:<16} {:<16} {:<18} {:>7} {:>13} {:>11} {:>14}", "piece", "part",
                                    "welded to", "covers", "through, rest", "all clips", "still covered")));
    const auto percent = [](const std::optional<float>& share, int digits) {
        return share ? fmt::format("{:.{}f} %", 100.0f * *share, digits) : "-";
    };
    for (const io::EquipReport::Piece& one : report.pieces)
        fmt::print("  {:<16} {:<16} {:<18} {:>7} {:>13} {:>11} {:>14}\n", one.piece, one.part, one.bone,
                   one.covered, percent(one.through_at_rest, 1), percent(one.through_in_clips, 1),
                   percent(one.covered_in_clips, 0));
    for (const io::EquipReport::Change& one : report.changes)
        fmt::print("  {}: in {}, frame {:g}, to {}: {}\n", one.prop, one.clip, one.frame, one.socket,
                   one.over > 0.0f ? fmt::format("glides there in {:g} frames", one.over)
                                   : fmt::format("jumps {:.2f} m", one.jump));
    for (const io::EquipReport::Fall& one : report.falls)
        fmt::print("  {}: let go in {}, frame {}, at {:.2f} m/s; at the end {} {:.2f}, {:.2f}, {:.2f}\n",
                   one.prop, one.clip, one.frame, one.speed, one.lies ? "it lies at" : "it still moves, at",
                   one.ends.x(), one.ends.y(), one.ends.z());
    print_findings(report.findings);
    if (!arguments.out.empty()) fmt::print("\nwrote {}\n", arguments.out.string());
    return k_done;
}

int take_off(const EquipArguments& arguments) {
    if (arguments.out.empty()) throw UsageError("--take: say where to write with -o OUT.glb");
    check_not_input(arguments.out, {arguments.character});
    const io::OutputFile file{arguments.out, io::glb_without_props(arguments.character, arguments.take)};
    io::write_files({&file, 1});
    return tell(arguments, {io::mounted_props(arguments.out), {}, {}, {}, {}});
}

}  // namespace

int run_equip(const EquipArguments& arguments) {
    const bool takes = arguments.take_all || !arguments.take.empty();
    const bool puts = !arguments.put_words.empty() || !arguments.fit_words.empty();
    if (takes && puts) throw UsageError("--put and --take: one after the other, please");
    if (!arguments.switch_words.empty() && arguments.put_words.empty())
        throw UsageError("--switch: say what is carried with --put FILE@SOCKET+SOCKET");
    if (arguments.let_go_words.empty() && (!arguments.push_words.empty() || !arguments.terrain.empty()))
        throw UsageError("--push and --terrain: say what is let go with --let-go CLIP:FRAME=NAME");
    if (takes) return take_off(arguments);
    if (!puts) {
        if (!arguments.out.empty())
            throw UsageError("nothing to mount: give --put FILE@SOCKET or --fit FILE@PART");
        return tell(arguments,
                    {io::mounted_props(io::load_rig(arguments.character).character.file), {}, {}, {}, {}});
    }
    if (arguments.out.empty()) throw UsageError("--put: say where to write with -o OUT.glb");

    const io::Rig rig = arguments.sheet.empty() ? io::load_rig(arguments.character)
                                                : io::rechart(arguments.sheet, arguments.character);
    Outfit outfit(arguments, rig);
    outfit.inputs.push_back(arguments.character);
    outfit.inputs.push_back(rig.character.file);
    outfit.inputs.push_back(arguments.sheet);
    check_not_input(arguments.out, outfit.inputs);
    const io::OutputFile file{arguments.out, outfit.glb()};
    io::write_files({&file, 1});
    outfit.report.mounted = io::mounted_props(arguments.out);
    return tell(arguments, outfit.report);
}

}  // namespace dendraxis::tool
