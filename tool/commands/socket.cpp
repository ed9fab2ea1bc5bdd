#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/open_rig.hpp"
#include "../support/outputs.hpp"
#include "../support/positions.hpp"
#include "../support/print.hpp"

#include <io/sheet/sheet_parts.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/bring_sockets.hpp>
#include <dendraxis/io/sheet/socket_sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

#include <algorithm>

namespace dendraxis::tool {
namespace {

/// `socket list`, `add`, `move`, `mirror`, `bring` and `remove`.
struct SocketArguments {
    fs::path character;
    fs::path sheet;
    fs::path from;
    std::vector<std::string> names;
    std::string bone;
    std::string kind;
    std::string at_words;
    std::string turn_words;
    bool suggest = false;
    bool as_it_was = false;
    fs::path out;
    bool json = false;
};

struct Opened {
    io::Rig rig;
    std::vector<Socket> sockets;
    Findings findings;
};

// A socket whose bone is gone stays in the sheet's text only until the sheet is written: a finding lists it.
Opened open(const fs::path& character, const fs::path& sheet) {
    Opened opened{open_rig(character, sheet), {}, {}};
    opened.sockets = io::sockets_of(opened.rig, opened.findings);
    return opened;
}

std::size_t index_of(const std::vector<Socket>& sockets, const std::string& name) {
    const auto found =
        std::find_if(sockets.begin(), sockets.end(), [&](const Socket& s) { return s.name == name; });
    if (found != sockets.end()) return static_cast<std::size_t>(found - sockets.begin());
    std::vector<std::string> names;
    for (const Socket& socket : sockets) names.push_back(socket.name);
    throw UsageError("there is no socket '" + name + "'; " +
                     did_you_mean(name, names, "see `dendraxis socket list`"));
}

void put(std::vector<Socket>& sockets, Socket socket) {
    const auto same =
        std::find_if(sockets.begin(), sockets.end(), [&](const Socket& s) { return s.name == socket.name; });
    if (same == sockets.end())
        sockets.push_back(std::move(socket));
    else
        *same = std::move(socket);
}

void set_values(Socket& socket, const SocketArguments& arguments, const Skeleton& skeleton) {
    if (!arguments.bone.empty()) {
        socket.bone = skeleton.find(arguments.bone);
        if (socket.bone == k_no_bone) {
            std::vector<std::string> names;
            for (const Bone& bone : skeleton.bones()) names.push_back(bone.label);
            throw UsageError("--bone: there is no bone '" + arguments.bone + "'; " +
                             did_you_mean(arguments.bone, names, "see `dendraxis survey`"));
        }
    }
    if (!arguments.kind.empty()) socket.kind = *socket_kind(arguments.kind);
    if (!arguments.at_words.empty()) socket.at = Vec3(plain_position(arguments.at_words, "--at").data());
    if (!arguments.turn_words.empty()) {
        const Vec3 turn = Vec3(plain_position(arguments.turn_words, "--turn").data()) / k_degrees;
        socket.turn = Quat(Eigen::AngleAxisf(turn.norm(), turn.stableNormalized()));
    }
}

int finish(Opened& opened, const SocketArguments& arguments) {
    const Chart& chart = opened.rig.chart;
    for (Finding& finding : check_sockets(opened.sockets, chart))
        opened.findings.push_back(std::move(finding));
    if (!arguments.out.empty()) {
        check_sheet_place(arguments.out, opened.rig.character.file);
        io::set_sockets(opened.rig.sheet, opened.sockets, chart.skeleton);
        io::write_text(arguments.out,
                       io::sheet_json(chart, fs::absolute(arguments.out).parent_path(), opened.rig.sheet));
    }
    if (arguments.json) {
        print_json({{"sockets", io::sockets_part(opened.sockets, chart.skeleton)},
                    {"findings", json_of(opened.findings)}});
        return k_done;
    }
    fmt::print("{}: {} sockets\n\n", bold(opened.rig.character.name), opened.sockets.size());
    fmt::print("  {}\n", bold(fmt::format("{:<14} {:<8} {:<20} {:>24}   {}", "socket", "kind", "bone",
                                          "left, up, forward, m", "turn, degrees")));
    for (const Socket& socket : opened.sockets) {
        const Vec3 turn = rotation_vector(socket.turn) * k_degrees;
        fmt::print("  {:<14} {:<8} {:<20} {:>8.3f}{:>8.3f}{:>8.3f}   {:.0f}, {:.0f}, {:.0f}\n", socket.name,
                   to_string(socket.kind), chart.skeleton.bone(socket.bone).label, socket.at.x(),
                   socket.at.y(), socket.at.z(), turn.x(), turn.y(), turn.z());
    }
    print_findings(opened.findings);
    if (!arguments.out.empty()) fmt::print("\nwrote {}\n", arguments.out.string());
    return k_done;
}

int run_socket_list(const SocketArguments& arguments) {
    Opened opened = open(arguments.character, arguments.sheet);
    if (arguments.suggest) {
        opened.sockets = suggested_sockets(opened.rig.character, opened.rig.chart);
        opened.findings.clear();
    }
    return finish(opened, arguments);
}

int run_socket_move(const SocketArguments& arguments) {
    Opened opened = open(arguments.character, arguments.sheet);
    Socket socket = opened.sockets[index_of(opened.sockets, arguments.names.front())];
    set_values(socket, arguments, opened.rig.chart.skeleton);
    put(opened.sockets, socket);
    return finish(opened, arguments);
}

int run_socket_add(const SocketArguments& arguments) {
    Opened opened = open(arguments.character, arguments.sheet);
    Socket socket;
    socket.name = arguments.names.front();
    if (find_socket(opened.sockets, socket.name) != nullptr)
        throw UsageError("there is a socket '" + socket.name + "' already; use `dendraxis socket move`");
    if (arguments.bone.empty()) throw UsageError("--bone: say which bone carries it");
    set_values(socket, arguments, opened.rig.chart.skeleton);
    put(opened.sockets, socket);
    return finish(opened, arguments);
}

int run_socket_remove(const SocketArguments& arguments) {
    Opened opened = open(arguments.character, arguments.sheet);
    for (const std::string& name : arguments.names)
        opened.sockets.erase(opened.sockets.begin() +
                             static_cast<std::ptrdiff_t>(index_of(opened.sockets, name)));
    return finish(opened, arguments);
}

int run_socket_mirror(const SocketArguments& arguments) {
    Opened opened = open(arguments.character, arguments.sheet);
    for (const std::string& name : arguments.names)
        put(opened.sockets,
            mirrored_socket(opened.sockets[index_of(opened.sockets, name)], opened.rig.chart));
    return finish(opened, arguments);
}

int run_socket_bring(const SocketArguments& arguments) {
    const Opened source = open(arguments.from, {});
    Opened opened = open(arguments.character, arguments.sheet);
    std::vector<Socket> chosen;
    for (const std::string& name : arguments.names)
        chosen.push_back(source.sockets[index_of(source.sockets, name)]);
    const BroughtSockets brought =
        bring_sockets(arguments.names.empty() ? source.sockets : chosen, source.rig.character,
                      source.rig.chart, opened.rig.character, opened.rig.chart,
                      arguments.as_it_was ? SocketPlacing::as_it_was : SocketPlacing::in_proportion);
    for (const Socket& socket : brought.sockets) put(opened.sockets, socket);
    opened.findings.insert(opened.findings.end(), brought.findings.begin(), brought.findings.end());
    return finish(opened, arguments);
}

void add_socket(CommandLine& line) {
    line.add_group(
        "socket",
        "List, place and mirror sockets, or bring them from another character: where things are mounted");
    auto arguments = std::make_shared<SocketArguments>();
    const auto add = [&](const char* name, const char* what, const char* example,
                         int (*run)(const SocketArguments&)) {
        CLI::App* command = line.add_to("socket", name, what, example, arguments, run);
        add_file(command, "CHARACTER", arguments->character, "the character's file, or its sheet");
        command->add_option("--sheet", arguments->sheet, "the sheet, where CHARACTER is a character's file")
            ->option_text("FILE");
        command->add_option("-o,--out", arguments->out, "the sheet to write (.rig.json)")
            ->option_text("FILE");
        return command;
    };
    const auto name_sockets = [&](CLI::App* command, bool several) {
        CLI::Option* names = command->add_option("SOCKET", arguments->names, "the socket's name")->required();
        if (several)
            names->option_text("NAME ... REQUIRED");
        else
            names->expected(1)->option_text("NAME REQUIRED");
    };
    const auto values = [&](CLI::App* command) {
        name_sockets(command, false);
        command->add_option("--bone", arguments->bone, "the bone that carries it")->option_text("NAME");
        command->add_option("--kind", arguments->kind, "what it is for")
            ->check(CLI::IsMember({"grip", "holster", "seat", "worn"}));
        command
            ->add_option("--at", arguments->at_words,
                         "metres to the character's left, up and forward from the bone's head, at rest")
            ->option_text("X,Y,Z");
        command
            ->add_option("--turn", arguments->turn_words,
                         "how it is turned at rest: degrees about the character's left, up and forward, as "
                         "one rotation vector")
            ->option_text("X,Y,Z");
    };

    CLI::App* c = add("list", "List the sockets of a sheet, or without a sheet the suggested ones",
                      "socket list hero.glb -o hero.rig.json", run_socket_list);
    c->add_flag("--suggest", arguments->suggest, "discard the sockets in the sheet and suggest new ones");
    values(add("add", "Add a socket",
               "socket add hero.rig.json ladle --bone hips --kind holster --at 0.1,0,0.05 -o hero.rig.json",
               run_socket_add));
    values(add("move", "Change a socket's bone, kind, position or rotation",
               "socket move hero.rig.json back --at 0,0.1,-0.2 -o hero.rig.json", run_socket_move));
    name_sockets(add("mirror", "Make the same socket on the other side",
                     "socket mirror hero.rig.json hand.left -o hero.rig.json", run_socket_mirror),
                 true);
    name_sockets(add("remove", "Take sockets out", "socket remove hero.rig.json back -o hero.rig.json",
                     run_socket_remove),
                 true);
    c = add("bring",
            "Bring sockets from another character: to the bones of the same names, else by the charts",
            "socket bring guest.glb --from hero.rig.json -o guest.rig.json", run_socket_bring);
    add_file(c, "--from", arguments->from, "the character that has the sockets, or its sheet");
    c->add_option("SOCKET", arguments->names, "only these; default: all")->option_text("NAME ...");
    c->add_flag("--as-it-was", arguments->as_it_was,
                "same metres and turn along the bone's own axes, instead of in proportion to the limb");
}

const Registration k_socket(130, add_socket);

}  // namespace
}  // namespace dendraxis::tool
