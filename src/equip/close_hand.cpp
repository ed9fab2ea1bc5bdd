// Own method: joints of a finger close together, in the proportions of a fist; what touches stays.
// Nearest point of a triangle: C. Ericson, "Real-Time Collision Detection" (2005), 5.1.5.
#include <dendraxis/equip/close_hand.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace dendraxis {
namespace {

constexpr float k_step = 1.0f / 90.0f;  // of a closed fist
constexpr float k_most_open = 60.0f;    // degrees, out of the way
// Degrees to either side of straight away from the thing, in which a finger gets out of its way.
constexpr std::array<float, 7> k_asides{0.0f, 30.0f, -30.0f, 60.0f, -60.0f, 90.0f, -90.0f};
constexpr int k_halvings = 6;
constexpr int k_along = 4;                                             // places along a bone
constexpr std::array<float, 3> k_finger_closes{80.0f, 100.0f, 70.0f};  // degrees, from the palm on
constexpr std::array<float, 3> k_thumb_closes{35.0f, 55.0f, 75.0f};
constexpr float k_thin = 0.0045f;   // of the height: half a finger without skin
constexpr float k_slack = 0.0005f;  // of the height: as near counts as touching

using Triangle = std::array<Vec3, 3>;

Vec3 nearest_in(const Triangle& triangle, const Vec3& point) {
    const auto& [a, b, c] = triangle;
    const Vec3 ab = b - a;
    const Vec3 ac = c - a;
    const Vec3 ap = point - a;
    const float d1 = ab.dot(ap);
    const float d2 = ac.dot(ap);
    if (d1 <= 0.0f && d2 <= 0.0f) return a;
    const Vec3 bp = point - b;
    const float d3 = ab.dot(bp);
    const float d4 = ac.dot(bp);
    if (d3 >= 0.0f && d4 <= d3) return b;
    const float vc = d1 * d4 - d3 * d2;
    if (vc <= 0.0f && d1 >= 0.0f && d3 <= 0.0f) return a + d1 / (d1 - d3) * ab;
    const Vec3 cp = point - c;
    const float d5 = ab.dot(cp);
    const float d6 = ac.dot(cp);
    if (d6 >= 0.0f && d5 <= d6) return c;
    const float vb = d5 * d2 - d1 * d6;
    if (vb <= 0.0f && d2 >= 0.0f && d6 <= 0.0f) return a + d2 / (d2 - d6) * ac;
    const float va = d3 * d6 - d5 * d4;
    if (va <= 0.0f && d4 - d3 >= 0.0f && d5 - d6 >= 0.0f)
        return b + (d4 - d3) / ((d4 - d3) + (d5 - d6)) * (c - b);
    const float sum = va + vb + vc;
    return a + vb / sum * ab + vc / sum * ac;
}

class HandCloser {
 public:
    HandCloser(const Character& character, const Chart& chart, const SocketBinding& sockets,
               const PropMount& mount)
        : character_(character),
          chart_(chart),
          rest_(rest_in_model_space(chart.skeleton)),
          local_(rest_pose(chart.skeleton)),
          model_(rest_) {
        const Socket& socket = sockets.sockets()[mount.socket];
        const Transform frame = sockets.frame(mount.socket, rest_);
        find_hand(socket);
        palm_ = frame.translation;
        handle_ = (frame.rotation * Vec3::UnitY()).normalized();
        place(*mount.prop, mount.fit, frame);
    }

    ClosedHand close(float strength) {
        ClosedHand hand;
        for (const Chain& chain : chart_.chains) {
            const bool here = is_digit(chain.role()) && !chain.bones.empty() &&
                              chart_.skeleton.is_above(hand_, chain.bones.front());
            if (here) close_finger(chain, strength, hand);
        }
        return hand;
    }

 private:
    const Vec3& head(int bone) const { return model_[static_cast<std::size_t>(bone)].translation; }

    void find_hand(const Socket& socket) {
        for (const Chain& chain : chart_.chains) {
            if (chain.role() != ChainRole::arm || chain.bones.empty()) continue;
            const int last = chain.bones.back();
            if (last == socket.bone || chart_.skeleton.is_above(last, socket.bone)) hand_ = last;
        }
        if (hand_ == k_no_bone)
            throw Error(chart_.character, "the socket '" + socket.name + "' is in no hand", "",
                        "name a socket of a hand, or leave the fingers as they are");
    }

