#include <dendraxis/io/sheet/socket_sheet.hpp>

#include "../json/json_text.hpp"
#include "sheet_parts.hpp"

#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/bring_sockets.hpp>

#include <fmt/format.h>

namespace dendraxis::io {
namespace {

Finding gone(const std::string& socket, const std::string& bone, const Skeleton& skeleton) {
    std::vector<std::string> names;
    for (const Bone& known : skeleton.bones()) names.push_back(known.label);
    return {Severity::warning, "socket.no-bone", socket,
            "its bone '" + bone + "' is not in the character; the socket is left out",
            did_you_mean(bone, names, "put it on another bone: socket add")};
}

}  // namespace

Json sockets_part(std::span<const Socket> sockets, const Skeleton& skeleton) {
    Json list = Json::array();
    for (const Socket& socket : sockets)
        list.push_back({{"name", socket.name},
                        {"bone", bone_json(skeleton, socket.bone)},
                        {"kind", to_string(socket.kind)},
                        {"at", json_of(socket.at)},
                        {"turn", json_of(rotation_vector(socket.turn) * k_degrees)}});
    return list;
}

std::optional<std::vector<Socket>> read_sockets(const Rig& rig, Findings& findings) {
    if (!holds(rig.sheet, "sockets")) return std::nullopt;
    const JsonDocument& document = *rig.sheet.document;
    std::vector<Socket> sockets;
    const Json& list = document.json["sockets"];
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Json& entry = list[i];
        Socket socket;
        socket.name = entry["name"].get<std::string>();
        if (find_socket(sockets, socket.name) != nullptr)
            document.fail("two sockets have the name '" + socket.name + "'",
                          fmt::format("/sockets/{}/name", i), "rename one");
        const std::string bone = entry["bone"].get<std::string>();
        socket.bone = rig.chart.skeleton.find(bone);
        if (socket.bone == k_no_bone) {
            findings.push_back(gone(socket.name, bone, rig.chart.skeleton));
            continue;
        }
        socket.kind = socket_kind(entry["kind"].get<std::string>()).value_or(SocketKind::grip);
        if (entry.contains("at")) socket.at = vector_of(entry["at"]);
        if (entry.contains("turn")) socket.turn = turn_of(entry["turn"]);
        sockets.push_back(std::move(socket));
    }
    return sockets;
}

std::vector<Socket> sockets_of(const Rig& rig, Findings& findings) {
    if (auto sockets = read_sockets(rig, findings)) return *std::move(sockets);
    return suggested_sockets(rig.character, rig.chart);
}

void set_sockets(RigSheet& sheet, std::span<const Socket> sockets, const Skeleton& skeleton) {
    put(sheet, "sockets", sockets_part(sockets, skeleton));
}

}  // namespace dendraxis::io
