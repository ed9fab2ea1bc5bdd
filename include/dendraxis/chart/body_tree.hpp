// What hangs on what in a body, where the file's hierarchy may say otherwise.
#pragma once

#include <dendraxis/chart/chart.hpp>

namespace dendraxis {

/// A charted body's own hierarchy: the file's, but for bones that hang elsewhere in the body than in the
/// file: a hand below its goal, a chest or head that is a root of its own, all bones below one control. These
/// have a holder: by their chain, else by the role of their chain, else what is nearest at rest. What carries
/// a chain, and not the hips, has the holder in the chain's place. Immutable; safe to use from several
/// threads.
class BodyTree {
 public:
    /// The chart must outlive it.
    explicit BodyTree(const Chart& chart);

    const Chart& chart() const noexcept { return *chart_; }

    /// The bone that a bone hangs on in the body, if the file does not hang it there; else no bone. Controls
    /// and their targets have none.
    int holder(int bone) const { return holders_[static_cast<std::size_t>(bone)]; }

    /// The holder, else the parent in the file.
    int above(int bone) const {
        return holder(bone) != k_no_bone ? holder(bone) : chart_->skeleton.parent(bone);
    }

    /// The nearest bone above that is the hips or of a chain; helpers between are passed over.
    int body_above(int bone) const;

    /// The outermost part of the body that the hips hang on in the file (a chest that is the root), or no
    /// bone. A part belongs to a chain, moves skin of its own or lies over the floor; roots do not.
    int carrier() const noexcept { return carrier_; }

    /// All bones, each after its parent in the file and after its holder.
    const std::vector<int>& order() const noexcept { return order_; }

 private:
    const Chart* chart_;
    std::vector<int> holders_;
    std::vector<char> is_body_;  // the hips or of a chain
    std::vector<int> order_;
    int carrier_ = k_no_bone;
};

}  // namespace dendraxis
