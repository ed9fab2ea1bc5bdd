// The bodies of a ragdoll in few bytes, for machines that show the same fall. One machine simulates and
// decides; the others show its snapshots, interpolated. Simulating on several machines does not give the same
// fall: it is repeatable on one, not between builds.
#pragma once

#include <dendraxis/ragdoll/binding.hpp>

#include <cstdint>

namespace dendraxis {

/// Bytes of a snapshot: 22 for the whole and 10 a body (172 for 15 bodies).
constexpr std::size_t snapshot_size(std::size_t bodies) noexcept {
    return 22 + 10 * bodies;
}

/// Writes where the bodies are at `seconds` (of a clock that both ends share). `bytes` takes
/// `snapshot_size(states.size())`. The first body's position is kept as it is, the others' relative to it,
/// within 16 m to each side, to the half millimetre; turns to 0.1 degrees. Returns false, and writes nothing,
/// where there are over 255 bodies, memory is missing or a state is not finite. Never allocates or throws.
/// Source: turns by their three smallest parts, as is usual; positions in a fixed grid.
bool write_snapshot(std::span<const BodyState> states, double seconds,
                    std::span<std::uint8_t> bytes) noexcept;

/// Reads one back; speeds come out as zero. Returns false, and leaves `states` alone, where the bytes are not
/// a snapshot of so many bodies.
bool read_snapshot(std::span<const std::uint8_t> bytes, std::span<BodyState> states,
                   double& seconds) noexcept;

/// Between two snapshots: `share` 0 is `from`, 1 is `to`; held at both ends.
void blend_snapshots(std::span<const BodyState> from, std::span<const BodyState> to, float share,
                     std::span<BodyState> states) noexcept;

}  // namespace dendraxis
