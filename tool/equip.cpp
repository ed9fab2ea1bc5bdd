#include "commands.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/io/gltf.hpp>
#include <dendraxis/io/props.hpp>
#include <dendraxis/io/socket_sheet.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

#include <charconv>
#include <map>

namespace dendraxis::tool {
namespace {

struct Put {
    fs::path file;
    std::string socket;
    PropFit fit;
};

Put read_put(const std::string& words) {
    const std::size_t at = words.rfind('@');
    if (at == std::string::npos || at == 0 || at + 1 == words.size())
        throw UsageError("--put " + words + ": give a file and a socket, as in lantern.glb@hand.left");
    Put put{words.substr(0, at), {}, {}};
    std::string rest = words.substr(at + 1);
    std::vector<std::string> parts;
    for (std::size_t comma = 0; comma != std::string::npos;) {
        comma = rest.find(',');
        parts.push_back(rest.substr(0, comma));
        if (comma != std::string::npos) rest = rest.substr(comma + 1);
    }
    put.socket = parts.front();
    for (std::size_t i = 1; i < parts.size(); ++i) {
        const std::string& part = parts[i];
        if (part == "mirrored") {
            put.fit.mirrored = true;
        } else if (part.starts_with("grip=")) {
            put.fit.grip = part.substr(5);
        } else if (part.starts_with("scale=")) {
            const char* end = part.data() + part.size();
            const auto [next, problem] = std::from_chars(part.data() + 6, end, put.fit.scale);
            if (problem != std::errc() || next != end || !(put.fit.scale > 0.0f))
                throw UsageError("--put " + words + ": the scale must be a number above 0");
        } else {
            throw UsageError("--put " + words + ": '" + part + "' is none of scale=N, grip=NAME, mirrored");
        }
    }
    return put;
}

std::size_t socket_index(std::span<const Socket> sockets, const std::string& name) {
    std::vector<std::string> names;
    for (std::size_t i = 0; i < sockets.size(); ++i) {
        if (sockets[i].name == name) return i;
        names.push_back(sockets[i].name);
    }
    const std::string nearest = nearest_name(name, names);
    throw UsageError("--put: there is no socket '" + name + "'; " +
                     (nearest.empty() ? "see `dendraxis socket list`" : "did you mean '" + nearest + "'?"));
}

int tell(const EquipArguments& arguments, const std::vector<io::MountedProp>& mounted,
         const Findings& findings) {
    if (arguments.json) {
        fmt::print("{}", io::mounted_json(mounted, findings));
        return k_done;
    }
    fmt::print("{}: {} prop{}\n", bold(arguments.character.stem().string()), mounted.size(),
               mounted.size() == 1 ? "" : "s");
    for (const io::MountedProp& one : mounted) fmt::print("  {:<18} {}\n", one.prop, one.socket);
    print_findings(findings);
    if (!arguments.out.empty()) fmt::print("\nwrote {}\n", arguments.out.string());
    return k_done;
}

int take_off(const EquipArguments& arguments) {
    if (arguments.out.empty()) throw UsageError("--take: say where to write with -o OUT.glb");
    check_not_input(arguments.out, {arguments.character});
    const io::OutputFile file{arguments.out, io::glb_without_props(arguments.character, arguments.take)};
    io::write_files({&file, 1});
    return tell(arguments, io::mounted_props(arguments.out), {});
}

}  // namespace

int run_equip(const EquipArguments& arguments) {
    const bool takes = arguments.take_all || !arguments.take.empty();
    if (takes && !arguments.put_words.empty())
        throw UsageError("--put and --take: one after the other, please");
    if (takes) return take_off(arguments);
    if (arguments.put_words.empty()) {
        if (!arguments.out.empty()) throw UsageError("nothing to mount: give --put FILE@SOCKET");
        return tell(arguments, io::mounted_props(io::load_rig(arguments.character).character.file), {});
    }
    if (arguments.out.empty()) throw UsageError("--put: say where to write with -o OUT.glb");

    const io::Rig rig = arguments.sheet.empty() ? io::load_rig(arguments.character)
                                                : io::rechart(arguments.sheet, arguments.character);
    Findings findings;
    const SocketBinding sockets(
        io::sockets_of(arguments.sheet.empty() ? arguments.character : arguments.sheet, rig, findings),
        rig.chart);
    std::map<std::string, Prop> props;
    std::vector<io::PropMount> mounts;
    std::vector<fs::path> inputs{rig.character.file, arguments.sheet};
    for (const std::string& words : arguments.put_words) {
        const Put put = read_put(words);
        if (!props.contains(put.file.string())) props[put.file.string()] = io::load_prop(put.file);
        mounts.push_back({&props[put.file.string()], socket_index(sockets.sockets(), put.socket), put.fit});
        inputs.push_back(put.file);
    }
    check_not_input(arguments.out, inputs);
    for (Finding& finding : io::check_mounts(rig.character, rig.chart, sockets, mounts))
        findings.push_back(std::move(finding));
    const io::OutputFile file{arguments.out, io::glb_with_props(rig.character, sockets, mounts)};
    io::write_files({&file, 1});
    return tell(arguments, io::mounted_props(arguments.out), findings);
}

}  // namespace dendraxis::tool
