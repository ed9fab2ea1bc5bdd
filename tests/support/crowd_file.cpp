// From planned joints to a character: hierarchy, names, axes, unit, skin.
#include "crowd_builder.hpp"

namespace crowd {

// What the file's hierarchy says differs from the body.
void Builder::rebuild_hierarchy() {
    const bool skin = !odd().no_skin && !odd().hard;
    for (Joint& j : joints_) {
        if (j.holder.empty()) j.holder = j.parent;
    }
    if (odd().many_roots && skin) {
        for (Joint& j : joints_) {
            const std::string stem = j.label.substr(0, j.label.find('.'));
            if (stem == "head" || stem == "hand" || stem == "foot" ||
                (stem == "spine0" && chest_ != "spine0"))
                j.parent = "";
        }
    }
    if (odd().chest_root && skin && has("hips") && !odd().two_spines && body_.kind != Kind::none) {
        const std::string above = joint("hips").parent;
        joint("hips").parent = chest_;
        joint("hips").holder = "spine0";
        for (Joint& j : joints_) {
            if (j.label == "spine0") j.parent = above, j.holder = "hips";
        }
        body_.hips.insert(chest_);
        for (const std::string& bone : body_.chains["spine"])
            body_.hips.insert(bone), body_.optional.insert(bone);
        if (chest_ != "spine0") body_.hips.insert("spine0");
    }
    if (odd().flat_fingers && skin) {
        for (Joint& j : joints_) {
            for (const char* finger : {"thumb", "index", "middle", "ring", "little"}) {
                if (j.label.starts_with(finger) && j.label.size() > 2)
                    j.parent = std::string("hand") + j.label.substr(j.label.size() - 2);
            }
        }
    }
}

std::string Builder::written_name(const Joint& joint, std::size_t index) {
    if (body_.names == Names::none)
        return "node" + std::to_string(100 + index * 7 % 97) + "x" + std::to_string(index);
    static const std::map<std::string, std::string> k_words{
        {"upper", "UpperArm"}, {"upper2", "UpperArmB"},  {"lower", "Forearm"}, {"hand", "Hand"},
        {"thigh", "Thigh"},    {"thigh2", "ThighB"},     {"shin", "Calf"},     {"foot", "Foot"},
        {"toes", "Toes"},      {"shoulder", "Clavicle"}, {"hips", "Pelvis"},   {"head", "Head"},
        {"jaw", "Jaw"},        {"eye", "Eye"},           {"ear", "Ear"},       {"hip", "Hip"},
        {"goal", "Hand_IK"},   {"root", "Root"},         {"blade", "Shoulder"}};
    const auto dot = joint.label.find('.');
    std::string stem = joint.label.substr(
        0, dot == std::string::npos || joint.label.find(".palm") == dot ? joint.label.size() : dot);
    std::string side = joint.label.ends_with(".l") ? "L" : joint.label.ends_with(".r") ? "R" : "";
    const auto known = k_words.find(stem);
    std::string word = known != k_words.end() ? known->second : stem;
    if (body_.names == Names::misleading) {
        // Words of the trade in the wrong places, as rigs of many hands have them.
        static const std::map<std::string, std::string> k_wrong{
            {"head", "Neck_upper"}, {"hip", "Leg"},      {"upper", "Shoulder"},
            {"thigh", "Hip"},       {"hand", "arm_tip"}, {"foot", "leg_end"},
            {"cape0", "back"},      {"hair0", "tail"},   {"sword", "arm_extra"}};
        const auto wrong = k_wrong.find(stem);
        const bool nothing_else_tells = odd().no_skin && (stem == "foot" || stem == "hand");
        if (wrong != k_wrong.end() && !nothing_else_tells) word = wrong->second;
    }
    if (body_.names == Names::sideless || side.empty()) return word;
    return word + "_" + side;
}

void Builder::finish() {
    if (odd().loose_roots && body_.kind != Kind::none) {
        add("pole.l", "", {0.1f, 0.5f, 0.6f}, Vec3::Zero(), 0.0f);
        add("pole.r", "", {-0.1f, 0.5f, 0.6f}, Vec3::Zero(), 0.0f);
    }
    sort_joints();
    const Vec3 origin = odd().pelvis_origin && has("hips") ? joint("hips").position : Vec3(Vec3::Zero());
    const float scale = std::pow(10.0f, uniform(-2.0f, 2.0f));
    const float quarter = 1.57079633f;
    const Quat yaw(Eigen::AngleAxisf(quarter * static_cast<float>(count(0, 3)), Vec3::UnitY()));
    const Quat up = count(0, 2) == 0 ? Quat(Eigen::AngleAxisf(quarter, Vec3::UnitX())) : Quat::Identity();
    const Quat turn = up * yaw;
    body_.facing = turn * body_.facing;
    std::vector<dendraxis::Bone> bones;
    std::vector<Quat> turns;
    for (std::size_t i = 0; i < joints_.size(); ++i) {
        Joint& j = joints_[i];
        j.position = turn * (scale * (j.position - origin));
        j.end = turn * (scale * (j.end - origin));
        j.radius *= scale;
        dendraxis::Bone bone;
        bone.name = written_name(j, i);
        bone.label = j.label;
        bone.parent = index_of(j.parent);
        const Quat own(
            Eigen::AngleAxisf(uniform(-3.0f, 3.0f), Vec3(uniform(-1, 1), uniform(-1, 1), 1.1f).normalized()));
        turns.push_back(own);
        if (bone.parent == dendraxis::k_no_bone) {
            bone.rest.translation = j.position;
            bone.rest.rotation = own;
        } else {
            const auto p = static_cast<std::size_t>(bone.parent);
            bone.rest.translation = turns[p].conjugate() * (j.position - joints_[p].position);
            bone.rest.rotation = turns[p].conjugate() * own;
        }
        bone.rest.scale = Vec3::Ones();
        bones.push_back(bone);
    }
    body_.character.name = "crowd";
    body_.character.skeleton = dendraxis::Skeleton(bones);
    if (!odd().no_skin) add_skin();
}

int Builder::index_of(const std::string& label) const {
    for (std::size_t i = 0; i < joints_.size(); ++i) {
        if (joints_[i].label == label) return static_cast<int>(i);
    }
    return dendraxis::k_no_bone;
}

// Parents first, else in an order that tells nothing.
void Builder::sort_joints() {
    std::vector<Joint> waiting = std::move(joints_);
    joints_.clear();
    std::shuffle(waiting.begin(), waiting.end(), random_);
    while (!waiting.empty()) {
        for (std::size_t i = 0; i < waiting.size();) {
            if (waiting[i].parent.empty() || has(waiting[i].parent)) {
                joints_.push_back(waiting[i]);
                waiting.erase(waiting.begin() + static_cast<std::ptrdiff_t>(i));
            } else {
                ++i;
            }
        }
    }
}

// Around each bone a tube of six sides; its ends are shared with the bones before and after it.
void Builder::add_skin() {
    SkinnedMesh mesh;
    std::vector<Eigen::Affine3f> binds;
    const auto model = dendraxis::rest_in_model_space(body_.character.skeleton);
    for (std::size_t i = 0; i < joints_.size(); ++i) {
        mesh.bones.push_back(static_cast<int>(i));
        mesh.inverse_bind.push_back(dendraxis::to_affine(model[i]).inverse());
    }
    for (std::size_t i = 0; i < joints_.size(); ++i) {
        const Joint& j = joints_[i];
        if (j.radius <= 0.0f) continue;
        int before = index_of(j.holder.empty() ? j.parent : j.holder);
        while (before != dendraxis::k_no_bone && joints_[static_cast<std::size_t>(before)].radius <= 0.0f)
            before = index_of(joints_[static_cast<std::size_t>(before)].parent);
        const Vec3 along = (j.end - j.position).normalized();
        const Vec3 u = along.unitOrthogonal() * j.radius;
        const Vec3 v = along.cross(u);
        const auto base = static_cast<std::uint32_t>(mesh.positions.size());
        for (std::uint32_t ring = 0; ring < 4; ++ring) {
            const Vec3 middle = j.position + (j.end - j.position) * (static_cast<float>(ring) / 3.0f);
            for (std::uint32_t k = 0; k < 6; ++k) {
                const float angle = 1.04719755f * static_cast<float>(k);
                mesh.positions.push_back(middle + std::cos(angle) * u + std::sin(angle) * v);
                mesh.normals.push_back((std::cos(angle) * u + std::sin(angle) * v).normalized());
                const bool shared = ring == 0 && before != dendraxis::k_no_bone && !odd().hard;
                mesh.joints.push_back(
                    {static_cast<std::uint16_t>(i), static_cast<std::uint16_t>(std::max(before, 0)), 0, 0});
                mesh.weights.push_back(shared ? std::array<float, 4>{0.5f, 0.5f, 0, 0}
                                              : std::array<float, 4>{1, 0, 0, 0});
            }
        }
        for (std::uint32_t ring = 0; ring < 3; ++ring) {
            for (std::uint32_t k = 0; k < 6; ++k) {
                const std::uint32_t a = base + 6 * ring + k;
                const std::uint32_t b = base + 6 * ring + (k + 1) % 6;
                mesh.triangles.push_back({a, b, a + 6});
                mesh.triangles.push_back({b, b + 6, a + 6});
            }
        }
    }
    body_.character.meshes.push_back(std::move(mesh));
}

}  // namespace crowd
