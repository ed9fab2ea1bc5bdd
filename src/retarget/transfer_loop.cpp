// Loops carried as loops: the passes see the rounds before and after.
#include "body_bone.hpp"
#include "pass_plan.hpp"

#include <dendraxis/chart/loop.hpp>
#include <dendraxis/retarget/transfer.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_around_seconds = 1.0f;

// Contacts set by hand in the frames of a clip, in those of its rounds.
std::vector<ContactSpan> in_all_rounds(std::span<const ContactSpan> set, const Loop& loop, std::size_t around,
                                       std::size_t frames) {
    std::vector<ContactSpan> all;
    const auto before = static_cast<int>(around);
    const auto period = static_cast<int>(loop.period);
    const int rounds = before / period + 1;
    for (const ContactSpan& span : set) {
        for (int round = -rounds; round <= rounds; ++round) {
            ContactSpan moved = span;
            moved.first += before + round * period;
            moved.last += before + round * period;
            const bool is_seen = moved.last >= 0 && moved.first < 2 * before + static_cast<int>(frames);
            if (is_seen) all.push_back(moved);
        }
    }
    return all;
}

// All bones but those that go over the floor.
std::vector<int> bones_below(const Chart& chart, int body) {
    std::vector<int> bones;
    for (int bone = 0; bone < static_cast<int>(chart.skeleton.size()); ++bone) {
        if (!chart.skeleton.is_above(bone, body)) bones.push_back(bone);
    }
    return bones;
}

}  // namespace

// With as much of the rounds before and after as passes look around, so that the result is a loop as well.
Clip Transfer::apply_loop(const Clip& clip, const Loop& loop) const {
    const auto around = static_cast<std::size_t>(std::max(1L, std::lround(k_around_seconds * clip.fps)));
    const Pairing& pairing = passes_->pairing;
    Clip result = apply_passes(unrolled(pairing.source, clip, loop, around, around), around,
                               in_all_rounds(pairing.settings.contacts, loop, around, clip.frame_count()));
    // The second pose of this round and of the next: what the passes leave between them is to be closed, not
    // what the source's last pose is off its first, which would make standing feet drift.
    const auto pose_at = [&](std::size_t frame) {
        const auto pose = result.frame(frame);
        return std::vector<Transform>(pose.begin(), pose.end());
    };
    std::vector<Transform> wanted;
    std::vector<Transform> end;
    if (loop.closes(clip)) {
        wanted = pose_at(around + 1);
        end = pose_at(around + 1 + loop.period);
    }
    const auto begin = result.transforms.begin();
    const auto skipped = static_cast<std::ptrdiff_t>(around * target_bones_);
    const auto kept = static_cast<std::ptrdiff_t>(clip.frame_count() * target_bones_);
    result.transforms = {begin + skipped, begin + skipped + kept};
    if (loop.closes(clip)) {
        close_loop(result, loop, end, wanted, bones_below(pairing.target, detail::body_bone(pairing.target)));
    }
    return result;
}

}  // namespace dendraxis
