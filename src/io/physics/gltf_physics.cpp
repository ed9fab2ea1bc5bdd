#include <dendraxis/io/physics/gltf_physics.hpp>

#include "../gltf/glb_builder.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/binding.hpp>
#include <dendraxis/ragdoll/build.hpp>
#include <dendraxis/ragdoll/check.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

namespace dendraxis::io {
namespace {

constexpr const char* k_bodies = "KHR_physics_rigid_bodies";
constexpr const char* k_shapes = "KHR_implicit_shapes";
constexpr const char* k_collider_ending = ".collider";

// Along the joint's x the bone, about its y the bending.
Quat joint_axes(const Range& range) {
    Eigen::Matrix3f axes;
    axes.col(0) = range.bone;
    axes.col(1) = range.about;
    axes.col(2) = range.bone.cross(range.about);
    return Quat(axes).normalized();
}

Json shape_json(const Shape& shape) {
    const Vec3 size = 2.0f * shape.half;
    if (shape.kind == ShapeKind::box) return {{"type", "box"}, {"box", {{"size", list_of(size)}}}};
    if (shape.kind == ShapeKind::sphere)
        return {{"type", "sphere"}, {"sphere", {{"radius", shape.half.x()}}}};
    return {{"type", "capsule"},
            {"capsule",
             {{"height", std::max(0.0f, size.y() - size.x())},
              {"radiusBottom", shape.half.x()},
              {"radiusTop", shape.half.x()}}}};
}

class PhysicsWriter {
 public:
    PhysicsWriter(const Character& character, const Chart& chart, const RagdollPlan& plan)
        : character_(character),
          plan_(plan),
          binding_(plan, chart),
          rest_(rest_in_model_space(chart.skeleton)),
          states_(plan.bodies.size()),
          anchors_(plan.joints.size()),
          glb_(open_for_editing(read_gltf_file(character.file))) {
        binding_.bodies_of(rest_, {}, states_);
        binding_.anchors_of(rest_, anchors_);
    }

    std::vector<std::uint8_t> write() {
        for (const char* extension : {k_shapes, k_bodies}) add_extension(extension);
        Json& physics = glb_.json["extensions"][k_bodies];
        physics["physicsMaterials"] =
            Json::array({{{"staticFriction", 0.8}, {"dynamicFriction", 0.8}, {"restitution", 0.0}}});
        physics["collisionFilters"] = Json::array();
        physics["physicsJoints"] = Json::array();
        for (std::size_t b = 0; b < plan_.bodies.size(); ++b) add_body(b);
        for (std::size_t j = 0; j < plan_.joints.size(); ++j) add_joint(j);
        return to_bytes(glb_);
    }

 private:
    void add_extension(const char* name) {
        Json& used = glb_.json["extensionsUsed"];
        if (std::find(used.begin(), used.end(), name) == used.end()) used.push_back(name);
    }

    // A node below a bone, told in metres along the bone's own axes whatever its scale.
    int add_node(const std::string& name, int bone, const Vec3& position, const Quat& turn, Json extension) {
        const Transform& at = rest_[static_cast<std::size_t>(bone)];
        const Vec3 scale = at.scale.cwiseAbs().cwiseMax(1e-9f);
        Json node{{"name", name},
                  {"translation", list_of(Vec3(position.cwiseQuotient(scale)))},
                  {"rotation", list_of(Quat(turn.coeffs().cwiseMax(-1.0f).cwiseMin(1.0f)))},
                  {"scale", list_of(Vec3(scale.cwiseInverse()))},
                  {"extensions", {{k_bodies, std::move(extension)}}}};
        const int index = push(glb_.json, "nodes", std::move(node));
        const auto parent = static_cast<std::size_t>(character_.nodes[static_cast<std::size_t>(bone)]);
        glb_.json["nodes"][parent]["children"].push_back(index);
        return index;
    }

    // The bodies that this one passes through although they are not linked.
    Json filter_of(std::size_t body) const {
        Json apart = Json::array();
        for (const auto& [a, b] : plan_.pass_through) {
            if (a == static_cast<int>(body)) apart.push_back(plan_.bodies[static_cast<std::size_t>(b)].name);
            if (b == static_cast<int>(body)) apart.push_back(plan_.bodies[static_cast<std::size_t>(a)].name);
        }
        Json filter{{"collisionSystems", Json::array({"ragdoll", plan_.bodies[body].name})}};
        if (!apart.empty()) filter["notCollideWithSystems"] = apart;
        return filter;
    }

