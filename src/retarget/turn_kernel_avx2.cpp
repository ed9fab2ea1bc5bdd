// Compiled for AVX2, without fused multiply-add: chosen at run time where the machine has it.
#include "turn_lanes.hpp"

namespace dendraxis::detail {

void run_turns_avx2(const TurnProgram& program, const Transform* source, Transform* target,
                    std::size_t frames, float* scratch) noexcept {
    run_turn_frames<8>(program, source, target, frames, scratch);
}

}  // namespace dendraxis::detail
