// The bones of a character and how they hang together.
#pragma once

#include <dendraxis/base/transform.hpp>

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

inline constexpr int k_no_bone = -1;

/// One joint node. `name` is what its file calls it (it may be empty or stand twice); `label` is unique and
/// is how files and messages speak of it: the name, or `#NODE_INDEX` where the name alone would not do.
struct Bone {
    std::string name;
    std::string label;
    int parent = k_no_bone;
    Transform rest;  ///< relative to the parent bone, unposed
};

/// Bones in parent-before-child order, with what stands above the first of them (a scaled or turned node,
/// say). Immutable after it is made; safe to read from several threads.
class Skeleton {
 public:
    Skeleton() = default;

    /// Throws `Error` where a bone stands before its parent or two labels are the same.
    explicit Skeleton(std::vector<Bone> bones, const Transform& above = {});

    std::size_t size() const noexcept { return bones_.size(); }
    bool empty() const noexcept { return bones_.empty(); }
    std::span<const Bone> bones() const noexcept { return bones_; }
    const Bone& bone(int index) const { return bones_[static_cast<std::size_t>(index)]; }
    int parent(int index) const { return bone(index).parent; }
    std::span<const int> children(int index) const { return children_[static_cast<std::size_t>(index)]; }

    /// From the frame of the bones without a parent to model space.
    const Transform& above() const noexcept { return above_; }

    /// The bone with this label, or `k_no_bone`.
    int find(std::string_view label) const noexcept;

    /// Whether `ancestor` is `bone` itself or stands above it.
    bool is_above(int ancestor, int bone) const noexcept;

    /// The lowest bone that is above both (or is one of them); `k_no_bone` where there is none.
    int common_ancestor(int a, int b) const noexcept;

 private:
    std::vector<Bone> bones_;
    std::vector<std::vector<int>> children_;
    Transform above_;
};

}  // namespace dendraxis
