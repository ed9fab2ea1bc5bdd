#include "segments.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <algorithm>

namespace dendraxis::detail {
namespace {

constexpr std::array<const char*, 5> k_fingers{"thumb", "index", "middle", "ring", "little"};

bool starts(const std::string& name, const char* word) {
    return name.starts_with(word);
}

std::string side_of(const Chain& chain) {
    const auto dot = chain.name.rfind('.');
    return dot == std::string::npos ? "" : chain.name.substr(dot);
}

// Which way a segment points in a body that stands straight with its arms level out.
Vec3 straight_direction(const Chain& chain, std::size_t index, const Vec3& actual) {
    Vec3 outward = chain.side() == Side::right ? Vec3(-Vec3::UnitX()) : Vec3(Vec3::UnitX());
    for (const char* word : {"shoulder", "arm", "grip", "thumb", "index", "middle", "ring", "little"}) {
        if (starts(chain.name, word)) return outward;
    }
    if (starts(chain.name, "toes")) return Vec3::UnitZ();
    if (starts(chain.name, "leg"))
        return index + 1 == chain.bones.size() ? Vec3(Vec3::UnitZ()) : Vec3(-Vec3::UnitY());
    if (starts(chain.name, "tail")) return -Vec3::UnitZ();
    for (const char* word : {"spine", "neck", "head"}) {
        if (starts(chain.name, word)) return Vec3::UnitY();
    }
    return actual;
}

class Ends {
 public:
    Ends(const Chart& chart, const std::vector<Transform>& rest, const std::vector<Vec3>& heads)
        : chart_(chart), rest_(rest), heads_(heads) {}

    // From a bone's head to the end of its segment.
    Vec3 along(const Chain& chain, std::size_t index) const {
        const Vec3& head = heads_[static_cast<std::size_t>(chain.bones[index])];
        if (index + 1 < chain.bones.size())
            return heads_[static_cast<std::size_t>(chain.bones[index + 1])] - head;
        if (const auto end = next_chain(chain)) return *end - head;
        if (starts(chain.name, "head")) return top_of_head(chain.bones[index]) * Vec3::UnitY();
        if (index > 0) return 0.6f * (head - heads_[static_cast<std::size_t>(chain.bones[index - 1])]);
        if (const auto end = end_at_rest(chart_, rest_, chain.bones[index]))
            return chart_.to_upright() * *end - head;
        return 0.1f * chart_.height * straight_direction(chain, index, Vec3::UnitY());
    }

 private:
    std::optional<Vec3> head_of(const std::string& name) const {
        const Chain* chain = chart_.find(name);
        if (chain == nullptr) return std::nullopt;
        return heads_[static_cast<std::size_t>(chain->bones.front())];
    }

    // The place where the chain's last segment ends: the next chain's head, or the fingers'.
    std::optional<Vec3> next_chain(const Chain& chain) const {
        if (starts(chain.name, "spine")) return head_of("neck") ? head_of("neck") : head_of("head");
        if (starts(chain.name, "neck")) return head_of("head");
        if (starts(chain.name, "shoulder")) return head_of("arm" + side_of(chain));
        if (starts(chain.name, "leg")) return head_of("toes" + side_of(chain));
        if (!starts(chain.name, "arm")) return std::nullopt;
        Vec3 sum = Vec3::Zero();
        int count = 0;
        for (std::size_t f = 1; f < k_fingers.size(); ++f) {
            if (const auto finger = head_of(k_fingers[f] + side_of(chain))) sum += *finger, ++count;
        }
        if (count == 0) return std::nullopt;
        return Vec3(sum / static_cast<float>(count));
    }

    float top_of_head(int bone) const {
        const float top = chart_.floor + chart_.height - heads_[static_cast<std::size_t>(bone)].y();
        return std::max(0.05f * chart_.height, top);
    }

