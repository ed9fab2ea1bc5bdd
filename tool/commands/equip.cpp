#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/open_rig.hpp"
#include "../support/outputs.hpp"
#include "../support/page.hpp"
#include "../support/print.hpp"

#include "outfit.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/socket_sheet.hpp>
#include <dendraxis/io/sheet/windows.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

#include <algorithm>

namespace dendraxis::tool {
namespace {

Json or_null(const std::optional<float>& share) {
    return share ? Json(rounded(*share)) : Json();
}

Json equip_json(const EquipReport& report) {
    Json props = Json::array();
    for (const io::MountedProp& one : report.mounted) {
        if (!one.socket.empty()) props.push_back({{"prop", one.prop}, {"socket", one.socket}});
    }
    Json document{{"props", props}};
    for (const EquipReport::Piece& one : report.pieces)
        document["pieces"].push_back({{"piece", one.piece},
                                      {"part", one.part},
                                      {"bone", one.bone},
                                      {"covered", one.covered},
                                      {"through_at_rest", rounded(one.through_at_rest)},
                                      {"through_in_clips", or_null(one.through_in_clips)},
                                      {"covered_in_clips", or_null(one.covered_in_clips)}});
    for (const EquipReport::Change& one : report.changes)
        document["changes"].push_back({{"prop", one.prop},
                                       {"clip", one.clip},
                                       {"frame", rounded(one.frame)},
                                       {"socket", one.socket},
                                       {"over", rounded(one.over)},
                                       {"jump", rounded(one.jump)}});
    for (const EquipReport::Fall& one : report.falls)
        document["falls"].push_back({{"prop", one.prop},
                                     {"clip", one.clip},
                                     {"frame", one.frame},
                                     {"speed", rounded(one.speed)},
                                     {"ends", json_of(one.ends)},
                                     {"lies", one.lies}});
    document["findings"] = json_of(report.findings);
    return document;
}

// One line a prop, with all its places; pieces have a table of their own.
void print_props(const EquipReport& report) {
    std::vector<std::pair<std::string, std::string>> lines;
    for (const io::MountedProp& one : report.mounted) {
        const bool is_piece =
            std::any_of(report.pieces.begin(), report.pieces.end(),
                        [&](const EquipReport::Piece& piece) { return piece.piece == one.prop; });
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

int tell(const EquipArguments& arguments, const EquipReport& report) {
    if (arguments.json) {
        print_json(equip_json(report));
        return k_done;
    }
    fmt::print("{}\n", bold(io::character_name(arguments.character)));
    if (report.mounted.empty()) fmt::print("  no props\n");
    print_props(report);
    if (!report.pieces.empty())
        fmt::print("\n  {}\n",
                   bold(fmt::format("{:<16} {:<16} {:<18} {:>7} {:>13} {:>11} {:>14}", "piece", "part",
                                    "welded to", "covers", "through, rest", "all clips", "still covered")));
    const auto percent = [](const std::optional<float>& share, int digits) {
        return share ? fmt::format("{:.{}f} %", 100.0f * *share, digits) : "-";
    };
    for (const EquipReport::Piece& one : report.pieces)
        fmt::print("  {:<16} {:<16} {:<18} {:>7} {:>13} {:>11} {:>14}\n", one.piece, one.part, one.bone,
                   one.covered, percent(one.through_at_rest, 1), percent(one.through_in_clips, 1),
                   percent(one.covered_in_clips, 0));
    for (const EquipReport::Change& one : report.changes)
        fmt::print("  {}: in {}, frame {:g}, to {}: {}\n", one.prop, one.clip, one.frame, one.socket,
                   one.over > 0.0f ? fmt::format("glides there in {:g} frames", one.over)
                                   : fmt::format("jumps {:.2f} m", one.jump));
    for (const EquipReport::Fall& one : report.falls)
        fmt::print("  {}: let go in {}, frame {}, at {:.2f} m/s; at the end {} {:.2f}, {:.2f}, {:.2f}\n",
                   one.prop, one.clip, one.frame, one.speed, one.lies ? "it lies at" : "it still moves, at",
                   one.ends.x(), one.ends.y(), one.ends.z());
    print_findings(report.findings);
    if (!arguments.out.empty()) fmt::print("\nwrote {}\n", arguments.out.string());
    tell_of_page(arguments.page);
    return k_done;
}

int take_off(const EquipArguments& arguments) {
    if (arguments.out.empty()) throw UsageError("--take: say where to write with -o OUT.glb");
    check_not_input(arguments.out, {arguments.character});
    const io::OutputFile file{arguments.out, io::glb_without_props(arguments.character, arguments.take)};
    io::write_files({&file, 1});
    return tell(arguments, {io::mounted_props(arguments.out), {}, {}, {}, {}});
}

ClipEvents events_of(const EquipReport& report) {
    ClipEvents events;
    for (const EquipReport::Change& one : report.changes)
        events[one.clip].push_back(
            {fmt::format("{} goes to {}", one.prop, one.socket), one.frame, one.frame + one.over});
    for (const EquipReport::Fall& one : report.falls) {
        const auto frame = static_cast<float>(one.frame);
        events[one.clip].push_back({one.prop + " is let go", frame, frame});
    }
    return events;
}

void write_equip_page(const EquipArguments& arguments, const io::Rig& rig, const EquipReport& report) {
    const Character dressed = io::load_character(arguments.out);
    Findings ignored;
    const page::Actor actor{&dressed, &rig.chart, "",
                            page::outlines_of(io::sockets_of(rig, ignored), rig.chart)};
    ClipEvents events = events_of(report);
    add_windows(events, io::read_windows(rig), dressed.clips);
    write_character_page(arguments.page, actor, dressed.clips, report.findings,
                         "dendraxis equip " + arguments.character.string(), events);
}

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

    const io::Rig rig = open_rig(arguments.character, arguments.sheet);
    Outfit outfit(arguments, rig);
    outfit.inputs.push_back(arguments.character);
    outfit.inputs.push_back(rig.character.file);
    outfit.inputs.push_back(arguments.sheet);
    check_not_input(arguments.out, outfit.inputs);
    outfit.inputs.push_back(arguments.out);
    check_page(arguments.page, outfit.inputs);
    const io::OutputFile file{arguments.out, outfit.glb()};
    io::write_files({&file, 1});
    outfit.report.mounted = io::mounted_props(arguments.out);
    if (!arguments.page.empty()) write_equip_page(arguments, rig, outfit.report);
    return tell(arguments, outfit.report);
}

void add_equip(CommandLine& line) {
    auto arguments = std::make_shared<EquipArguments>();
    CLI::App* c = line.add(
        "equip",
        "Mount props at sockets and fit clothing, as plain nodes that any viewer shows; take them off",
        "equip hero.glb --put lamp.glb@hand.left --put cap.glb@head,scale=1.1 -o hero-equipped.glb",
        arguments, run_equip);
    add_file(c, "CHARACTER", arguments->character, "the character's file, or its sheet");
    c->add_option("--sheet", arguments->sheet,
                  "the sheet whose sockets count; suggested ones without a sheet")
        ->option_text("FILE");
    c->add_option(
         "--put", arguments->put_words,
         "a prop (any glTF) and the socket that takes it; several places of one thing: "
         "SOCKET+SOCKET; behind commas: scale=N, grip=NAME, second=SOCKET (the other hand comes to "
         "its grip.second), in=CLIP+CLIP (only in these), closed (fingers close around it in all clips; "
         "closed=0.7: as far), mirrored")
        ->option_text("FILE@SOCKET[,...] ...");
    c->add_option("--switch", arguments->switch_words,
                  "where a thing with several places goes at a frame of a clip; at once, or gliding there: "
                  ",over=FRAMES")
        ->option_text("CLIP:FRAME=NAME@SOCKET ...");
    c->add_option("--let-go", arguments->let_go_words,
                  "let a thing go at a frame of a clip: from there on it falls, and follows no more")
        ->option_text("CLIP:FRAME=NAME ...");
    c->add_option("--push", arguments->push_words,
                  "an impulse on a thing as it is let go: N s to the character's left, up, forward")
        ->option_text("NAME=X,Y,Z ...");
    c->add_option("--terrain", arguments->terrain, "what it falls onto (.glb); default: a level floor")
        ->option_text("FILE");
    c->add_option(
         "--fit", arguments->fit_words,
         "a piece of clothing and the part of the body that it covers; #NODE: one node of the file; "
         "without @PART all nodes that are named like parts; behind commas: scale=N, at=SHARE of the "
         "part's length, mirrored, both-sides (and mirrored on the other)")
        ->option_text("FILE[#NODE][@PART][,...] ...");
    c->add_option("--take", arguments->take, "props to take off again, by name")->option_text("NAME ...");
    c->add_flag("--take-all", arguments->take_all, "take all props off");
    add_page_option(c, arguments->page,
                    "write a page that shows what is mounted in rest and clips, and the sockets");
    c->add_option("-o,--out", arguments->out, "the file to write (.glb); without it, lists what is mounted")
        ->option_text("FILE");
}

const Registration k_equip(140, add_equip);

}  // namespace
}  // namespace dendraxis::tool