    void add_body(std::size_t index) {
        const RagdollBody& body = plan_.bodies[index];
        const Transform& bone = rest_[static_cast<std::size_t>(body.bone)];
        const Quat to_bone = bone.rotation.conjugate();
        const Vec3 position = to_bone * (states_[index].position - bone.translation);
        const Quat turn = (to_bone * states_[index].turn).normalized();
        Json motion{
            {"mass", body.mass},
            {"centerOfMass", list_of(Vec3(position.cwiseQuotient(bone.scale.cwiseAbs().cwiseMax(1e-9f))))},
            {"inertiaDiagonal", list_of(body.inertia)},
            {"inertiaOrientation", list_of(turn)}};
        if (body.kinematic) motion["isKinematic"] = true;
        const auto node = static_cast<std::size_t>(character_.nodes[static_cast<std::size_t>(body.bone)]);
        glb_.json["nodes"][node]["extensions"][k_bodies]["motion"] = std::move(motion);
        Json& shapes = glb_.json["extensions"][k_shapes]["shapes"];
        shapes.push_back(shape_json(body.shape));
        Json& filters = glb_.json["extensions"][k_bodies]["collisionFilters"];
        filters.push_back(filter_of(index));
        add_node(body.name + k_collider_ending, body.bone, position, turn,
                 {{"collider",
                   {{"geometry", {{"shape", shapes.size() - 1}}},
                    {"physicsMaterial", 0},
                    {"collisionFilter", filters.size() - 1}}}});
    }

    void add_joint(std::size_t index) {
        const RagdollJoint& joint = plan_.joints[index];
        const auto body = static_cast<std::size_t>(joint.body);
        const auto above = static_cast<std::size_t>(joint.above);
        const Quat axes = joint_axes(joint.range);
        const auto end = [&](std::size_t of, const Vec3& on, const Quat& own_axes, const std::string& name,
                             Json ext) {
            const RagdollBody& one = plan_.bodies[of];
            const Transform& bone = rest_[static_cast<std::size_t>(one.bone)];
            const Vec3 position = states_[of].position + states_[of].turn * on;
            const Quat turn = states_[of].turn * own_axes * axes;
            return add_node(name, one.bone, bone.rotation.conjugate() * (position - bone.translation),
                            (bone.rotation.conjugate() * turn).normalized(), std::move(ext));
        };
        const std::string name = plan_.bodies[body].name + ".joint";
        const int upper =
            end(above, anchors_[index].on_above, anchors_[index].above_axes, name + ".above", Json::object());
        const auto limit = [](int axis, const AngleSpan& span) {
            return Json{{"angularAxes", Json::array({axis})}, {"min", span.from}, {"max", span.to}};
        };
        Json& list = glb_.json["extensions"][k_bodies]["physicsJoints"];
        list.push_back({{"limits", Json::array({{{"linearAxes", {0, 1, 2}}, {"min", 0.0}, {"max", 0.0}},
                                                limit(0, joint.range.twist),
                                                limit(1, joint.range.bend),
                                                limit(2, joint.range.side)})}});
        end(body, anchors_[index].on_body, anchors_[index].body_axes, name,
            {{"joint", {{"connectedNode", upper}, {"joint", list.size() - 1}, {"enableCollision", false}}}});
    }

    const Character& character_;
    const RagdollPlan& plan_;
    RagdollBinding binding_;
    std::vector<Transform> rest_;
    std::vector<BodyState> states_;
    std::vector<JointAnchor> anchors_;
    Glb glb_;
};

// ------------------------------------------------------------------ reading

class PhysicsReader {
 public:
    PhysicsReader(const std::filesystem::path& file, const Character& character, const Chart& chart)
        : file_(file.string()),
          character_(character),
          chart_(chart),
          rest_(rest_in_model_space(chart.skeleton)),
          json_(Json::parse(read_gltf_file(file).json)) {}

