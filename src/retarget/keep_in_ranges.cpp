#include "pass_plan.hpp"

#include <dendraxis/chart/joint_turn.hpp>

namespace dendraxis::detail {
namespace {

constexpr float k_soft_from = 0.9f;  // of the way to a limit

}  // namespace

void keep_in_ranges(PassRun& run) {
    const Chart& target = run.plan.pairing.target;
    const std::vector<JointFrame> frames = joint_frames(target);
    for (std::size_t f = 0; f < run.frames(); ++f) {
        for (std::size_t i = 0; i < frames.size(); ++i) {
            Quat& local = run.result.frame(f)[static_cast<std::size_t>(target.ranges[i].bone)].rotation;
            const Quat turn = frames[i].turn(local);
            local = frames[i].local(limited(target.ranges[i].range, turn, k_soft_from)).normalized();
        }
    }
}

}  // namespace dendraxis::detail
