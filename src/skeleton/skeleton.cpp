#include <dendraxis/base/error.hpp>
#include <dendraxis/skeleton/skeleton.hpp>

#include <unordered_set>

namespace dendraxis {

Skeleton::Skeleton(std::vector<Bone> bones, const Transform& above)
    : bones_(std::move(bones)), children_(bones_.size()), above_(above) {
    std::unordered_set<std::string_view> labels;
    for (std::size_t i = 0; i < bones_.size(); ++i) {
        const Bone& bone = bones_[i];
        if (bone.parent >= static_cast<int>(i) || bone.parent < k_no_bone) {
            throw Error("skeleton", "a bone stands before its parent", bone.label, "put parents first");
        }
        if (!labels.insert(bone.label).second) {
            throw Error("skeleton", "two bones have the same label", bone.label, "make labels unique");
        }
        if (bone.parent != k_no_bone) {
            children_[static_cast<std::size_t>(bone.parent)].push_back(static_cast<int>(i));
        }
    }
}

int Skeleton::find(std::string_view label) const noexcept {
    for (std::size_t i = 0; i < bones_.size(); ++i) {
        if (bones_[i].label == label) return static_cast<int>(i);
    }
    return k_no_bone;
}

bool Skeleton::is_above(int ancestor, int bone) const noexcept {
    while (bone > ancestor) bone = parent(bone);
    return bone == ancestor;
}

int Skeleton::common_ancestor(int a, int b) const noexcept {
    while (a != b && a != k_no_bone && b != k_no_bone) {
        if (a > b) {
            a = parent(a);
        } else {
            b = parent(b);
        }
    }
    return a == b ? a : k_no_bone;
}

}  // namespace dendraxis
