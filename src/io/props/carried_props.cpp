#include "carried_props.hpp"

#include "../gltf/animation_keys.hpp"
#include "../json/json_text.hpp"
#include "prop_marks.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <map>

namespace dendraxis::io {
namespace {

class PlaceSwitcher {
 public:
    PlaceSwitcher(Glb& glb, const Character& character, const SocketBinding& sockets, const CarryPlan& plan,
                  const Clip& clip)
        : character_(character),
          sockets_(sockets),
          plan_(plan),
          clip_(clip),
          keys_(glb, clip, character.file) {}

    void write(std::size_t place, int node, const Vec3& scale) {
        std::vector<std::pair<float, bool>> changes;
        for (const CarrySwitch& one : plan_.switches()) changes.emplace_back(one.frame, one.place == place);
        keys_.show(node, scale, plan_.at(0.0f).to == place, changes);
        glide(place, node);
    }

 private:
    // Keys in all frames in which it is on its way. Right before, where it does not show, it goes from its
    // place to where the way begins.
    void glide(std::size_t place, int node) {
        std::vector<float> times;
        std::vector<Transform> places;
        std::vector<Transform> model(character_.skeleton.size());
        const auto key = [&](float time, float frame, bool at_rest) {
            if (frame > keys_.last_frame() || (!times.empty() && time <= times.back())) return;
            pose_at(frame, model);
            const CarryPlace& own = plan_.places()[place];
            const Transform thing = at_rest ? sockets_.frame(own.socket, model) * own.placement
                                            : plan_.frame(sockets_, frame, model);
            times.push_back(time);
            places.push_back(relative(thing, place, model));
        };
        for (const CarrySwitch& one : plan_.switches()) {
            if (one.place != place || one.over <= 0.0f) continue;
            key(keys_.time_before(one.frame, 2.0f), one.frame, true);
            key(keys_.time_before(one.frame), one.frame, false);
            key(keys_.time_of(one.frame), one.frame, false);
            for (float f = std::floor(one.frame) + 1.0f; f < one.frame + one.over; f += 1.0f)
                key(keys_.time_of(f), f, false);
            key(keys_.time_of(one.frame + one.over), one.frame + one.over, false);
        }
        keys_.move(node, times, places);
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

    const Character& character_;
    const SocketBinding& sockets_;
    const CarryPlan& plan_;
    const Clip& clip_;
    AnimationKeys keys_;
};

const Clip& clip_named(const std::string& name, const Character& character, std::span<const Clip> clips) {
    const auto changed =
        std::find_if(clips.begin(), clips.end(), [&](const Clip& c) { return c.name == name; });
    return changed == clips.end() ? character.clip(name) : *changed;
}

Json& node_at(Glb& glb, int node) {
    return glb.json["nodes"][static_cast<std::size_t>(node)];
}

}  // namespace

void switch_places(Glb& glb, const Character& character, const SocketBinding& sockets,
                   const CarriedProp& carried, std::span<const int> nodes, std::span<const Clip> clips) {
    std::vector<Vec3> scales;
    for (std::size_t p = 0; p < nodes.size(); ++p) {
        Json& scale = node_at(glb, nodes[p])["scale"];
        scales.push_back(vector_of(scale));
        if (p > 0) scale = {0.0, 0.0, 0.0};
    }
    std::vector<CarryPlace> places;
    for (const std::size_t socket : carried.sockets)
        places.push_back({socket, placement_of(*carried.prop, carried.fit)});
    for (const auto& [name, switches] : carried.switches) {
        const CarryPlan plan(places, switches);
        PlaceSwitcher switcher(glb, character, sockets, plan, clip_named(name, character, clips));
        for (std::size_t p = 0; p < nodes.size(); ++p) switcher.write(p, nodes[p], scales[p]);
    }
}

void let_props_go(Glb& glb, const Character& character, std::span<const PropFlight> flights,
                  std::span<const int> nodes, const std::function<int(std::size_t)>& another,
                  std::span<const Clip> clips) {
    std::map<std::size_t, int> loose;  // of each mount its node in the scene
    for (const PropFlight& flight : flights) {
        const Clip& clip = clip_named(flight.clip, character, clips);
        if (flight.frames.empty() || flight.frame + flight.frames.size() > clip.frame_count())
            throw Error(character.file, "the clip '" + clip.name + "' has no such frames", "",
                        "let things go within the clip");
        const int mounted = nodes[flight.mount];
        const Vec3 scale = flight.frames.front().scale;
        if (!loose.contains(flight.mount)) {
            const int made = another(flight.mount);
            Json& node = node_at(glb, made);
            node["scale"] = {0.0, 0.0, 0.0};
            node["extras"][k_prop_mark]["socket"] = "";
            loose[flight.mount] = made;
            glb.json["scenes"][glb.json.value("scene", std::size_t{0})]["nodes"].push_back(made);
        }
        AnimationKeys keys(glb, clip, character.file);
        const auto from = static_cast<float>(flight.frame);
        const std::pair<float, bool> goes{from, false};
        const std::pair<float, bool> comes{from, true};
        keys.show(mounted, vector_of(node_at(glb, mounted)["scale"]), true, {&goes, 1});
        keys.show(loose[flight.mount], scale, false, {&comes, 1});
        std::vector<float> times;
        for (std::size_t f = 0; f < flight.frames.size(); ++f)
            times.push_back(keys.time_of(from + static_cast<float>(f)));
        keys.move(loose[flight.mount], times, flight.frames);
    }
}

}  // namespace dendraxis::io
