#include <dendraxis/io/props.hpp>

#include "json_text.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

namespace dendraxis::io {
namespace {

constexpr float k_grown = 1e-3f;

// The most that a clip scales a socket's bone by, as a factor above or below 1.
float most_scale(const SocketBinding& sockets, std::size_t socket, const Character& character,
                 const Clip& clip) {
    std::vector<Transform> model(character.skeleton.size());
    float most = 0.0f;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        to_model_space(character.skeleton, clip.frame(f), model);
        most = std::max(most, (sockets.frame(socket, model).scale - Vec3::Ones()).cwiseAbs().maxCoeff());
    }
    return most;
}

}  // namespace

Findings check_mounts(const Character& character, const Chart& chart, const SocketBinding& sockets,
                      std::span<const PropMount> mounts) {
    Findings findings;
    std::vector<std::string> taken;
    for (const MountedProp& one : mounted_props(character.file)) taken.push_back(one.socket);
    for (const PropMount& one : mounts) {
        const Socket& socket = sockets.sockets()[one.socket];
        const std::string where = one.prop->name + "@" + socket.name;
        for (Finding& finding : check_prop(*one.prop, one.fit, socket, chart))
            findings.push_back(std::move(finding));
        if (std::find(taken.begin(), taken.end(), socket.name) != taken.end())
            findings.push_back({Severity::warning, "socket.two-things", where,
                                "another thing is in this socket already",
                                "take it off, or use another socket"});
        taken.push_back(socket.name);
        for (const Clip& clip : character.clips) {
            const float most = most_scale(sockets, one.socket, character, clip);
            if (most < k_grown) continue;
            findings.push_back(
                {Severity::warning, "prop.scaled-by-bone", where,
                 fmt::format("the clip '{}' scales its bone by up to {:.1f} %, and the prop with it",
                             clip.name, 100.0f * most),
                 "mount it on a bone that is not scaled"});
        }
    }
    return findings;
}

std::string mounted_json(std::span<const MountedProp> mounted, const Findings& findings) {
    Json list = Json::array();
    for (const MountedProp& one : mounted) list.push_back({{"prop", one.prop}, {"socket", one.socket}});
    return text_of({{"props", list}, {"findings", json_of(findings)}});
}

}  // namespace dendraxis::io