    RagdollPlan read() {
        try {
            read_bodies();
            if (plan_.bodies.empty())
                throw Error(file_, "holds no rigid bodies", "",
                            "name a file that `dendraxis ragdoll export` wrote");
            read_joints();
            read_filters();
        } catch (const Json::exception&) {
            throw Error(file_, "its rigid bodies are damaged", k_bodies, "export it again");
        }
        complete_ragdoll(plan_, character_, chart_);
        require_sound(plan_, chart_);
        const std::vector<int> owners = bodies_of_bones(chart_.skeleton, plan_);
        for (std::size_t bone = 0; bone < owners.size(); ++bone) {
            if (owners[bone] < 0) continue;
            RagdollBody& body = plan_.bodies[static_cast<std::size_t>(owners[bone])];
            if (body.bone != static_cast<int>(bone)) body.also.push_back(static_cast<int>(bone));
        }
        for (int b = 0; b < static_cast<int>(plan_.bodies.size()); ++b) plan_.profiles["fall"].push_back(b);
        return std::move(plan_);
    }

 private:
    static const Json* physics_of(const Json& node) {
        const auto extensions = node.find("extensions");
        if (extensions == node.end()) return nullptr;
        const auto found = extensions->find(k_bodies);
        return found == extensions->end() ? nullptr : &*found;
    }

    static Vec3 vector(const Json& json, const char* key) {
        if (!json.contains(key)) return Vec3::Zero();
        return {json[key].at(0).get<float>(), json[key].at(1).get<float>(), json[key].at(2).get<float>()};
    }

    static Quat turn(const Json& json, const char* key) {
        if (!json.contains(key)) return Quat::Identity();
        const Json& q = json[key];
        return Quat(q.at(3).get<float>(), q.at(0).get<float>(), q.at(1).get<float>(), q.at(2).get<float>())
            .normalized();
    }

    int bone_of(int node) const {
        const auto found = std::find(character_.nodes.begin(), character_.nodes.end(), node);
        return found == character_.nodes.end() ? k_no_bone
                                               : static_cast<int>(found - character_.nodes.begin());
    }

    // Of a position along a bone's own axes, in metres, in the upright frame from the bone's head.
    Vec3 upright(int bone, const Vec3& in_node) const {
        const Transform& at = rest_[static_cast<std::size_t>(bone)];
        return chart_.to_upright() * (at.rotation * in_node.cwiseProduct(at.scale.cwiseAbs()));
    }

    void read_bodies() {
        for (std::size_t n = 0; n < json_["nodes"].size(); ++n) {
            const Json& node = json_["nodes"][n];
            const Json* physics = physics_of(node);
            if (physics == nullptr || !physics->contains("motion")) continue;
            const int bone = bone_of(static_cast<int>(n));
            if (bone == k_no_bone)
                throw Error(file_, "a rigid body stands on a node that is no bone of the character",
                            fmt::format("node {}", n), "name the character that it was exported from");
            const Json& motion = (*physics)["motion"];
            RagdollBody body;
            body.name = chart_.skeleton.bone(bone).label;
            body.bone = bone;
            body.mass = motion.value("mass", 0.0f);
            body.inertia = vector(motion, "inertiaDiagonal");
            body.kinematic = motion.value("isKinematic", false);
            read_collider(node, body);
            plan_.bodies.push_back(std::move(body));
        }
    }

    void read_collider(const Json& node, RagdollBody& body) {
        for (const Json& index : node.value("children", Json::array())) {
            const Json& child = json_["nodes"].at(index.get<std::size_t>());
            const Json* physics = physics_of(child);
            if (physics == nullptr || !physics->contains("collider")) continue;
            const std::string name = child.value("name", "");
            if (name.ends_with(k_collider_ending))
                body.name = name.substr(0, name.size() - std::string(k_collider_ending).size());
            const auto shape = (*physics)["collider"].at("geometry").at("shape").get<std::size_t>();
            body.shape = shape_of(json_["extensions"].at(k_shapes).at("shapes").at(shape));
            body.at = upright(body.bone, vector(child, "translation"));
            body.turn = (chart_.to_upright() * rest_[static_cast<std::size_t>(body.bone)].rotation *
                         turn(child, "rotation"))
                            .normalized();
            return;
        }
    }

