#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/socket.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace dendraxis {
namespace {

constexpr std::array<std::string_view, 4> k_kinds{"grip", "holster", "seat", "worn"};
constexpr float k_uneven = 1e-3f;

// The bone in the same place of the other side's chain; the bone itself where it stands in the middle.
int counterpart(const Chart& chart, int bone) {
    for (const Chain& chain : chart.chains) {
        const auto found = std::find(chain.bones.begin(), chain.bones.end(), bone);
        if (found == chain.bones.end()) continue;
        const std::string name = other_side(chain.name);
        if (name == chain.name) return bone;
        const Chain* other = chart.find(name);
        const auto index = static_cast<std::size_t>(found - chain.bones.begin());
        return other != nullptr && index < other->bones.size() ? other->bones[index] : k_no_bone;
    }
    return bone == chart.hips || bone == chart.root ? bone : k_no_bone;
}

}  // namespace

std::string other_side(std::string name) {
    for (const auto& [from, to] : {std::pair<std::string, std::string>{"left", "right"}, {"right", "left"}}) {
        const auto at = name.find(from);
        if (at == std::string::npos) continue;
        return name.replace(at, from.size(), to);
    }
    return name;
}

std::string_view to_string(SocketKind kind) noexcept {
    return k_kinds[static_cast<std::size_t>(kind)];
}

std::optional<SocketKind> socket_kind(std::string_view word) noexcept {
    const auto found = std::find(k_kinds.begin(), k_kinds.end(), word);
    if (found == k_kinds.end()) return std::nullopt;
    return static_cast<SocketKind>(found - k_kinds.begin());
}

const Socket* find_socket(std::span<const Socket> sockets, std::string_view name) noexcept {
    const auto found =
        std::find_if(sockets.begin(), sockets.end(), [&](const Socket& s) { return s.name == name; });
    return found == sockets.end() ? nullptr : &*found;
}

Socket mirrored_socket(const Socket& socket, const Chart& chart) {
    Socket result = socket;
    result.name = other_side(socket.name);
    result.bone = counterpart(chart, socket.bone);
    if (result.bone == k_no_bone)
        throw Error("socket " + socket.name, "its bone has no counterpart on the other side",
                    "bone " + chart.skeleton.bone(socket.bone).label, "add it there by hand: socket add");
    result.at.x() = -socket.at.x();
    // Mirrored across the middle: the axes' own directions, and the third one turned back to be right-handed.
    const Quat& q = socket.turn;
    result.turn = Quat(q.w(), q.x(), -q.y(), -q.z());
    if (socket.kind == SocketKind::grip && result.bone != socket.bone)
        result.turn = result.turn * Quat(Eigen::AngleAxisf(k_pi, Vec3::UnitY()));
    return result;
}

Findings check_sockets(std::span<const Socket> sockets, const Chart& chart) {
    Findings findings;
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    for (std::size_t i = 0; i < sockets.size(); ++i) {
        const Socket& socket = sockets[i];
        const auto add = [&](Severity severity, const char* code, std::string message, std::string advice) {
            findings.push_back({severity, code, socket.name, std::move(message), std::move(advice)});
        };
        if (find_socket(sockets.first(i), socket.name) != nullptr)
            add(Severity::fault, "socket.name-twice", "two sockets have this name", "rename one of them");
        if (socket.bone < 0 || socket.bone >= static_cast<int>(chart.skeleton.size())) {
            add(Severity::fault, "socket.no-bone", "its bone is not there",
                "move it to another bone: socket move");
            continue;
        }
        if (socket.at.norm() > chart.height)
            add(Severity::warning, "socket.far-off",
                fmt::format("it is {:.2f} m from its bone, more than the character is tall",
                            socket.at.norm()),
                "check its position; it is in metres");
        if (rest[static_cast<std::size_t>(socket.bone)].scale.prod() < 0.0f)
            add(Severity::warning, "socket.mirrored-bone",
                fmt::format("its bone '{}' stands below a negative scale; what is mounted there comes out "
                            "mirrored, and not where it should be",
                            chart.skeleton.bone(socket.bone).label),
                "apply the negative scale where the character was made, or use a bone that is not mirrored");
        const Vec3 scale = rest[static_cast<std::size_t>(socket.bone)].scale.cwiseAbs();
        if (scale.maxCoeff() > scale.minCoeff() * (1.0f + k_uneven))
            add(Severity::warning, "socket.uneven-scale",
                fmt::format("its bone '{}' is scaled unevenly; what is mounted there is sheared as it turns",
                            chart.skeleton.bone(socket.bone).label),
                "use another bone, or take the scale out of the skeleton");
    }
    return findings;
}

void require_sound(std::span<const Socket> sockets, const Chart& chart) {
    for (std::size_t i = 0; i < sockets.size(); ++i) {
        const Socket& socket = sockets[i];
        const std::string subject = "socket " + (socket.name.empty() ? fmt::format("{}", i) : socket.name);
        if (socket.name.empty()) throw Error(subject, "has no name", "", "give it one");
        if (find_socket(sockets.first(i), socket.name) != nullptr)
            throw Error(subject, "stands twice", "", "rename one of the two");
        if (socket.bone < 0 || socket.bone >= static_cast<int>(chart.skeleton.size()))
            throw Error(subject, "is on a bone that does not exist", "", "name one of the character's");
        if (!socket.at.allFinite() || !(std::abs(socket.turn.norm() - 1.0f) < 1e-2f))
            throw Error(subject, "its position or rotation is not a number", "", "write plain numbers");
    }
}

SocketBinding::SocketBinding(std::vector<Socket> sockets, const Chart& chart) : sockets_(std::move(sockets)) {
    require_sound(sockets_, chart);
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    const Quat to_model = chart.to_upright().conjugate();
    for (const Socket& socket : sockets_) {
        const Transform& bone = rest[static_cast<std::size_t>(socket.bone)];
        const Quat to_bone = bone.rotation.conjugate() * to_model;
        const Vec3 scale = bone.scale.cwiseAbs().cwiseMax(1e-9f);
        in_bone_.push_back({(to_bone * socket.turn).normalized(), to_bone * socket.at, scale.cwiseInverse()});
    }
}

Transform SocketBinding::frame(std::size_t socket, std::span<const Transform> model) const noexcept {
    const Transform& own = in_bone_[socket];
    const Transform& bone = model[static_cast<std::size_t>(sockets_[socket].bone)];
    const Vec3 grown = bone.scale.cwiseAbs().cwiseProduct(own.scale);
    return {bone.rotation * own.rotation,
            bone.translation + bone.rotation * grown.cwiseProduct(own.translation), grown};
}

}  // namespace dendraxis