    const Chart& chart_;
    const std::vector<Transform>& rest_;
    const std::vector<Vec3>& heads_;
};

}  // namespace

BodySegments::BodySegments(const Character& character, const Chart& chart)
    : chart_(chart), segment_of_bone_(chart.skeleton.size(), -1) {
    std::vector<Vec3> heads;
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    for (const Transform& bone : rest) heads.push_back(chart.to_upright() * bone.translation);
    const Ends ends(chart, rest, heads);
    for (const Chain& chain : chart.chains) {
        if (starts(chain.name, "grip")) continue;  // it hangs on the hand, whose segment speaks for it
        for (std::size_t i = 0; i < chain.bones.size(); ++i) {
            BodySegment segment{
                &chain,           i,   heads[static_cast<std::size_t>(chain.bones[i])], ends.along(chain, i),
                Quat::Identity(), 0.0f};
            segment.turn = shortest_arc(straight_direction(chain, i, segment.along), segment.along);
            segment_of_bone_[static_cast<std::size_t>(chain.bones[i])] = static_cast<int>(segments_.size());
            segments_.push_back(segment);
        }
    }
    for (std::size_t b = 0; b < segment_of_bone_.size(); ++b) {
        const int parent = chart.skeleton.parent(static_cast<int>(b));
        if (segment_of_bone_[b] < 0 && parent != k_no_bone)
            segment_of_bone_[b] = segment_of_bone_[static_cast<std::size_t>(parent)];
    }
    // The hips are above the spine and most often in no chain.
    if (const Chain* spine = chart.find("spine"); spine != nullptr && chart.hips != k_no_bone) {
        int& hips = segment_of_bone_[static_cast<std::size_t>(chart.hips)];
        if (hips < 0) hips = segment_of_bone_[static_cast<std::size_t>(spine->bones.front())];
    }
    measure_thickness(character);
}

void BodySegments::measure_thickness(const Character& character) {
    std::vector<std::vector<float>> distances(segments_.size());
    const Surface surface = surface_of(character);
    for (std::size_t v = 0; v < surface.positions.size(); ++v) {
        const int index = segment_of_bone_[static_cast<std::size_t>(surface.bones[v])];
        if (index < 0) continue;
        const BodySegment& one = segments_[static_cast<std::size_t>(index)];
        const Vec3 off = chart_.to_upright() * surface.positions[v] - one.head;
        const float share = off.dot(one.along) / std::max(1e-9f, one.along.squaredNorm());
        if (share > 0.15f && share < 0.85f)
            distances[static_cast<std::size_t>(index)].push_back((off - share * one.along).norm());
    }
    for (std::size_t s = 0; s < segments_.size(); ++s) {
        std::vector<float>& list = distances[s];
        segments_[s].thickness = 0.2f * segments_[s].along.norm();
        if (list.size() < 6) continue;
        std::nth_element(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(list.size() / 2),
                         list.end());
        segments_[s].thickness = list[list.size() / 2];
    }
}

const BodySegment* BodySegments::of_bone(int bone) const noexcept {
    const int index = segment_of_bone_[static_cast<std::size_t>(bone)];
    return index < 0 ? nullptr : &segments_[static_cast<std::size_t>(index)];
}

const BodySegment* BodySegments::at(const Chain& chain, std::size_t index) const noexcept {
    const auto found = std::find_if(segments_.begin(), segments_.end(), [&](const BodySegment& one) {
        return one.chain == &chain && one.index == index;
    });
    return found == segments_.end() ? nullptr : &*found;
}

Vec3 thumb_direction(const Chart& chart, const BodySegment& hand) {
    const Vec3 direction = hand.along.normalized();
    const std::string side = side_of(*hand.chain);
    const std::vector<Transform> rest = rest_in_model_space(chart.skeleton);
    const auto base = [&](const char* finger) -> std::optional<Vec3> {
        const Chain* chain = chart.find(finger + side);
        if (chain == nullptr) return std::nullopt;
        return Vec3(chart.to_upright() * rest[static_cast<std::size_t>(chain->bones.front())].translation);
    };
    // The knuckles' line lies in the palm's plane; the thumb's base stands out of it.
    const auto thumb = base("thumb");
    const auto index = base("index");
    const auto little = base("little");
    const std::optional<Vec3> from = index && little ? little : std::optional<Vec3>(hand.head);
    const std::optional<Vec3> to = index && little ? index : thumb;
    if (to) {
        const Vec3 across = *to - *from - direction * direction.dot(*to - *from);
        if (across.norm() > 0.05f * hand.along.norm()) return across.normalized();
    }
    const Vec3 forward = hand.turn * Vec3::UnitZ();
    return (forward - direction * direction.dot(forward)).normalized();
}

}  // namespace dendraxis::detail
