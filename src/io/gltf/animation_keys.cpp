// Source: Khronos Group, "glTF 2.0 Specification" (ISO/IEC 12113:2022), section 3.11: what has no size does
// not show, and a step sampler switches at its key.
#include "animation_keys.hpp"

#include <dendraxis/base/error.hpp>

namespace dendraxis::io {
namespace {

constexpr float k_moment = 2e-3f;  // frames

}  // namespace

AnimationKeys::AnimationKeys(Glb& glb, const Clip& clip, const std::string& file) : glb_(glb), clip_(clip) {
    const Json animations = glb.json.value("animations", Json::array());
    // An unnamed animation has the name that the reader gives it.
    const auto is_it = [&](std::size_t i) {
        const std::string own = animations[i].value("name", "");
        return own == clip.name || (own.empty() && clip.name == "clip-" + std::to_string(i + 1));
    };
    while (index_ < animations.size() && !is_it(index_)) ++index_;
    if (index_ == animations.size()) throw Error(file, "has no animation '" + clip.name + "'");
    for (const Json& sampler : animations[index_]["samplers"]) {
        const Json& input = glb.json["accessors"][sampler["input"].get<std::size_t>()];
        if (input.contains("min")) start_ = std::min(start_, input["min"][0].get<float>());
    }
    if (start_ > 1e29f) start_ = 0.0f;
}

float AnimationKeys::time_before(float frame, float moments) const noexcept {
    return std::max(start_, time_of(frame - moments * k_moment));
}

void AnimationKeys::show(int node, const Vec3& scale, bool first,
                         std::span<const std::pair<float, bool>> changes) {
    std::vector<float> times{start_};
    std::vector<Vec3> values{first ? scale : Vec3(Vec3::Zero())};
    for (const auto& [frame, shows] : changes) {
        if (frame > last_frame()) break;
        const float time = time_before(frame);
        if (time > times.back()) times.push_back(time), values.emplace_back();
        values.back() = shows ? scale : Vec3(Vec3::Zero());
    }
    add(node, "scale", "STEP", times, add_vectors(glb_, values, 3));
}

void AnimationKeys::move(int node, const std::vector<float>& times, std::span<const Transform> places) {
    if (times.empty()) return;
    std::vector<Vec3> moves;
    std::vector<Eigen::Vector4f> turns;
    for (const Transform& place : places) {
        moves.push_back(place.translation);
        turns.push_back(place.rotation.normalized().coeffs().cwiseMax(-1.0f).cwiseMin(1.0f));
        if (turns.size() > 1 && turns.back().dot(turns[turns.size() - 2]) < 0.0f) turns.back() *= -1.0f;
    }
    add(node, "translation", "LINEAR", times, add_vectors(glb_, moves, 3));
    add(node, "rotation", "LINEAR", times, add_vectors(glb_, turns, 4));
}

void AnimationKeys::add(int node, const char* path, const char* curve, const std::vector<float>& times,
                        int values) {
    const int input = add_accessor<float>(glb_, std::span<const float>(times), 1, k_float, true);
    Json& samplers = animation()["samplers"];
    samplers.push_back({{"input", input}, {"interpolation", curve}, {"output", values}});
    animation()["channels"].push_back(
        {{"sampler", samplers.size() - 1}, {"target", {{"node", node}, {"path", path}}}});
}

}  // namespace dendraxis::io