    // The triangles of the prop that fingers may reach.
    void place(const Prop& prop, const PropFit& fit, const Transform& socket) {
        const Surface surface = surface_of(prop.model);
        const Affine mirror = mirror_of(prop, fit);
        const Transform placed = socket * placement_of(prop, fit);
        const float reach = 0.25f * chart_.height;
        for (const auto& corners : surface.triangles) {
            Triangle triangle;
            for (std::size_t k = 0; k < 3; ++k)
                triangle[k] = dendraxis::apply(placed, mirror * surface.positions[corners[k]]);
            if ((nearest_in(triangle, palm_) - palm_).norm() < reach) triangles_.push_back(triangle);
        }
    }

    // Where the last bone of a finger ends; without child and skin, about as long as the one before.
    Vec3 tip_of(const std::vector<int>& bones) const {
        const int last = bones.back();
        const Vec3& from = rest_[static_cast<std::size_t>(last)].translation;
        if (const std::optional<Vec3> end = end_at_rest(chart_, rest_, last)) return *end;
        const int above = bones.size() > 1 ? bones[bones.size() - 2] : hand_;
        return from + 0.8f * (from - rest_[static_cast<std::size_t>(above)].translation);
    }

    // How far the skin of a finger is from its bones, at the median.
    float thickness_of(const std::vector<int>& bones, const Vec3& tip) const {
        std::vector<Affine> matrices(chart_.skeleton.size());
        to_model_matrices(chart_.skeleton, rest_pose(chart_.skeleton), matrices);
        std::vector<float> distances;
        for (const SkinnedMesh& mesh : character_.meshes) {
            std::vector<Vec3> positions(mesh.positions.size());
            deform(mesh, matrices, positions);
            for (std::size_t v = 0; v < positions.size(); ++v) {
                const auto most = std::max_element(mesh.weights[v].begin(), mesh.weights[v].end());
                const auto k = static_cast<std::size_t>(most - mesh.weights[v].begin());
                const int bone = mesh.bones[mesh.joints[v][k]];
                const auto at = std::find(bones.begin(), bones.end(), bone);
                if (at == bones.end()) continue;
                const Vec3& from = rest_[static_cast<std::size_t>(bone)].translation;
                const Vec3 to =
                    at + 1 == bones.end() ? tip : rest_[static_cast<std::size_t>(*(at + 1))].translation;
                const Vec3 along = (to - from).normalized();
                const Vec3 offset = positions[v] - from;
                distances.push_back((offset - along.dot(offset) * along).norm());
            }
        }
        if (distances.empty()) return k_thin * chart_.height;
        const auto middle = distances.begin() + static_cast<std::ptrdiff_t>(distances.size() / 2);
        std::nth_element(distances.begin(), middle, distances.end());
        return *middle;
    }

    // The axis that closes a finger toward the palm, and a thumb toward the handle; model space at rest.
    Vec3 axis_of(const std::vector<int>& bones, const Vec3& tip, bool is_thumb) const {
        const Vec3& root = rest_[static_cast<std::size_t>(bones.front())].translation;
        const Vec3 along = (tip - root).normalized();
        Vec3 toward = palm_ - root;
        if (is_thumb) toward -= handle_ * handle_.dot(toward);
        toward -= along * along.dot(toward);
        return toward.norm() > 1e-6f ? Vec3(along.cross(toward.normalized())) : along.unitOrthogonal();
    }

    struct Joints {
        std::vector<int> bones;
        std::vector<Vec3> axes;     // in each bone's own frame at rest
        std::vector<float> most;    // radians
        std::vector<float> closed;  // of each
        Vec3 tip = Vec3::Zero();    // in the last bone's frame
        float radius = 0.0f;
        Quat way = Quat::Identity();  // of the first, out of the thing
    };

    void set(const Joints& joints) {
        for (std::size_t i = 0; i < joints.bones.size(); ++i) {
            const auto b = static_cast<std::size_t>(joints.bones[i]);
            const Quat bend(Eigen::AngleAxisf(joints.closed[i] * joints.most[i], joints.axes[i]));
            const Quat& rest = chart_.skeleton.bone(joints.bones[i]).rest.rotation;
            local_[b].rotation = (i == 0 ? rest * joints.way * bend : rest * bend).normalized();
            const int parent = chart_.skeleton.parent(joints.bones[i]);
            model_[b] = model_[static_cast<std::size_t>(parent)] * local_[b];
        }
    }

