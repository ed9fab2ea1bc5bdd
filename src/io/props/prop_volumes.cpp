#include "prop_volumes.hpp"

#include "../json/json_text.hpp"

#include <dendraxis/base/rotation.hpp>

namespace dendraxis::io {

Json volumes_json(const std::vector<SweepVolume>& volumes) {
    Json list = Json::object();
    for (const SweepVolume& volume : volumes)
        list[volume.name] = {{"shape", to_string(volume.shape.kind)},
                             {"size", json_of(2.0f * volume.shape.half)},
                             {"at", json_of(volume.at)},
                             {"turn", json_of(rotation_vector(volume.turn) * k_degrees)}};
    return list;
}

std::vector<SweepVolume> volumes_of(const Json& volumes) {
    std::vector<SweepVolume> list;
    for (const auto& entry : volumes.items()) {
        const Json& value = entry.value();
        SweepVolume volume{entry.key(), {}, Vec3::Zero(), Quat::Identity()};
        const std::string kind = value["shape"].get<std::string>();
        volume.shape.kind = kind == "box"      ? ShapeKind::box
                            : kind == "sphere" ? ShapeKind::sphere
                                               : ShapeKind::capsule;
        volume.shape.half = 0.5f * vector_of(value["size"]);
        // A sphere is as wide as its first number says, a capsule as round.
        if (volume.shape.kind == ShapeKind::sphere) volume.shape.half.setConstant(volume.shape.half.x());
        if (volume.shape.kind == ShapeKind::capsule) volume.shape.half.z() = volume.shape.half.x();
        if (value.contains("at")) volume.at = vector_of(value["at"]);
        if (value.contains("turn")) volume.turn = turn_of(value["turn"]);
        list.push_back(std::move(volume));
    }
    return list;
}

}  // namespace dendraxis::io
