#include <dendraxis/ragdoll/snapshot.hpp>

#include <algorithm>
#include <bit>
#include <cmath>

namespace dendraxis {
namespace {

constexpr std::uint8_t k_mark = 0xD7;
constexpr float k_grid = 1.0f / 2048.0f;    // metres; 16 bits reach 16 m to each side
constexpr float k_most_part = 0.70710678f;  // of the three smallest parts of a unit quaternion
constexpr float k_steps = 511.0f;           // 10 bits a part

// Little-endian, whatever the machine.
class Bytes {
 public:
    explicit Bytes(std::span<std::uint8_t> bytes) : bytes_(bytes) {}
    void put(std::uint64_t value, int count) {
        for (int i = 0; i < count; ++i) bytes_[at_++] = static_cast<std::uint8_t>(value >> (8 * i));
    }

 private:
    std::span<std::uint8_t> bytes_;
    std::size_t at_ = 0;
};

class Reader {
 public:
    explicit Reader(std::span<const std::uint8_t> bytes) : bytes_(bytes) {}
    std::uint64_t get(int count) {
        std::uint64_t value = 0;
        for (int i = 0; i < count; ++i) value |= static_cast<std::uint64_t>(bytes_[at_++]) << (8 * i);
        return value;
    }

 private:
    std::span<const std::uint8_t> bytes_;
    std::size_t at_ = 0;
};

std::uint32_t packed(const Quat& turn) {
    Eigen::Vector4f parts = turn.coeffs().normalized();
    int largest = 0;
    parts.cwiseAbs().maxCoeff(&largest);
    if (parts[largest] < 0.0f) parts = -parts;
    auto bits = static_cast<std::uint32_t>(largest);
    for (int i = 0, slot = 0; i < 4; ++i) {
        if (i == largest) continue;
        const float step = std::clamp(parts[i] / k_most_part * k_steps, -k_steps, k_steps);
        bits |= static_cast<std::uint32_t>(static_cast<int>(std::lround(step)) + 512) << (2 + 10 * slot++);
    }
    return bits;
}

Quat unpacked(std::uint32_t bits) {
    const auto largest = static_cast<int>(bits & 3u);
    Eigen::Vector4f parts;
    float rest = 1.0f;
    for (int i = 0, slot = 0; i < 4; ++i) {
        if (i == largest) continue;
        const auto step = static_cast<int>((bits >> (2 + 10 * slot++)) & 1023u) - 512;
        parts[i] = static_cast<float>(step) / k_steps * k_most_part;
        rest -= parts[i] * parts[i];
    }
    parts[largest] = std::sqrt(std::max(0.0f, rest));
    return Quat(parts.normalized());
}

}  // namespace

bool write_snapshot(std::span<const BodyState> states, double seconds,
                    std::span<std::uint8_t> bytes) noexcept {
    if (states.empty() || states.size() > 255 || bytes.size() < snapshot_size(states.size()) ||
        !std::isfinite(seconds))
        return false;
    for (const BodyState& state : states) {
        if (!state.position.allFinite() || !state.turn.coeffs().allFinite()) return false;
    }
    Bytes out(bytes);
    out.put(k_mark, 1);
    out.put(states.size(), 1);
    out.put(std::bit_cast<std::uint64_t>(seconds), 8);
    for (int axis = 0; axis < 3; ++axis) out.put(std::bit_cast<std::uint32_t>(states[0].position[axis]), 4);
    for (const BodyState& state : states) {
        out.put(packed(state.turn), 4);
        for (int axis = 0; axis < 3; ++axis) {
            const float step =
                std::clamp((state.position[axis] - states[0].position[axis]) / k_grid, -32767.0f, 32767.0f);
            out.put(static_cast<std::uint16_t>(static_cast<std::int16_t>(std::lround(step))), 2);
        }
    }
    return true;
}

bool read_snapshot(std::span<const std::uint8_t> bytes, std::span<BodyState> states,
                   double& seconds) noexcept {
    if (bytes.size() < snapshot_size(states.size()) || states.empty()) return false;
    Reader in(bytes);
    if (in.get(1) != k_mark || in.get(1) != states.size()) return false;
    const auto when = std::bit_cast<double>(in.get(8));
    Vec3 first;
    for (int axis = 0; axis < 3; ++axis)
        first[axis] = std::bit_cast<float>(static_cast<std::uint32_t>(in.get(4)));
    if (!std::isfinite(when) || !first.allFinite()) return false;
    seconds = when;
    for (BodyState& state : states) {
        state = {};
        state.turn = unpacked(static_cast<std::uint32_t>(in.get(4)));
        for (int axis = 0; axis < 3; ++axis) {
            const auto step = static_cast<std::int16_t>(static_cast<std::uint16_t>(in.get(2)));
            state.position[axis] = first[axis] + k_grid * static_cast<float>(step);
        }
    }
    return true;
}

void blend_snapshots(std::span<const BodyState> from, std::span<const BodyState> to, float share,
                     std::span<BodyState> states) noexcept {
    const float by = std::isfinite(share) ? std::clamp(share, 0.0f, 1.0f) : 0.0f;
    for (std::size_t b = 0; b < states.size(); ++b) {
        states[b].position = from[b].position + by * (to[b].position - from[b].position);
        states[b].turn = from[b].turn.slerp(by, to[b].turn);
        states[b].velocity = from[b].velocity + by * (to[b].velocity - from[b].velocity);
        states[b].angular_velocity =
            from[b].angular_velocity + by * (to[b].angular_velocity - from[b].angular_velocity);
    }
}

}  // namespace dendraxis
