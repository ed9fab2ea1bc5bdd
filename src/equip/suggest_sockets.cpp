// Own method: the chart tells where, rays to the skin tell how far out.
#include <dendraxis/equip/bring_sockets.hpp>

#include "segments.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <algorithm>

namespace dendraxis {
namespace {

using detail::BodySegment;
using detail::BodySegments;
using detail::thumb_direction;

// Where the middle of a fist is, as shares of the way from wrist to knuckles.
constexpr float k_palm_share = 0.65f;
constexpr float k_off_palm = 0.12f;  // half a handle's thickness off the palm's skin

Quat axes(const Vec3& y, const Vec3& z_hint) {
    Eigen::Matrix3f m;
    m.col(1) = y.normalized();
    m.col(2) = (z_hint - m.col(1) * m.col(1).dot(z_hint)).normalized();
    m.col(0) = m.col(1).cross(m.col(2));
    return Quat(m).normalized();
}

class Suggester {
 public:
    Suggester(const Character& character, const Chart& chart)
        : chart_(chart), segments_(character, chart), surface_(surface_of(character)) {
        for (Vec3& position : surface_.positions) position = chart.to_upright() * position;
        for (const Transform& bone : rest_in_model_space(chart.skeleton))
            heads_.push_back(chart.to_upright() * bone.translation);
    }

    std::vector<Socket> suggest() {
        add_hands();
        const Chain* spine = chart_.find("spine");
        if (stands_on_four(chart_)) {
            if (spine != nullptr) {
                const int middle = spine->bones[spine->bones.size() / 2];
                add_on_skin("saddle", middle, SocketKind::seat, 0.5f, Vec3::UnitY());
            }
            if (const Chain* neck = chart_.find("neck"); neck != nullptr)
                add_on_skin("collar", neck->bones.front(), SocketKind::worn, 0.4f, -Vec3::UnitY());
        } else if (spine != nullptr || chart_.hips != k_no_bone) {
            const int chest = spine != nullptr ? spine->bones.back() : chart_.hips;
            if (chart_.hips != k_no_bone) {
                add_on_skin("belt.left", chart_.hips, SocketKind::holster, 0.2f, Vec3::UnitX());
                add_on_skin("belt.right", chart_.hips, SocketKind::holster, 0.2f, -Vec3::UnitX());
            }
            add_on_skin("back", chest, SocketKind::holster, 0.3f, -Vec3::UnitZ());
            add_on_skin("chest", chest, SocketKind::worn, 0.3f, Vec3::UnitZ());
        }
        if (const Chain* head = chart_.find("head"); head != nullptr)
            add_on_skin("head", head->bones.back(), SocketKind::worn, 0.5f, Vec3::UnitY());
        return std::move(sockets_);
    }

 private:
    void add(std::string name, int bone, SocketKind kind, const Vec3& position, const Quat& turn) {
        sockets_.push_back(
            {std::move(name), bone, kind, position - heads_[static_cast<std::size_t>(bone)], turn});
    }

    // In the middle of the fist that the hand would make; of an arm without a hand where its fist would be;
    // on the bone that the file's author made for carried things, if there is one.
    void add_hands() {
        for (const std::string side : {".left", ".right"}) {
            const Chain* arm = chart_.find("arm" + side);
            const BodySegment* hand = arm == nullptr ? nullptr : segments_.at(*arm, arm->bones.size() - 1);
            if (hand == nullptr || !(hand->along.norm() > 0.0f)) continue;
            const Vec3 direction = hand->along.normalized();
            const Vec3 thumb = thumb_direction(chart_, *hand);
            const Quat turn = axes(thumb, direction.cross(thumb));
            if (const Chain* grip = chart_.find("grip" + side)) {
                const int bone = grip->bones.back();
                add("hand" + side, bone, SocketKind::grip, heads_[static_cast<std::size_t>(bone)], turn);
                continue;
            }
            const int bone = arm->bones.back();
            if (arm->bones.size() < 3) {
                const float share = std::max(0.5f, 1.0f - hand->thickness / hand->along.norm());
                add("hand" + side, bone, SocketKind::grip, hand->head + share * hand->along, turn);
                continue;
            }
            const Vec3 palm = side == ".left" ? Vec3(direction.cross(thumb)) : Vec3(thumb.cross(direction));
            const Vec3 middle = hand->head + k_palm_share * hand->along;
            const float out = distance_to_skin(middle, palm, 1.2f * hand->along.norm(), bone);
            add("hand" + side, bone, SocketKind::grip,
                middle + (out + k_off_palm * hand->along.norm()) * palm, turn);
        }
    }

    // On the skin, seen from a share of the way along the bone's segment. Looks away from the body, except
    // that what sits on top looks ahead.
    void add_on_skin(std::string name, int bone, SocketKind kind, float share, const Vec3& direction) {
        const BodySegment* segment = segments_.of_bone(bone);
        const Vec3 along = segment == nullptr ? Vec3(Vec3::Zero()) : segment->along;
        Vec3 middle = heads_[static_cast<std::size_t>(bone)] + share * along;
        if (std::abs(direction.x()) < 0.5f) middle.x() = heads_[static_cast<std::size_t>(bone)].x();
        const float far = 0.5f * chart_.height;
        const Vec3 position = middle + distance_to_skin(middle, direction, far, bone) * direction;
        const bool level = std::abs(direction.y()) < 0.5f;
        add(std::move(name), bone, kind, position,
            level ? axes(Vec3::UnitY(), direction) : axes(Vec3::UnitY(), Vec3::UnitZ()));
    }

    // From within the body to where it ends in that direction, looking back from outside at the skin that
    // hangs on the bone or near it.
    float distance_to_skin(const Vec3& middle, const Vec3& direction, float far, int bone) const {
        float reach = far;
        while (reach > 0.0f) {
            const auto hit = first_hit(surface_, {middle + reach * direction, -direction});
            if (!hit || hit->distance >= reach) break;
            const BodySegment* own = segments_.of_bone(bone);
            const BodySegment* other = segments_.of_bone(hit->bone);
            if (own == nullptr || other == nullptr || is_near(*own, *other)) return reach - hit->distance;
            reach -= hit->distance + 1e-3f;  // an arm in the way: look on from behind it
        }
        const BodySegment* segment = segments_.of_bone(bone);
        return segment == nullptr ? 0.0f : segment->thickness;
    }

    static bool is_near(const BodySegment& a, const BodySegment& b) {
        const auto part = [](const BodySegment& s) {
            const std::string& name = s.chain->name;
            const ChainRole role = s.chain->role();
            if (name == "spine" || role == ChainRole::shoulder || role == ChainRole::leg)
                return std::string("trunk");
            return is_digit(role) ? "arm" + name.substr(name.rfind('.')) : name;
        };
        return part(a) == part(b);
    }

    const Chart& chart_;
    BodySegments segments_;
    Surface surface_;
    std::vector<Vec3> heads_;
    std::vector<Socket> sockets_;
};

}  // namespace

std::vector<Socket> suggested_sockets(const Character& character, const Chart& chart) {
    return Suggester(character, chart).suggest();
}

}  // namespace dendraxis
