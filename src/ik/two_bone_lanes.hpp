// Two bones brought to a target by the triangle's law of cosines (Euclid, Elements II.12-13), without
// trigonometry and without branches: written once for one limb and for several frames' at a time.
#pragma once

#include "../base/lanes.hpp"

namespace dendraxis::detail {

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
DENDRAXIS_LANE LaneVec<Count> square_to(const LaneVec<Count>& direction, const LaneVec<Count>& v) {
    return v - scaled<Count>(direction, dot(v, direction));
}

/// The shortest turn from one vector to another of the same length. Where they are opposite it is half a turn
/// about `about`. The sum of the two says how near to opposite they are without losing digits.
template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> lane_arc(const LaneVec<Count>& from, const LaneVec<Count>& to,
                                        const LaneVec<Count>& about) {
    const LaneVec<Count> sum = from + to;
    const LaneVec<Count> axis = cross(from, to);
    const Lanes<Count> real = 0.5f * dot(sum, sum);
    const Lanes<Count> opposite = real - 1e-12f * dot(from, from);
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

/// Square to a unit vector, any way.
template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> any_side(const LaneVec<Count>& direction) {
    const Lanes<Count> one = splat<Count>(1.0f);
    const Lanes<Count> zero = splat<Count>(0.0f);
    return square_to(direction, choose<Count>(0.6f - direction.x * direction.x, {zero, one, zero},
                                              LaneVec<Count>{one, zero, zero}));
}

template <std::size_t Count>
DENDRAXIS_LANE bool surely_bent(Lanes<Count> straight) {
    if constexpr (Count == 1)
        return straight >= 0.0f;
    else
        return false;
}

/// With `HintFirst` the middle joint goes toward the hint, seen once the limb has been turned to its goal;
/// else it stays on its side, and the hint counts where the limb is straight.
template <std::size_t Count, bool HintFirst = false>
DENDRAXIS_LANE LaneLimbTurns<Count> turn_two_bones(const LaneLimb<Count>& limb, float soft_from) {
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

    const LaneVec<Count> direction = scaled<Count>(reach, one / now);
    const LaneVec<Count> goal = scaled<Count>(limb.wanted, one / wanted);
    // Where the middle joint goes, square to the way: as it is, or toward the hint as seen once the limb has
    // been turned to its goal.
    const LaneVec<Count> own = square_to(direction, limb.upper);
    const L straight = dot(own, own) - 1e-8f * a * a;
    LaneVec<Count> bent = own;
    LaneVec<Count> unhinted = own;
    // One limb that is bent needs no second thoughts; lanes have them all.
    if (HintFirst || !surely_bent<Count>(straight))
        unhinted = choose<Count>(straight, any_side<Count>(direction), own);
    const LaneQuat<Count> aim = lane_arc<Count>(direction, goal, cross(direction, unhinted));
    if (HintFirst || !surely_bent<Count>(straight)) {
        LaneVec<Count> hinted;
        if constexpr (HintFirst)
            hinted = rotate(conjugate(aim), square_to(goal, limb.hint));
        else
            hinted = square_to(direction, limb.hint);
        const L no_hint = dot(hinted, hinted) - 1e-8f * dot(limb.hint, limb.hint) - 1e-30f;
        const LaneVec<Count> toward_hint = choose<Count>(no_hint, unhinted, hinted);
        bent = HintFirst ? toward_hint : choose<Count>(straight, toward_hint, own);
    }
    const LaneVec<Count> side = scaled<Count>(bent, one / length(bent));
    // Along the way and aside of it; the latter by Heron's formula, which loses nothing near full stretch.
    const L along = (a * a - b * b + d * d) / (2.0f * d);
    const L area = (full + d) * (full - d) * (d + a - b) * (d - a + b);
    const L aside = square_root<Count>(choose<Count>(area, zero, area)) / (2.0f * d);
    const LaneVec<Count> upper = scaled<Count>(direction, along) + scaled<Count>(side, aside);
    const LaneVec<Count> lower = scaled<Count>(direction, d) - upper;
    const LaneVec<Count> about = cross(direction, side);
    const LaneQuat<Count> turn_upper = aim * lane_arc<Count>(limb.upper, upper, about);
    const LaneQuat<Count> turn_lower = aim * lane_arc<Count>(limb.lower, lower, about);
    const auto kept = [&](const LaneQuat<Count>& q) -> LaneQuat<Count> {
        return {choose<Count>(sound, zero, q.x), choose<Count>(sound, zero, q.y),
                choose<Count>(sound, zero, q.z), choose<Count>(sound, one, q.w)};
    };
    return {kept(turn_upper), kept(turn_lower)};
}

}  // namespace dendraxis::detail