    static Shape shape_of(const Json& json) {
        const std::string type = json.at("type").get<std::string>();
        if (type == "box") return {ShapeKind::box, 0.5f * vector(json.at("box"), "size")};
        if (type == "sphere")
            return {ShapeKind::sphere, Vec3::Constant(json.at("sphere").at("radius").get<float>())};
        const Json& capsule = json.at("capsule");
        const float radius = std::max(capsule.value("radiusTop", 0.0f), capsule.value("radiusBottom", 0.0f));
        return {ShapeKind::capsule, Vec3(radius, radius + 0.5f * capsule.value("height", 0.0f), radius)};
    }

    int body_at(int node) const {
        const int bone = bone_of(node);
        const auto found = std::find_if(plan_.bodies.begin(), plan_.bodies.end(),
                                        [&](const auto& b) { return b.bone == bone; });
        return bone == k_no_bone || found == plan_.bodies.end()
                   ? -1
                   : static_cast<int>(found - plan_.bodies.begin());
    }

    int parent_of(std::size_t node) const {
        for (std::size_t n = 0; n < json_["nodes"].size(); ++n) {
            for (const Json& child : json_["nodes"][n].value("children", Json::array())) {
                if (child.get<std::size_t>() == node) return static_cast<int>(n);
            }
        }
        return -1;
    }

    void read_joints() {
        for (std::size_t n = 0; n < json_["nodes"].size(); ++n) {
            const Json* physics = physics_of(json_["nodes"][n]);
            if (physics == nullptr || !physics->contains("joint")) continue;
            const Json& link = (*physics)["joint"];
            RagdollJoint joint;
            joint.body = body_at(parent_of(n));
            joint.above = body_at(parent_of(link.at("connectedNode").get<std::size_t>()));
            if (joint.body < 0 || joint.above < 0)
                throw Error(file_, "a joint links a node that is no rigid body", fmt::format("node {}", n),
                            "export it again");
            const int bone = plan_.bodies[static_cast<std::size_t>(joint.body)].bone;
            joint.at = upright(bone, vector(json_["nodes"][n], "translation"));
            if (joint.at.norm() < 1e-6f * chart_.height) joint.at.setZero();
            read_range(n, link, bone, joint);
            plan_.joints.push_back(joint);
        }
    }

    void read_range(std::size_t node, const Json& link, int bone, RagdollJoint& joint) const {
        const Quat axes = chart_.to_upright() * rest_[static_cast<std::size_t>(bone)].rotation *
                          turn(json_["nodes"][node], "rotation");
        AngleSpan twist;
        AngleSpan bend;
        AngleSpan side;
        const Json& limits = json_["extensions"]
                                 .at(k_bodies)
                                 .at("physicsJoints")
                                 .at(link.at("joint").get<std::size_t>())
                                 .at("limits");
        for (const Json& limit : limits) {
            for (const Json& axis : limit.value("angularAxes", Json::array())) {
                AngleSpan& span = axis == 0 ? twist : axis == 1 ? bend : side;
                span = {limit.value("min", span.from), limit.value("max", span.to)};
            }
        }
        joint.range = range_of(chart_, bone, twist, bend, side, axes * Vec3::UnitY());
        joint.range.bone = axes * Vec3::UnitX();
        joint.range.about = axes * Vec3::UnitY();
    }

    void read_filters() {
        const Json filters = json_["extensions"][k_bodies].value("collisionFilters", Json::array());
        for (const Json& filter : filters) {
            const Json own = filter.value("collisionSystems", Json::array());
            for (const Json& other : filter.value("notCollideWithSystems", Json::array())) {
                const int a = own.empty() ? -1 : plan_.find(own.back().get<std::string>());
                const int b = plan_.find(other.get<std::string>());
                if (a >= 0 && b > a) plan_.pass_through.emplace_back(a, b);
            }
        }
    }

    std::string file_;
    const Character& character_;
    const Chart& chart_;
    std::vector<Transform> rest_;
    Json json_;
    RagdollPlan plan_;
};

}  // namespace

std::vector<std::uint8_t> glb_with_ragdoll(const Character& character, const Chart& chart,
                                           const RagdollPlan& plan) {
    if (character.file.empty() || character.nodes.empty())
        throw Error(character.name, "was not read from a glTF file", "",
                    "write it first: `dendraxis convert`");
    return PhysicsWriter(character, chart, plan).write();
}

RagdollPlan read_physics(const std::filesystem::path& file, const Character& character, const Chart& chart) {
    return PhysicsReader(file, character, chart).read();
}

}  // namespace dendraxis::io
