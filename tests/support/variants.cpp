#include "variants.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/chart.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <array>
#include <functional>
#include <random>
#include <utility>

namespace variants {
namespace {

using dendraxis::Affine;
using dendraxis::Bone;
using dendraxis::Skeleton;
using dendraxis::SkinnedMesh;

// Rebuilds a character from new model-space rests and a new node above; the surface stays where it was, moved
// by `surface`.
Character rebuilt(Character character, std::vector<Transform> model, const Transform& above,
                  const Affine& surface = Affine::Identity()) {
    std::vector<Bone> bones(character.skeleton.bones().begin(), character.skeleton.bones().end());
    const std::vector<Transform> old = dendraxis::rest_in_model_space(character.skeleton);
    for (std::size_t i = 0; i < bones.size(); ++i) {
        const Transform& parent = bones[i].parent == dendraxis::k_no_bone
                                      ? above
                                      : model[static_cast<std::size_t>(bones[i].parent)];
        bones[i].rest = inverse(parent) * model[i];
        bones[i].rest.rotation.normalize();
    }
    for (SkinnedMesh& mesh : character.meshes) {
        for (std::size_t k = 0; k < mesh.bones.size(); ++k) {
            const auto bone = static_cast<std::size_t>(mesh.bones[k]);
            mesh.inverse_bind[k] =
                to_affine(model[bone]).inverse() * surface * to_affine(old[bone]) * mesh.inverse_bind[k];
            mesh.inverse_bind[k].makeAffine();
        }
    }
    character.skeleton = Skeleton(std::move(bones), above);
    character.clips.clear();
    return character;
}

}  // namespace

Character renamed(Character character) {
    static constexpr std::array<std::pair<const char*, const char*>, 17> k_words{{{"upper_arm", "ArmUpper"},
                                                                                  {"forearm", "Elbow"},
                                                                                  {"hand", "Wrist"},
                                                                                  {"shoulder", "Clavicle"},
                                                                                  {"spine_1", "Waist"},
                                                                                  {"spine_2", "Abdomen"},
                                                                                  {"chest", "Thorax"},
                                                                                  {"hips", "Pelvis"},
                                                                                  {"ground", "Root"},
                                                                                  {"thigh", "UpLeg"},
                                                                                  {"shin", "Knee"},
                                                                                  {"foot", "Ankle"},
                                                                                  {"toes", "Ball"},
                                                                                  {"head", "Skull"},
                                                                                  {"neck", "Nape"},
                                                                                  {"index", "Pointer"},
                                                                                  {"little", "Pinky"}}};
    std::vector<Bone> bones(character.skeleton.bones().begin(), character.skeleton.bones().end());
    for (Bone& bone : bones) {
        std::string name = bone.name;
        std::string side;
        for (const auto& [word, letter] : {std::pair("_left", ".L"), std::pair("_right", ".R")}) {
            const auto at = name.find(word);
            if (at == std::string::npos) continue;
            name.erase(at, std::string(word).size());
            side = letter;
        }
        for (const auto& [word, other] : k_words) {
            const auto at = name.find(word);
            if (at != std::string::npos) name.replace(at, std::string(word).size(), other);
        }
        bone.name = bone.label = "RIG:" + name + side;
    }
    character.skeleton = Skeleton(std::move(bones), character.skeleton.above());
    character.clips.clear();
    return character;
}

Character reaxed(Character character, unsigned seed) {
    std::mt19937 random(seed);
    std::normal_distribution<float> normal;
    std::vector<Transform> model = dendraxis::rest_in_model_space(character.skeleton);
    for (Transform& bone : model) {
        bone.rotation = (bone.rotation *
                         Quat(normal(random), normal(random), normal(random), normal(random)).normalized())
                            .normalized();
    }
    const Transform above = character.skeleton.above();
    return rebuilt(std::move(character), std::move(model), above);
}

Character under_scaled_node(Character character, float factor) {
    std::vector<Transform> model = dendraxis::rest_in_model_space(character.skeleton);
    Transform above = character.skeleton.above();
    above.scale /= factor;
    for (Transform& bone : model) bone.scale /= factor;
    return rebuilt(std::move(character), std::move(model), above);
}

Character turned(Character character, const Quat& by) {
    std::vector<Transform> model = dendraxis::rest_in_model_space(character.skeleton);
    Transform turn;
    turn.rotation = by;
    for (Transform& bone : model) bone = turn * bone;
    return rebuilt(std::move(character), std::move(model), {}, to_affine(turn));
}

Character under_turned_node(Character character, const Quat& by) {
    std::vector<Transform> model = dendraxis::rest_in_model_space(character.skeleton);
    Transform above;
    above.rotation = by.conjugate();
    return rebuilt(std::move(character), std::move(model), above);
}

Character flattened(Character character, bool on_one_bone) {
    const std::vector<Transform> model = dendraxis::rest_in_model_space(character.skeleton);
    const Transform back = inverse(character.skeleton.above());
    std::vector<dendraxis::Bone> bones(character.skeleton.bones().begin(), character.skeleton.bones().end());
    for (std::size_t b = 0; b < bones.size(); ++b) {
        bones[b].parent = on_one_bone ? 0 : dendraxis::k_no_bone;
        bones[b].rest = back * model[b];
    }
    if (on_one_bone) {
        bones.insert(bones.begin(), {"all", "all", dendraxis::k_no_bone, {}});
        for (dendraxis::SkinnedMesh& mesh : character.meshes) {
            for (int& bone : mesh.bones) ++bone;
        }
    }
    character.skeleton = Skeleton(std::move(bones), character.skeleton.above());
    character.clips.clear();
    return character;
}

Character arms_lowered(Character character, float degrees) {
    std::vector<Transform> local = dendraxis::rest_pose(character.skeleton);
    std::vector<Transform> model = dendraxis::rest_in_model_space(character.skeleton);
    for (const auto& [name, sign] :
         {std::pair("upper_arm_left", -1.0f), std::pair("upper_arm_right", 1.0f)}) {
        const auto bone = static_cast<std::size_t>(character.skeleton.find(name));
        const Quat by(Eigen::AngleAxisf(sign * degrees / dendraxis::k_degrees, Vec3::UnitZ()));
        local[bone].rotation =
            local[bone].rotation * (model[bone].rotation.conjugate() * by * model[bone].rotation);
    }
    to_model_space(character.skeleton, local, model);
    // The surface goes with the bones: bound where they now stand.
    std::vector<Affine> matrices(model.size());
    to_model_matrices(character.skeleton, local, matrices);
    for (SkinnedMesh& mesh : character.meshes) {
        std::vector<Vec3> positions(mesh.positions.size());
        deform(mesh, matrices, positions);
        mesh.positions = std::move(positions);
        for (std::size_t k = 0; k < mesh.bones.size(); ++k)
            mesh.inverse_bind[k] = matrices[static_cast<std::size_t>(mesh.bones[k])].inverse();
    }
    std::vector<Bone> bones(character.skeleton.bones().begin(), character.skeleton.bones().end());
    for (std::size_t i = 0; i < bones.size(); ++i) bones[i].rest = local[i];
    character.skeleton = Skeleton(std::move(bones), character.skeleton.above());
    character.clips.clear();
    return character;
}

Character scaled(Character character, float factor) {
    std::vector<Transform> model = dendraxis::rest_in_model_space(character.skeleton);
    for (Transform& bone : model) bone.translation *= factor;
    const Transform above = character.skeleton.above();
    return rebuilt(std::move(character), std::move(model), above, Affine(Eigen::Scaling(factor)));
}

namespace {

Character with_names(Character character,
                     const std::function<std::string(std::size_t, const std::string&)>& name) {
    std::vector<Bone> bones(character.skeleton.bones().begin(), character.skeleton.bones().end());
    for (std::size_t i = 0; i < bones.size(); ++i) {
        bones[i].name = name(i, bones[i].name);
        bones[i].label = bones[i].name + "#" + std::to_string(i);
    }
    character.skeleton = Skeleton(std::move(bones), character.skeleton.above());
    return character;
}

// The sides of the demo characters' schemes: `_left`, `.L.`, `:l_`.
constexpr std::array<std::pair<const char*, const char*>, 3> k_sides{
    {{"_left", "_right"}, {".L.", ".R."}, {":l_", ":r_"}}};

}  // namespace

Character nameless(Character character) {
    return with_names(std::move(character), [](std::size_t i, const std::string&) {
        std::string number = std::to_string(i);
        return "n" + std::string(3 - std::min<std::size_t>(3, number.size()), '0') + number;
    });
}

Character with_affixes(Character character, const std::string& before, const std::string& behind) {
    return with_names(std::move(character),
                      [&](std::size_t, const std::string& name) { return before + name + behind; });
}

Character without_sides(Character character) {
    return with_names(std::move(character), [](std::size_t, const std::string& name) {
        for (const auto& [left, right] : k_sides) {
            for (const std::string side : {left, right}) {
                const auto at = name.find(side);
                if (at != std::string::npos)
                    return name.substr(0, at) + side.front() + name.substr(at + side.size());
            }
        }
        return name;
    });
}

Character sides_swapped(Character character) {
    return with_names(std::move(character), [](std::size_t, const std::string& name) {
        for (const auto& [left, right] : k_sides) {
            for (const auto& [from, to] : {std::pair<std::string, std::string>(left, right),
                                           std::pair<std::string, std::string>(right, left)}) {
                const auto at = name.find(from);
                if (at != std::string::npos) return name.substr(0, at) + to + name.substr(at + from.size());
            }
        }
        return name;
    });
}

Character reordered(Character character, unsigned seed) {
    std::mt19937 random(seed);
    const Skeleton& skeleton = character.skeleton;
    std::vector<int> order;
    const std::function<void(int)> visit = [&](int bone) {
        order.push_back(bone);
        std::vector<int> children(skeleton.children(bone).begin(), skeleton.children(bone).end());
        std::shuffle(children.begin(), children.end(), random);
        for (const int child : children) visit(child);
    };
    std::vector<int> roots;
    for (int i = 0; i < static_cast<int>(skeleton.size()); ++i) {
        if (skeleton.parent(i) == dendraxis::k_no_bone) roots.push_back(i);
    }
    std::shuffle(roots.begin(), roots.end(), random);
    for (const int root : roots) visit(root);
    std::vector<int> position(order.size());
    for (std::size_t i = 0; i < order.size(); ++i)
        position[static_cast<std::size_t>(order[i])] = static_cast<int>(i);
    std::vector<Bone> bones;
    for (const int old : order) {
        Bone bone = skeleton.bone(old);
        if (bone.parent != dendraxis::k_no_bone)
            bone.parent = position[static_cast<std::size_t>(bone.parent)];
        bones.push_back(std::move(bone));
    }
    for (SkinnedMesh& mesh : character.meshes) {
        for (int& bone : mesh.bones) bone = position[static_cast<std::size_t>(bone)];
    }
    character.skeleton = Skeleton(std::move(bones), skeleton.above());
    character.clips.clear();
    return character;
}

Character without_ends(Character character, dendraxis::ChainRole role) {
    std::vector<int> lower;
    for (const dendraxis::Chain& chain : chart(character).chains) {
        if (chain.role() == role) lower.push_back(chain.bones.at(static_cast<std::size_t>(chain.lower)));
    }
    const dendraxis::Skeleton whole = character.skeleton;
    std::vector<int> holder(whole.size());
    std::vector<int> now(whole.size(), dendraxis::k_no_bone);
    std::vector<dendraxis::Bone> left;
    for (std::size_t i = 0; i < whole.size(); ++i) {
        holder[i] = static_cast<int>(i);
        for (const int bone : lower) {
            if (bone != holder[i] && whole.is_above(bone, static_cast<int>(i))) holder[i] = bone;
        }
        if (holder[i] != static_cast<int>(i)) continue;
        now[i] = static_cast<int>(left.size());
        left.push_back(whole.bones()[i]);
        int& parent = left.back().parent;
        if (parent != dendraxis::k_no_bone) parent = now[static_cast<std::size_t>(parent)];
    }
    const std::vector<Transform> rest = rest_in_model_space(whole);
    for (dendraxis::SkinnedMesh& mesh : character.meshes) {
        for (std::size_t k = 0; k < mesh.bones.size(); ++k) {
            const auto old = static_cast<std::size_t>(mesh.bones[k]);
            const auto to = static_cast<std::size_t>(holder[old]);
            mesh.inverse_bind[k] =
                to_affine(rest[to]).inverse() * to_affine(rest[old]) * mesh.inverse_bind[k];
            mesh.bones[k] = now[to];
        }
    }
    character.skeleton = dendraxis::Skeleton(left);
    character.clips.clear();
    character.nodes.clear();
    character.declared.clear();
    return character;
}

Character bare(Character character) {
    character.meshes.clear();
    character.clips.clear();
    return character;
}

float worst_distance(const Skeleton& a, const dendraxis::Clip& clip_a, const Skeleton& b,
                     const dendraxis::Clip& clip_b, const Transform& to) {
    if (clip_a.frame_count() != clip_b.frame_count() || a.size() != b.size()) return 1e9f;
    float worst = 0.0f;
    std::vector<Transform> model_a(a.size());
    std::vector<Transform> model_b(b.size());
    for (std::size_t f = 0; f < clip_a.frame_count(); ++f) {
        to_model_space(a, clip_a.frame(f), model_a);
        to_model_space(b, clip_b.frame(f), model_b);
        for (std::size_t i = 0; i < a.size(); ++i) {
            worst = std::max(worst, (apply(to, model_a[i].translation) - model_b[i].translation).norm());
        }
    }
    return worst;
}

}  // namespace variants
