// Humanoid bone tables in glTF extensions. Sources: the VRM 1.0 specification (VRMC_vrm, humanoid) and the
// VRM 0.x specification (VRM, humanoid), both open.
#include "gltf_parts.hpp"

#include <dendraxis/skeleton/skeleton.hpp>

namespace dendraxis::io {
namespace {

const tinygltf::Value* member(const tinygltf::Value* value, const char* key) {
    return value != nullptr && value->IsObject() && value->Has(key) ? &value->Get(key) : nullptr;
}

}  // namespace

void read_declared_roles(const GltfFile& file, Character& character) {
    const std::vector<int> bone_of = bones_of_nodes(file, character);
    const auto add = [&](const tinygltf::Value* node, const std::string& role) {
        if (node == nullptr || !node->IsNumber()) return;
        const int index = node->GetNumberAsInt();
        if (index < 0 || static_cast<std::size_t>(index) >= bone_of.size()) return;
        const int bone = bone_of[static_cast<std::size_t>(index)];
        if (bone != k_no_bone) character.declared.push_back({bone, role});
    };
    const auto& extensions = file.model.extensions;
    if (const auto found = extensions.find("VRMC_vrm"); found != extensions.end()) {
        const tinygltf::Value* bones = member(member(&found->second, "humanoid"), "humanBones");
        if (bones == nullptr || !bones->IsObject()) return;
        for (const std::string& role : bones->Keys()) add(member(&bones->Get(role), "node"), role);
    } else if (const auto older = extensions.find("VRM"); older != extensions.end()) {
        const tinygltf::Value* bones = member(member(&older->second, "humanoid"), "humanBones");
        if (bones == nullptr || !bones->IsArray()) return;
        for (int i = 0; i < static_cast<int>(bones->ArrayLen()); ++i) {
            const tinygltf::Value& entry = bones->Get(i);
            const tinygltf::Value* role = member(&entry, "bone");
            if (role != nullptr && role->IsString()) add(member(&entry, "node"), role->Get<std::string>());
        }
    }
}

}  // namespace dendraxis::io