    // Of a bone of the finger, how far its skin is from the thing.
    float gap(const Joints& joints, std::size_t i) const {
        const Vec3& from = head(joints.bones[i]);
        const Vec3 to = i + 1 < joints.bones.size()
                            ? head(joints.bones[i + 1])
                            : dendraxis::apply(model_[static_cast<std::size_t>(joints.bones[i])], joints.tip);
        float least = 1e30f;
        for (int k = 1; k <= k_along; ++k) {
            const Vec3 at = from + static_cast<float>(k) / k_along * (to - from);
            for (const Triangle& triangle : triangles_)
                least = std::min(least, (nearest_in(triangle, at) - at).norm());
        }
        return least - joints.radius;
    }

    // The first bone from `from` on that touches; as many as there are where none does.
    std::size_t touching(const Joints& joints, std::size_t from) const {
        std::size_t i = from;
        while (i < joints.bones.size() && gap(joints, i) > 0.0f) ++i;
        return i;
    }

    void close_finger(const Chain& chain, float strength, ClosedHand& hand) {
        Joints joints;
        joints.bones = chain.bones;
        const bool is_thumb = chain.role() == ChainRole::thumb;
        const Vec3 tip = tip_of(chain.bones);
        const Vec3 axis = axis_of(chain.bones, tip, is_thumb);
        joints.radius = thickness_of(chain.bones, tip);
        joints.tip = dendraxis::apply(inverse(rest_[static_cast<std::size_t>(chain.bones.back())]), tip);
        const auto& closes = is_thumb ? k_thumb_closes : k_finger_closes;
        const std::size_t skipped = closes.size() - std::min(closes.size(), chain.bones.size());
        for (std::size_t i = 0; i < chain.bones.size(); ++i) {
            const Quat& turn = rest_[static_cast<std::size_t>(chain.bones[i])].rotation;
            joints.axes.push_back((turn.conjugate() * axis).normalized());
            // Of fewer joints each does more.
            const float share = i < closes.size() ? closes[i] : 0.0f;
            joints.most.push_back((share + 30.0f * static_cast<float>(skipped)) / k_degrees);
        }
        joints.closed.assign(chain.bones.size(), 0.0f);
        if (close_joints(joints)) {
            finish(chain, joints, strength, hand);
        } else {
            hand.fingers.push_back({chain.name, true, true, 0.0f, 0.0f});
            for (std::size_t i = 0; i < joints.bones.size(); ++i)
                hand.fingers.back().nearest = std::min(hand.fingers.back().nearest, gap(joints, i));
        }
    }

    // A finger that rests where the thing is goes out of its way first, by its first joint, which stays so:
    // by as little as does it, away from what is nearest or past it. Returns the first joint that may close;
    // nothing where there is no way.
    std::optional<std::size_t> make_way(Joints& joints) {
        if (touching(joints, 0) == joints.bones.size()) return 0;
        const auto first = static_cast<std::size_t>(joints.bones.front());
        const Vec3 root = head(joints.bones.front());
        const Vec3 end = dendraxis::apply(model_[static_cast<std::size_t>(joints.bones.back())], joints.tip);
        const Vec3 middle = 0.5f * (root + end);
        Vec3 nearest = middle + Vec3::Constant(1e6f);
        for (const Triangle& triangle : triangles_) {
            const Vec3 point = nearest_in(triangle, middle);
            if ((point - middle).squaredNorm() < (nearest - middle).squaredNorm()) nearest = point;
        }
        const Vec3 axis = (end - root).cross(middle - nearest);
        if (axis.norm() < 1e-12f) return std::nullopt;
        const Vec3 in_bone = model_[first].rotation.conjugate() * axis.normalized();
        const Vec3 along = model_[first].rotation.conjugate() * (end - root).normalized();
        for (float degrees = 2.0f; degrees <= k_most_open; degrees += 2.0f) {
            for (const float aside : k_asides) {
                const Vec3 about = Quat(Eigen::AngleAxisf(aside / k_degrees, along)) * in_bone;
                joints.way = Quat(Eigen::AngleAxisf(degrees / k_degrees, about));
                set(joints);
                if (touching(joints, 0) == joints.bones.size()) return 1;
            }
        }
        joints.way.setIdentity();
        set(joints);
        return std::nullopt;
    }

