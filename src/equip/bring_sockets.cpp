// Own method: body segments told alike for all characters (segments.hpp) carry the positions.
#include <dendraxis/equip/bring_sockets.hpp>

#include "segments.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

using detail::BodySegment;
using detail::BodySegments;
using detail::thumb_direction;

float ratio(float target, float source) {
    return source > 1e-6f ? std::clamp(target / source, 0.05f, 20.0f) : 1.0f;
}

// The axes that a segment shares with its counterpart: hands by their thumbs, where both have one.
Quat axes_of(const Chart& chart, const BodySegment& segment, bool by_thumb) {
    if (!by_thumb) return segment.turn;
    const Vec3 direction = segment.along.normalized();
    const Vec3 thumb = thumb_direction(chart, segment);
    Eigen::Matrix3f axes;
    axes.col(0) = direction;
    axes.col(1) = thumb.cross(direction);
    axes.col(2) = thumb;
    if (segment.chain->side() == Side::right) axes.leftCols(2) *= -1.0f;
    return Quat(axes).normalized();
}

bool is_hand(const BodySegment& segment) {
    return segment.chain->role() == ChainRole::arm && segment.index + 1 == segment.chain->bones.size();
}

class Copier {
 public:
    Copier(const Character& source, const Chart& source_chart, const Character& target,
           const Chart& target_chart, SocketPlacing placing)
        : source_(source_chart),
          target_(target_chart),
          pairing_(pair(source_chart, target_chart)),
          from_(source, source_chart),
          to_(target, target_chart),
          source_rest_(rest_in_model_space(source_chart.skeleton)),
          target_rest_(rest_in_model_space(target_chart.skeleton)),
          placing_(placing) {}

    std::optional<Socket> copy(const Socket& original) const {
        const Socket socket = on_hand(original);
        Socket result = socket;
        const BodySegment* from = from_.of_bone(socket.bone);
        const BodySegment* to = from == nullptr ? nullptr : answer(*from);
        result.bone = target_.skeleton.find(source_.skeleton.bone(socket.bone).label);
        if (result.bone == k_no_bone && socket.bone == source_.hips) result.bone = target_.hips;
        if (result.bone == k_no_bone && to != nullptr) result.bone = to->chain->bones[to->index];
        if (result.bone == k_no_bone) return std::nullopt;
        if (to_.of_bone(result.bone) != nullptr) to = to_.of_bone(result.bone);
        if (placing_ == SocketPlacing::as_it_was || from == nullptr || to == nullptr)
            keep(socket, result);
        else
            fit(socket, result, *from, *to);
        return on_grip(result);
    }

 private:
    // Bones for carried things have axes of their own; the hand that they hang on is what hands share.
    Socket on_hand(const Socket& socket) const {
        for (const char* side : {".left", ".right"}) {
            const Chain* grip = source_.find(std::string("grip") + side);
            const Chain* arm = source_.find(std::string("arm") + side);
            if (grip == nullptr || arm == nullptr) continue;
            if (std::find(grip->bones.begin(), grip->bones.end(), socket.bone) == grip->bones.end()) continue;
            return moved(socket, arm->bones.back(), source_, source_rest_);
        }
        return socket;
    }

    Socket on_grip(const Socket& socket) const {
        for (const char* side : {".left", ".right"}) {
            const Chain* grip = target_.find(std::string("grip") + side);
            const Chain* arm = target_.find(std::string("arm") + side);
            if (socket.kind == SocketKind::grip && grip != nullptr && arm != nullptr &&
                arm->bones.back() == socket.bone)
                return moved(socket, grip->bones.back(), target_, target_rest_);
        }
        return socket;
    }

    // The same frame, carried by another bone.
    static Socket moved(Socket socket, int bone, const Chart& chart, const std::vector<Transform>& rest) {
        const Vec3 apart = rest[static_cast<std::size_t>(socket.bone)].translation -
                           rest[static_cast<std::size_t>(bone)].translation;
        socket.at += chart.to_upright() * apart;
        socket.bone = bone;
        return socket;
    }

    const BodySegment* answer(const BodySegment& from) const {
        const Chain* chain = target_.find(from.chain->name);
        if (chain == nullptr) {
            const auto entry = std::find_if(pairing_.chains.begin(), pairing_.chains.end(),
                                            [&](const ChainPair& p) { return p.source == from.chain->name; });
            if (entry == pairing_.chains.end()) return nullptr;
            chain = target_.find(entry->target);
            if (chain == nullptr) return nullptr;
        }
        const std::size_t count = from.chain->bones.size();
        const std::size_t own = chain->bones.size();
        const std::size_t index =
            count == own ? from.index
            : count == 1 ? 0
                         : static_cast<std::size_t>(std::lround(static_cast<float>(from.index * (own - 1)) /
                                                                static_cast<float>(count - 1)));
        return to_.at(*chain, index);
    }

    void keep(const Socket& socket, Socket& result) const {
        const Quat change = target_.to_upright() *
                            target_rest_[static_cast<std::size_t>(result.bone)].rotation *
                            source_rest_[static_cast<std::size_t>(socket.bone)].rotation.conjugate() *
                            source_.to_upright().conjugate();
        result.at = metres_in_unit(source_) / metres_in_unit(target_) * (change * socket.at);
        result.turn = (change * socket.turn).normalized();
    }

    void fit(const Socket& socket, Socket& result, const BodySegment& from, const BodySegment& to) const {
        const auto has_thumb = [](const Chart& chart, const BodySegment& s) {
            return chart.find("thumb" + s.chain->name.substr(s.chain->name.rfind('.'))) != nullptr;
        };
        const bool by_thumb =
            is_hand(from) && is_hand(to) && has_thumb(source_, from) && has_thumb(target_, to);
        const Quat change = axes_of(target_, to, by_thumb) * axes_of(source_, from, by_thumb).conjugate();
        const Vec3 bone_head =
            source_.to_upright() * source_rest_[static_cast<std::size_t>(socket.bone)].translation;
        const Vec3 off = bone_head + socket.at - from.head;
        const float share = off.dot(from.along) / std::max(1e-12f, from.along.squaredNorm());
        const Vec3 across = off - share * from.along;
        const Vec3 position =
            to.head + share * to.along + ratio(to.thickness, from.thickness) * (change * across);
        result.at =
            position - target_.to_upright() * target_rest_[static_cast<std::size_t>(result.bone)].translation;
        result.turn = (change * socket.turn).normalized();
    }

    const Chart& source_;
    const Chart& target_;
    Pairing pairing_;
    BodySegments from_;
    BodySegments to_;
    std::vector<Transform> source_rest_;
    std::vector<Transform> target_rest_;
    SocketPlacing placing_;
};

}  // namespace

BroughtSockets bring_sockets(std::span<const Socket> sockets, const Character& source,
                             const Chart& source_chart, const Character& target, const Chart& target_chart,
                             SocketPlacing placing) {
    require_sound(sockets, source_chart);
    const Copier copier(source, source_chart, target, target_chart, placing);
    BroughtSockets result;
    for (const Socket& socket : sockets) {
        if (const auto copied = copier.copy(socket)) {
            result.sockets.push_back(*copied);
            continue;
        }
        result.findings.push_back(
            {Severity::warning, "socket.no-place", socket.name,
             fmt::format("nothing in {} answers to its bone '{}'", target_chart.character,
                         source_chart.skeleton.bone(socket.bone).label),
             "add it by hand: socket add"});
    }
    return result;
}

}  // namespace dendraxis
