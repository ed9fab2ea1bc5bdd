#include <dendraxis/equip/mount.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis {
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
                      std::span<const PropMount> mounts, std::span<const CarriedProp> carried,
                      std::span<const std::string> taken) {
    std::vector<Socket> used;
    const auto use = [&](std::size_t socket) {
        const Socket& one = sockets.sockets()[socket];
        if (find_socket(used, one.name) == nullptr) used.push_back(one);
    };
    for (const PropMount& one : mounts) use(one.socket);
    for (const CarriedProp& one : carried) std::for_each(one.sockets.begin(), one.sockets.end(), use);
    Findings findings = check_sockets(used, chart);
    std::vector<std::string> full(taken.begin(), taken.end());
    const auto check = [&](const PropMount& one) {
        const Socket& socket = sockets.sockets()[one.socket];
        const std::string where = one.prop->name + "@" + socket.name;
        if (!one.fit.grip.empty()) {  // a piece of clothing has its own checks
            for (Finding& finding : check_prop(*one.prop, one.fit, socket, chart))
                findings.push_back(std::move(finding));
        }
        if (std::find(full.begin(), full.end(), socket.name) != full.end())
            findings.push_back({Severity::warning, "socket.two-things", where,
                                "another thing is in this socket already",
                                "take it off, or use another socket"});
        full.push_back(socket.name);
        for (const Clip& clip : character.clips) {
            const float most = most_scale(sockets, one.socket, character, clip);
            if (most < k_grown) continue;
            findings.push_back(
                {Severity::warning, "prop.scaled-by-bone", where,
                 fmt::format("the clip '{}' scales its bone by up to {:.1f} %, and the prop with it",
                             clip.name, 100.0f * most),
                 "mount it on a bone that is not scaled"});
        }
    };
    for (const PropMount& one : mounts) check(one);
    for (const CarriedProp& one : carried) {
        for (const std::size_t socket : one.sockets) check({one.prop, socket, one.fit});
    }
    return findings;
}

}  // namespace dendraxis
