// Two bones brought to a target by the triangle's law of cosines (Euclid, Elements II.12-13), without
// trigonometry and without branches: written once for one limb and for several frames' at a time.
#pragma once

#include "../base/lanes.hpp"

namespace dendraxis {

/// A limb in each lane, all as seen from its root.
template <std::size_t Count>
struct LaneLimb {
    LaneVec<Count> upper;   // from the root to the middle joint
    LaneVec<Count> lower;   // from there to the end
    LaneVec<Count> wanted;  // where the end is to come
    LaneVec<Count> hint;    // where the middle joint goes when the limb is straight
};

template <std::size_t Count>
struct LaneLimbTurns {
    LaneQuat<Count> upper, lower;
};

template <std::size_t Count>
DENDRAXIS_LANE Lanes<Count> length(const LaneVec<Count>& v) {
    return square_root<Count>(dot(v, v));
}

template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> choose(Lanes<Count> asked, const LaneVec<Count>& if_negative,
                                     const LaneVec<Count>& otherwise) {
    return {choose<Count>(asked, if_negative.x, otherwise.x),
            choose<Count>(asked, if_negative.y, otherwise.y),
            choose<Count>(asked, if_negative.z, otherwise.z)};
}

/// The part of `v` that is square to the unit vector `way`.
template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> square_to(const LaneVec<Count>& way, const LaneVec<Count>& v) {
    return v - scaled<Count>(way, dot(v, way));
}

/// The shortest turn from one vector to another, `lengths` being the product of their lengths. Where they are
/// opposite it is half a turn about `about`.
template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> lane_arc(const LaneVec<Count>& from, const LaneVec<Count>& to,
                                        Lanes<Count> lengths, const LaneVec<Count>& about) {
    const LaneVec<Count> axis = cross(from, to);
    const Lanes<Count> real = lengths + dot(from, to);
    const Lanes<Count> opposite = real - 1e-7f * lengths;
    const LaneVec<Count> v = choose<Count>(opposite, about, axis);
    const Lanes<Count> w = choose<Count>(opposite, splat<Count>(0.0f), real);
    const Lanes<Count> scale = splat<Count>(1.0f) / square_root<Count>(dot(v, v) + w * w);
    return {v.x * scale, v.y * scale, v.z * scale, w * scale};
}

/// The reach, eased: `wanted` up to `start`, then nearing `full`, continuous with its first two derivatives.
template <std::size_t Count>
DENDRAXIS_LANE Lanes<Count> eased_reach(Lanes<Count> wanted, Lanes<Count> start, Lanes<Count> full) {
    const Lanes<Count> one = splat<Count>(1.0f);
    const Lanes<Count> least = 1e-6f * full;
    const Lanes<Count> room = choose<Count>(full - start - least, least, full - start);
    const Lanes<Count> over = choose<Count>(1e6f * full - wanted, 1e6f * full, wanted) - start;
    const Lanes<Count> y = over / room;
    const Lanes<Count> eased = start + over / square_root<Count>(one + y * y);
    return choose<Count>(over, wanted, eased);
}

/// Where the middle joint of a limb goes: the unit vector square to `way` (from the root to the end).
template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> bend_side(const LaneLimb<Count>& limb, const LaneVec<Count>& way,
                                        Lanes<Count> upper_length, bool hint_first) {
    const Lanes<Count> one = splat<Count>(1.0f);
    const Lanes<Count> zero = splat<Count>(0.0f);
    const LaneVec<Count> now = square_to(way, limb.upper);
    const LaneVec<Count> hinted = square_to(way, limb.hint);
    // Square to an axis that the way is not near to.
    const LaneVec<Count> any = square_to(
        way, choose<Count>(0.6f - way.x * way.x, {zero, one, zero}, LaneVec<Count>{one, zero, zero}));
    const Lanes<Count> no_hint = dot(hinted, hinted) - 1e-8f * dot(limb.hint, limb.hint) - 1e-30f;
    const Lanes<Count> straight = dot(now, now) - 1e-8f * upper_length * upper_length;
    const LaneVec<Count> unhinted = choose<Count>(straight, any, now);
    const LaneVec<Count> side = hint_first
                                    ? choose<Count>(no_hint, unhinted, hinted)
                                    : choose<Count>(straight, choose<Count>(no_hint, any, hinted), now);
    return scaled<Count>(side, one / length(side));
}

template <std::size_t Count>
DENDRAXIS_LANE LaneLimbTurns<Count> turn_two_bones(const LaneLimb<Count>& limb, float soft_from,
                                                   bool hint_first = false) {
    using L = Lanes<Count>;
    const L one = splat<Count>(1.0f);
    const L zero = splat<Count>(0.0f);
    const LaneVec<Count> reach = limb.upper + limb.lower;
    const L now = length(reach);
    const L wanted = length(limb.wanted);
    const L a = length(limb.upper);
    const L b = length(limb.lower);
    const L full = a + b;
    // Neither is done where it makes no sense; what is not a number fails every comparison.
    const L shortest = 1e-9f < a * b ? now * wanted : zero;
    const L usable = shortest < 1e30f ? shortest - 1e-18f : -one;
    const L sound = 0.0f < usable ? one : -one;

    const L soft = splat<Count>(soft_from) * full;
    L start = choose<Count>(soft - now, now, soft);
    start = choose<Count>(full - start, full, start);
    const L least = choose<Count>(a - b, b - a, a - b) + 1e-4f * full;
    L d = eased_reach<Count>(wanted, start, full);
    d = choose<Count>(d - least, least, d);
    d = choose<Count>(full - d, full, d);

    const LaneVec<Count> way = scaled<Count>(reach, one / now);
    const LaneVec<Count> side = bend_side<Count>(limb, way, a, hint_first);
    // Along the way and aside of it; the latter by Heron's formula, which loses nothing near full stretch.
    const L along = (a * a - b * b + d * d) / (2.0f * d);
    const L area = (full + d) * (full - d) * (d + a - b) * (d - a + b);
    const L aside = square_root<Count>(choose<Count>(area, zero, area)) / (2.0f * d);
    const LaneVec<Count> upper = scaled<Count>(way, along) + scaled<Count>(side, aside);
    const LaneVec<Count> lower = scaled<Count>(way, d) - upper;
    const LaneVec<Count> about = cross(way, side);
    const LaneQuat<Count> aim = lane_arc<Count>(way, limb.wanted, wanted, about);
    const LaneQuat<Count> turn_upper = aim * lane_arc<Count>(limb.upper, upper, a * a, about);
    const LaneQuat<Count> turn_lower = aim * lane_arc<Count>(limb.lower, lower, b * b, about);
    const auto kept = [&](const LaneQuat<Count>& q) -> LaneQuat<Count> {
        return {choose<Count>(sound, zero, q.x), choose<Count>(sound, zero, q.y),
                choose<Count>(sound, zero, q.z), choose<Count>(sound, one, q.w)};
    };
    return {kept(turn_upper), kept(turn_lower)};
}

}  // namespace dendraxis
