#include <dendraxis/io/sheet/ragdoll_sheet.hpp>

#include "../json/json_text.hpp"
#include "sheet_parts.hpp"

#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/check.hpp>

#include <fmt/format.h>
#include <cmath>
#include <set>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;

// ------------------------------------------------------------------ writing

Json body_json(const RagdollPlan& plan, int index, const Skeleton& skeleton) {
    const RagdollBody& body = plan.bodies[static_cast<std::size_t>(index)];
    Json also = Json::array();
    for (const int bone : body.also) also.push_back(bone_json(skeleton, bone));
    Json json{{"name", body.name},
              {"bone", bone_json(skeleton, body.bone)},
              {"shape", to_string(body.shape.kind)},
              {"size", json_of(2.0f * body.shape.half)},
              {"at", json_of(body.at)},
              {"turn", json_of(rotation_vector(body.turn) * k_degrees)},
              {"mass", rounded(body.mass)}};
    const Vec3 steady = steady_inertia(plan, index);
    if ((body.inertia - steady).norm() > 1e-3f * steady.norm()) json["inertia"] = json_of(body.inertia);
    if (body.kinematic) json["kinematic"] = true;
    if (!body.also.empty()) json["also"] = also;
    return json;
}

Json joint_json(const RagdollJoint& joint, const RagdollPlan& plan) {
    const auto span = [](const AngleSpan& angles) {
        return Json{rounded(angles.from * k_degrees), rounded(angles.to * k_degrees)};
    };
    Json json{{"body", plan.bodies[static_cast<std::size_t>(joint.body)].name},
              {"above", plan.bodies[static_cast<std::size_t>(joint.above)].name},
              {"twist", span(joint.range.twist)},
              {"bend", span(joint.range.bend)},
              {"side", span(joint.range.side)},
              {"about", json_of(joint.range.about)},
              {"strength", rounded(joint.strength)},
              {"damping", rounded(joint.damping)}};
    if (!joint.at.isZero()) json["at"] = json_of(joint.at);
    return json;
}

// ------------------------------------------------------------------ reading

class PlanReader {
 public:
    PlanReader(const JsonDocument& document, const Rig& rig)
        : document_(document), rig_(rig), json_(document.json["ragdoll"]) {}

    RagdollPlan read() {
        read_bodies();
        const bool has_joints = json_.contains("joints");
        if (has_joints) read_joints();
        read_lists();
        if (!has_joints) link_ragdoll(plan_, rig_.chart);
        complete_ragdoll(plan_, rig_.character, rig_.chart);
        require_sound(plan_, rig_.chart);
        if (!json_.contains("pass_through")) {
            for (const Overlap& pair : overlaps_at_rest(plan_, rig_.chart, 0.0f))
                plan_.pass_through.emplace_back(pair.a, pair.b);
        }
        return std::move(plan_);
    }

 private:
    void read_bodies() {
        const Json list = json_.value("bodies", Json::array());
        if (list.size() > k_most_bodies)
            document_.fail(
                fmt::format("the ragdoll has {} bodies", list.size()), "/ragdoll/bodies",
                fmt::format("{} is the most; leave small bones to the bodies above them", k_most_bodies));
        std::set<std::string> names;
        std::set<int> bones;
        for (std::size_t i = 0; i < list.size(); ++i) {
            const Json& entry = list[i];
            const std::string pointer = fmt::format("/ragdoll/bodies/{}", i);
            RagdollBody body;
            body.name = entry["name"].get<std::string>();
            if (!names.insert(body.name).second)
                document_.fail("two bodies have the name '" + body.name + "'", pointer + "/name",
                               "rename one");
            body.bone = bone_named(document_, rig_.chart.skeleton, entry["bone"], pointer + "/bone");
            if (!bones.insert(body.bone).second)
                document_.fail("two bodies are carried by the same bone", pointer + "/bone",
                               "leave one of them out");
            const Json also = entry.value("also", Json::array());
            for (std::size_t k = 0; k < also.size(); ++k)
                body.also.push_back(bone_named(document_, rig_.chart.skeleton, also[k],
                                               fmt::format("{}/also/{}", pointer, k)));
            read_shape(entry, body);
            body.mass = entry.value("mass", 0.0f);
            if (entry.contains("inertia")) body.inertia = vector_of(entry["inertia"]);
            body.kinematic = entry.value("kinematic", false);
            plan_.bodies.push_back(std::move(body));
        }
    }

    static void read_shape(const Json& entry, RagdollBody& body) {
        if (!entry.contains("size")) return;  // it will be fitted
        const std::string kind = entry.value("shape", "capsule");
        body.shape.kind = kind == "box"      ? ShapeKind::box
                          : kind == "sphere" ? ShapeKind::sphere
                                             : ShapeKind::capsule;
        body.shape.half = 0.5f * vector_of(entry["size"]);
        if (body.shape.kind == ShapeKind::sphere) body.shape.half.setConstant(body.shape.half.x());
        if (body.shape.kind == ShapeKind::capsule) {
            const float radius = body.shape.half.x();
            body.shape.half = {radius, std::max(radius, body.shape.half.y()), radius};
        }
        if (entry.contains("at")) body.at = vector_of(entry["at"]);
        if (entry.contains("turn")) body.turn = turn_of(entry["turn"]);
    }

