#include <dendraxis/equip/sweep.hpp>

#include <dendraxis/base/error.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {

LiveWindow::LiveWindow(float first, float last, std::vector<std::string> groups)
    : first_(first), last_(last), groups_(std::move(groups)) {
    if (!(first <= last) || !std::isfinite(first) || !std::isfinite(last))
        throw Error("window", fmt::format("ends at frame {:g} before it starts at {:g}", last, first), "",
                    "write the earlier frame first");
}

void LiveWindow::step(float frame, float fps, const SweepVolume& volume, const Motion& volume_moves,
                      std::span<const SweepTarget> targets, std::span<const Motion> target_moves) {
    const float from = std::max(0.0f, first_ - frame);
    const float to = std::min(1.0f, last_ - frame);
    if (from > to) return;
    const auto within = [&](const Motion& whole) { return Motion{whole.at(from), whole.at(to)}; };
    const Transform on_frame{volume.turn, volume.at, Vec3::Ones()};
    // Between frames its middle goes straight and it turns evenly.
    const Motion own = within({volume_moves.from * on_frame, volume_moves.to * on_frame});
    for (std::size_t t = 0; t < targets.size(); ++t) {
        const SweepTarget& target = targets[t];
        const auto is_it = [&](const WindowTouch& known) { return known.target == target.name; };
        if (!groups_.empty() && std::find(groups_.begin(), groups_.end(), target.group) == groups_.end())
            continue;
        if (std::any_of(touches_.begin(), touches_.end(), is_it)) continue;
        Touch touch;
        int bone = target.bone;
        if (target.surface != nullptr) {
            std::size_t triangle = 0;
            if (!first_touch(volume.shape, own, *target.surface, within(target_moves[t]), touch, triangle))
                continue;
            bone = target.surface->bones[target.surface->triangles[triangle][0]];
        } else if (!first_touch(volume.shape, own, target.shape, within(target_moves[t]), touch)) {
            continue;
        }
        const float share = from + touch.share * (to - from);
        const float speed = to > from ? touch.speed * fps / (to - from) : 0.0f;
        const WindowTouch made{target.name, bone, frame + share, touch.point, touch.normal, speed};
        const auto earlier = [](const WindowTouch& x, const WindowTouch& y) { return x.frame < y.frame; };
        touches_.insert(std::upper_bound(touches_.begin(), touches_.end(), made, earlier), made);
    }
}

}  // namespace dendraxis
