#include "body_part.hpp"

#include "../ragdoll/segments.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/fit_piece.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>

namespace dendraxis {

std::vector<std::string> parts_of_body(const Chart& chart) {
    std::vector<std::string> names;
    for (const detail::Segment& segment : detail::segments_of(chart)) names.push_back(segment.name);
    return names;
}

namespace detail {

std::vector<int> part_of_bones(const Chart& chart) {
    std::vector<int> part(chart.skeleton.size(), -1);
    const std::vector<Segment> segments = segments_of(chart);
    for (std::size_t s = 0; s < segments.size(); ++s) {
        for (const int bone : segments[s].bones) part[static_cast<std::size_t>(bone)] = static_cast<int>(s);
    }
    for (std::size_t b = 0; b < part.size(); ++b) {
        const int parent = chart.skeleton.parent(static_cast<int>(b));
        if (part[b] < 0 && parent != k_no_bone) part[b] = part[static_cast<std::size_t>(parent)];
    }
    return part;
}

BodyPart body_part(const std::string& name, const Character& character, const Chart& chart) {
    const std::vector<Segment> segments = segments_of(chart);
    const auto found =
        std::find_if(segments.begin(), segments.end(), [&](const Segment& s) { return s.name == name; });
    if (found == segments.end()) {
        const std::vector<std::string> names = parts_of_body(chart);
        std::string all;
        for (const std::string& one : names) all += (all.empty() ? "" : ", ") + one;
        throw Error(ErrorCode::unknown_name, chart.character, "has no part '" + name + "'", "",
                    did_you_mean(name, names, "its parts are " + all));
    }
    const Quat upright = chart.to_upright();
    BodyPart part;
    part.name = name;
    part.bones = found->bones;
    part.head = upright *
                rest_in_model_space(chart.skeleton)[static_cast<std::size_t>(part.bones.front())].translation;
    const Vec3 along = upright * found->end - part.head;
    part.length = std::max(1e-4f * std::max(1e-3f, chart.height), along.norm());

    // The way that it points on a straight body; a body's part that nothing is known of keeps its own.
    const BodySegments body(character, chart);
    const BodySegment* segment = body.of_bone(part.bones.front());
    const Vec3 straight = segment == nullptr ? along : Vec3(segment->turn.conjugate() * segment->along);
    straight.cwiseAbs().maxCoeff(&part.axis);
    part.direction = straight[part.axis] < 0.0f ? -1.0f : 1.0f;
    part.turn = shortest_arc(part.direction * Vec3::Unit(part.axis), along);
    return part;
}

}  // namespace detail
}  // namespace dendraxis