    int body_named(const Json& value, const std::string& pointer) const {
        const std::string name = value.get<std::string>();
        const int body = plan_.find(name);
        if (body >= 0) return body;
        std::vector<std::string> names;
        for (const RagdollBody& known : plan_.bodies) names.push_back(known.name);
        document_.fail("there is no body '" + name + "' in this ragdoll", pointer,
                       did_you_mean(name, names, "name one of its bodies"), ErrorCode::unknown_name);
    }

    AngleSpan span_of(const Json& entry, const char* key, const std::string& pointer) const {
        const AngleSpan span{entry[key][0].get<float>() / k_degrees, entry[key][1].get<float>() / k_degrees};
        if (span.from > span.to)
            document_.fail("the range goes from more to less", pointer + "/" + key,
                           "write the smaller angle first");
        return span;
    }

    void read_joints() {
        const Json& list = json_["joints"];
        for (std::size_t i = 0; i < list.size(); ++i) {
            const Json& entry = list[i];
            const std::string pointer = fmt::format("/ragdoll/joints/{}", i);
            RagdollJoint joint;
            joint.body = body_named(entry["body"], pointer + "/body");
            joint.above = body_named(entry["above"], pointer + "/above");
            if (entry.contains("at")) joint.at = vector_of(entry["at"]);
            joint.strength = entry.value("strength", -1.0f);
            joint.damping = entry.value("damping", 1.0f);
            read_range(entry, pointer, joint);
            plan_.joints.push_back(joint);
        }
    }

    // Without any span the one in force holds; without some, those are free.
    void read_range(const Json& entry, const std::string& pointer, RagdollJoint& joint) const {
        joint.range.about = Vec3::Zero();
        if (!entry.contains("twist") && !entry.contains("bend") && !entry.contains("side")) return;
        AngleSpan twist;
        AngleSpan bend;
        AngleSpan side;
        if (entry.contains("twist")) twist = span_of(entry, "twist", pointer);
        if (entry.contains("bend")) bend = span_of(entry, "bend", pointer);
        if (entry.contains("side")) side = span_of(entry, "side", pointer);
        const Vec3 about = entry.contains("about") ? vector_of(entry["about"]) : Vec3(Vec3::Zero());
        const int bone = plan_.bodies[static_cast<std::size_t>(joint.body)].bone;
        joint.range = range_of(rig_.chart, bone, twist, bend, side, about);
    }

    void read_lists() {
        const Json pairs = json_.value("pass_through", Json::array());
        for (std::size_t i = 0; i < pairs.size(); ++i) {
            const std::string pointer = fmt::format("/ragdoll/pass_through/{}", i);
            plan_.pass_through.emplace_back(body_named(pairs[i][0], pointer + "/0"),
                                            body_named(pairs[i][1], pointer + "/1"));
        }
        const Json profiles = json_.value("profiles", Json::object());
        for (const auto& [name, bodies] : profiles.items()) {
            std::vector<int>& own = plan_.profiles[name];
            for (std::size_t i = 0; i < bodies.size(); ++i)
                own.push_back(body_named(bodies[i], fmt::format("/ragdoll/profiles/{}/{}", name, i)));
        }
        if (!json_.contains("profiles")) {
            for (int i = 0; i < static_cast<int>(plan_.bodies.size()); ++i)
                plan_.profiles["fall"].push_back(i);
        }
    }

    const JsonDocument& document_;
    const Rig& rig_;
    const Json& json_;
    RagdollPlan plan_;
};

}  // namespace

Json ragdoll_part(const RagdollPlan& plan, const Skeleton& skeleton) {
    const auto name = [&](int body) { return plan.bodies[static_cast<std::size_t>(body)].name; };
    Json json{{"bodies", Json::array()},
              {"joints", Json::array()},
              {"pass_through", Json::array()},
              {"profiles", Json::object()}};
    for (int i = 0; i < static_cast<int>(plan.bodies.size()); ++i)
        json["bodies"].push_back(body_json(plan, i, skeleton));
    for (const RagdollJoint& joint : plan.joints) json["joints"].push_back(joint_json(joint, plan));
    for (const auto& [a, b] : plan.pass_through) json["pass_through"].push_back(Json{name(a), name(b)});
    for (const auto& [profile, bodies] : plan.profiles) {
        json["profiles"][profile] = Json::array();
        for (const int body : bodies) json["profiles"][profile].push_back(name(body));
    }
    return json;
}

std::optional<RagdollPlan> read_ragdoll(const Rig& rig) {
    if (!holds(rig.sheet, "ragdoll")) return std::nullopt;
    return PlanReader(*rig.sheet.document, rig).read();
}

RagdollPlan ragdoll_of(const Rig& rig) {
    if (auto plan = read_ragdoll(rig)) return *std::move(plan);
    return build_ragdoll(rig.character, rig.chart);
}

void set_ragdoll(RigSheet& sheet, const RagdollPlan& plan, const Skeleton& skeleton) {
    put(sheet, "ragdoll", ragdoll_part(plan, skeleton));
}

}  // namespace dendraxis::io