    // All joints that are free close together; once a bone touches, those up to it stay.
    bool close_joints(Joints& joints) {
        set(joints);
        const auto way = make_way(joints);
        if (!way) return false;
        std::size_t free_from = *way;
        for (float share = k_step; share <= 1.0f && free_from < joints.bones.size(); share += k_step) {
            const auto try_at = [&](float at) {
                for (std::size_t i = free_from; i < joints.closed.size(); ++i) joints.closed[i] = at;
                set(joints);
                return touching(joints, free_from);
            };
            std::size_t met = try_at(share);
            if (met == joints.bones.size()) continue;
            float open = share - k_step;
            float shut = share;
            for (int k = 0; k < k_halvings; ++k) {
                const float middle = 0.5f * (open + shut);
                (try_at(middle) == joints.bones.size() ? open : shut) = middle;
            }
            met = try_at(shut);
            (void)try_at(open);
            free_from = std::min(met, joints.bones.size() - 1) + 1;
        }
        return true;
    }

    void finish(const Chain& chain, Joints& joints, float strength, ClosedHand& hand) {
        for (float& closed : joints.closed) closed *= std::clamp(strength, 0.0f, 1.0f);
        set(joints);
        ClosedHand::Finger finger{chain.name, false, false, joints.closed.front(), 1e30f};
        for (std::size_t i = 0; i < joints.bones.size(); ++i) {
            finger.nearest = std::min(finger.nearest, gap(joints, i));
            finger.closed = std::max(finger.closed, joints.closed[i]);
            hand.bones.push_back(
                {joints.bones[i], local_[static_cast<std::size_t>(joints.bones[i])].rotation});
        }
        finger.touches = finger.nearest < k_slack * chart_.height;
        hand.fingers.push_back(finger);
    }

    const Character& character_;
    const Chart& chart_;
    std::vector<Transform> rest_;
    std::vector<Transform> local_;
    std::vector<Transform> model_;
    int hand_ = k_no_bone;
    Vec3 palm_ = Vec3::Zero();
    Vec3 handle_ = Vec3::UnitY();
    std::vector<Triangle> triangles_;
};

}  // namespace

ClosedHand close_hand(const Character& character, const Chart& chart, const SocketBinding& sockets,
                      const PropMount& mount, float strength) {
    return HandCloser(character, chart, sockets, mount).close(strength);
}

void apply(const ClosedHand& hand, std::span<Transform> pose) noexcept {
    for (const ClosedHand::Turned& turned : hand.bones)
        pose[static_cast<std::size_t>(turned.bone)].rotation = turned.local;
}

Clip with_closed_hand(Clip clip, const ClosedHand& hand) {
    for (std::size_t f = 0; f < clip.frame_count(); ++f) apply(hand, clip.frame(f));
    return clip;
}

Findings check_closed_hand(const ClosedHand& hand, const Prop& prop, const Socket& socket) {
    const std::string where = prop.name + "@" + socket.name;
    if (hand.fingers.empty())
        return {{Severity::note, "prop.no-fingers", where, "the hand has no fingers that could close",
                 "if it has, name their chains in the sheet"}};
    Findings findings;
    std::string open;
    std::string stuck;
    for (const ClosedHand::Finger& finger : hand.fingers) {
        std::string& list = finger.stuck ? stuck : open;
        if (finger.stuck || !finger.touches) list += (list.empty() ? "" : ", ") + finger.chain;
    }
    if (!open.empty())
        findings.push_back({Severity::note, "prop.finger-open", where,
                            fmt::format("these fingers close and touch nothing: {}", open),
                            "move the socket nearer to them (socket add), or leave it if the handle is thin "
                            "or short"});
    if (!stuck.empty())
        findings.push_back(
            {Severity::note, "prop.finger-stuck", where,
             fmt::format("these fingers rest within the thing and stay as they are: {}", stuck),
             "turn or move the socket (socket add), or the prop's grip"});
    return findings;
}

}  // namespace dendraxis
