// Source: Khronos Group, "glTF 2.0 Specification" (ISO/IEC 12113:2022), section 3.11: what has no size does
// not show, and a step sampler switches at its key.
#include "carried_props.hpp"

#include "json_text.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::io {
namespace {

// Written this much early, so that the frame itself is after the switch however its time is rounded.
constexpr float k_early = 2e-3f;  // frames

class PlaceSwitcher {
 public:
    PlaceSwitcher(Glb& glb, const Character& character, const SocketBinding& sockets, const CarryPlan& plan,
                  const Clip& clip, Json& animation)
        : glb_(glb),
          character_(character),
          sockets_(sockets),
          plan_(plan),
          clip_(clip),
          animation_(animation) {
        for (const Json& sampler : animation_["samplers"]) {
            const Json& input = glb_.json["accessors"][sampler["input"].get<std::size_t>()];
            if (input.contains("min")) start_ = std::min(start_, input["min"][0].get<float>());
        }
        if (start_ > 1e29f) start_ = 0.0f;
    }

    void write(std::size_t place, int node, const Vec3& scale) {
        show(place, node, scale);
        glide(place, node);
    }

 private:
    float time_of(float frame) const { return start_ + frame / clip_.fps; }
    float last() const { return static_cast<float>(clip_.frame_count()) - 1.0f; }

    void show(std::size_t place, int node, const Vec3& scale) {
        std::vector<float> times{start_};
        std::vector<Vec3> values{plan_.at(0.0f).to == place ? scale : Vec3(Vec3::Zero())};
        for (const CarrySwitch& one : plan_.switches()) {
            if (one.frame > last()) break;
            const Vec3 value = one.place == place ? scale : Vec3(Vec3::Zero());
            const float time = std::max(start_, time_of(one.frame - k_early));
            if (time > times.back()) times.push_back(time), values.push_back(value);
            values.back() = value;
        }
        add(node, "scale", "STEP", times, add_vectors(glb_, values, 3));
    }

    // Keys in all frames in which it is on its way. Right before, where it does not show, it goes from its
    // place to where the way begins.
    void glide(std::size_t place, int node) {
        std::vector<float> times;
        std::vector<Vec3> moves;
        std::vector<Eigen::Vector4f> turns;
        std::vector<Transform> model(character_.skeleton.size());
        const auto key = [&](float time, float frame, bool at_rest) {
            if (!times.empty() && time <= times.back()) return;
            pose_at(frame, model);
            const CarryPlace& own = plan_.places()[place];
            const Transform thing = at_rest ? sockets_.frame(own.socket, model) * own.placement
                                            : plan_.frame(sockets_, frame, model);
            const Transform at = relative(thing, place, model);
            times.push_back(time);
            moves.push_back(at.translation);
            turns.push_back(at.rotation.normalized().coeffs().cwiseMax(-1.0f).cwiseMin(1.0f));
        };
        for (const CarrySwitch& one : plan_.switches()) {
            if (one.place != place || one.over <= 0.0f || one.frame > last()) continue;
            key(std::max(start_, time_of(one.frame - 2.0f * k_early)), one.frame, true);
            key(std::max(start_, time_of(one.frame - k_early)), one.frame, false);
            key(time_of(one.frame), one.frame, false);
            for (float f = std::floor(one.frame) + 1.0f; f < one.frame + one.over; f += 1.0f)
                if (f <= last()) key(time_of(f), f, false);
            if (one.frame + one.over <= last())
                key(time_of(one.frame + one.over), one.frame + one.over, false);
        }
        if (times.empty()) return;
        for (std::size_t i = 1; i < turns.size(); ++i) {
            if (turns[i].dot(turns[i - 1]) < 0.0f) turns[i] = -turns[i];
        }
        add(node, "translation", "LINEAR", times, add_vectors(glb_, moves, 3));
        add(node, "rotation", "LINEAR", times, add_vectors(glb_, turns, 4));
    }

    void pose_at(float frame, std::vector<Transform>& model) const {
        const auto below = static_cast<std::size_t>(std::floor(frame));
        const std::size_t above = std::min(below + 1, clip_.frame_count() - 1);
        const float share = frame - static_cast<float>(below);
        std::vector<Transform> pose(clip_.frame(below).begin(), clip_.frame(below).end());
        const auto next = clip_.frame(above);
        for (std::size_t b = 0; share > 0.0f && b < pose.size(); ++b) {
            pose[b].translation += share * (next[b].translation - pose[b].translation);
            pose[b].scale += share * (next[b].scale - pose[b].scale);
            pose[b].rotation = pose[b].rotation.slerp(share, next[b].rotation);
        }
        to_model_space(character_.skeleton, pose, model);
    }

    Transform relative(const Transform& thing, std::size_t place, const std::vector<Transform>& model) const {
        const Socket& socket = sockets_.sockets()[plan_.places()[place].socket];
        return inverse(model[static_cast<std::size_t>(socket.bone)]) * thing;
    }

    void add(int node, const char* path, const char* curve, const std::vector<float>& times, int values) {
        const int input = add_accessor<float>(glb_, std::span<const float>(times), 1, k_float, true);
        animation_["samplers"].push_back({{"input", input}, {"interpolation", curve}, {"output", values}});
        animation_["channels"].push_back(
            {{"sampler", animation_["samplers"].size() - 1}, {"target", {{"node", node}, {"path", path}}}});
    }

    Glb& glb_;
    const Character& character_;
    const SocketBinding& sockets_;
    const CarryPlan& plan_;
    const Clip& clip_;
    Json& animation_;
    float start_ = 1e30f;
};

const Clip& clip_named(const std::string& name, const Character& character, std::span<const Clip> clips) {
    const auto changed =
        std::find_if(clips.begin(), clips.end(), [&](const Clip& c) { return c.name == name; });
    return changed == clips.end() ? character.clip(name) : *changed;
}

// An unnamed animation has the name that the reader gives it.
Json& animation_named(Glb& glb, const std::string& name, const std::string& file) {
    Json& animations = glb.json["animations"];
    for (std::size_t i = 0; i < animations.size(); ++i) {
        const std::string own = animations[i].value("name", "");
        if (own == name || (own.empty() && name == "clip-" + std::to_string(i + 1))) return animations[i];
    }
    throw Error(file, "has no animation '" + name + "'");
}

}  // namespace

void switch_places(Glb& glb, const Character& character, const SocketBinding& sockets,
                   const CarriedProp& carried, std::span<const int> nodes, std::span<const Clip> clips) {
    std::vector<Vec3> scales;
    for (std::size_t p = 0; p < nodes.size(); ++p) {
        Json& scale = glb.json["nodes"][static_cast<std::size_t>(nodes[p])]["scale"];
        scales.push_back(vector_of(scale));
        if (p > 0) scale = {0.0, 0.0, 0.0};
    }
    std::vector<CarryPlace> places;
    for (const std::size_t socket : carried.sockets)
        places.push_back({socket, placement_of(*carried.prop, carried.fit)});
    for (const auto& [name, switches] : carried.switches) {
        const Clip& clip = clip_named(name, character, clips);
        const CarryPlan plan(places, switches);
        PlaceSwitcher switcher(glb, character, sockets, plan, clip,
                               animation_named(glb, name, character.file));
        for (std::size_t p = 0; p < nodes.size(); ++p) switcher.write(p, nodes[p], scales[p]);
    }
}

}  // namespace dendraxis::io
