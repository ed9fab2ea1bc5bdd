#include "json_text.hpp"

#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::io {
namespace {

std::string laid_out(const Json& value, const std::string& indent, bool in_list = false) {
    if (!value.is_structured() || value.empty()) return value.dump();
    const bool list = value.is_array();
    const bool plain =
        std::none_of(value.begin(), value.end(), [](const Json& item) { return item.is_structured(); });
    const bool one_line = plain && (list || (in_list && value.dump().size() < 90));
    const std::string inner = indent + "  ";
    std::string text;
    for (const auto& [key, item] : value.items()) {
        if (!text.empty()) text += one_line ? ", " : ",\n" + inner;
        text += (list ? "" : Json(key).dump() + ": ") + laid_out(item, inner, list);
    }
    if (!one_line) text = "\n" + inner + text + "\n" + indent;
    return (list ? "[" : "{") + text + (list ? "]" : "}");
}

}  // namespace

double rounded(float value) {
    return std::round(static_cast<double>(value) * 1e6) / 1e6;
}

Json json_of(const Vec3& vector) {
    return {rounded(vector.x()), rounded(vector.y()), rounded(vector.z())};
}

Json bone_json(const Skeleton& skeleton, int bone) {
    return bone == k_no_bone ? Json(nullptr) : Json(skeleton.bone(bone).label);
}

Json json_of(const Finding& finding) {
    return {{"severity", to_string(finding.severity)},
            {"code", finding.code},
            {"where", finding.where},
            {"message", finding.message},
            {"advice", finding.advice}};
}

Json json_of(const Findings& findings) {
    Json list = Json::array();
    for (const Finding& finding : findings) list.push_back(json_of(finding));
    return list;
}

std::string text_of(const Json& document) {
    return laid_out(document, "") + "\n";
}

int bone_named(const JsonDocument& document, const Skeleton& skeleton, const Json& value,
               const std::string& pointer) {
    const std::string name = value.get<std::string>();
    const int bone = skeleton.find(name);
    if (bone != k_no_bone) return bone;
    std::vector<std::string> labels;
    for (const Bone& candidate : skeleton.bones()) labels.push_back(candidate.label);
    document.fail("there is no bone '" + name + "'", pointer,
                  did_you_mean(name, labels, "see `dendraxis survey`"), ErrorCode::unknown_name);
}

Vec3 vector_of(const Json& value) {
    return {value[0].get<float>(), value[1].get<float>(), value[2].get<float>()};
}

Quat turn_of(const Json& value) {
    const Vec3 turn = vector_of(value) / k_degrees;
    return Quat(Eigen::AngleAxisf(turn.norm(), turn.stableNormalized()));
}

}  // namespace dendraxis::io
