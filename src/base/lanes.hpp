// Rotations of several frames at once: the same code for one frame, four and eight. What is left in a lane
// does not depend on how many lanes there are, so that all builds give the same bits.
#pragma once

#include <dendraxis/base/transform.hpp>

#include <array>
#include <cmath>
#include <cstddef>
#include <cstring>

namespace dendraxis::detail {

/// Always inlined: a call for each rotation would cost as much as the rotation.
#define DENDRAXIS_LANE inline __attribute__((always_inline))

template <std::size_t Count>
struct LaneType;
template <>
struct LaneType<1> {
    using Vector = float;
};
template <>
struct LaneType<4> {
    using Vector = float __attribute__((vector_size(16)));
};
template <>
struct LaneType<8> {
    using Vector = float __attribute__((vector_size(32)));
};
template <std::size_t Count>
using Lanes = typename LaneType<Count>::Vector;

template <std::size_t Count>
DENDRAXIS_LANE Lanes<Count> splat(float value) {
    return value - Lanes<Count>{};
}

/// A rotation in each lane.
template <std::size_t Count>
struct LaneQuat {
    Lanes<Count> x, y, z, w;
};

template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> splat(const Quat& q) {
    return {splat<Count>(q.x()), splat<Count>(q.y()), splat<Count>(q.z()), splat<Count>(q.w())};
}

template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> operator*(const LaneQuat<Count>& a, const LaneQuat<Count>& b) {
    return {a.w * b.x + a.x * b.w + a.y * b.z - a.z * b.y, a.w * b.y + a.y * b.w + a.z * b.x - a.x * b.z,
            a.w * b.z + a.z * b.w + a.x * b.y - a.y * b.x, a.w * b.w - a.x * b.x - a.y * b.y - a.z * b.z};
}

template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> conjugate(const LaneQuat<Count>& q) {
    return {-q.x, -q.y, -q.z, q.w};
}

template <std::size_t Count>
DENDRAXIS_LANE Lanes<Count> square_root(Lanes<Count> value) {
    if constexpr (Count == 1) {
        return std::sqrt(value);
    } else {
        for (std::size_t i = 0; i < Count; ++i) value[i] = std::sqrt(value[i]);
        return value;
    }
}

template <std::size_t Count>
DENDRAXIS_LANE Lanes<Count> choose(Lanes<Count> asked, Lanes<Count> if_negative, Lanes<Count> otherwise) {
    return asked < 0.0f ? if_negative : otherwise;
}

/// asin(sqrt h) / sqrt h on 0 to 1/2, exact to float: interpolated at Chebyshev's nodes.
template <std::size_t Count>
DENDRAXIS_LANE Lanes<Count> arc_over_sine(Lanes<Count> h) {
    Lanes<Count> arc = splat<Count>(0.123913495f);
    for (const float c : {-0.135916271f, 0.107400021f, -0.00702057912f, 0.0358142393f, 0.0440916167f,
                          0.0750275732f, 0.166666142f, 1.0f})
        arc = arc * h + c;
    return arc;
}

/// How much of the near end (`from`) and of the far end (`to`) a rotation holds that lies between two, the
/// cosine of half the angle between them being `cosine` (0 to 1).
template <std::size_t Count>
struct LaneShares {
    Lanes<Count> from, to;
};

/// Exact to float without trigonometry: sin(t angle) over sin(angle) as a product of two short polynomials,
/// `arc_over_sine` and sin(sqrt y) / sqrt y on 0 to (pi/2)^2, both interpolated at
/// Chebyshev's nodes.
template <std::size_t Count>
DENDRAXIS_LANE LaneShares<Count> shares_at(Lanes<Count> cosine, float share) {
    using L = Lanes<Count>;
    const L one = splat<Count>(1.0f);
    cosine = choose<Count>(one - cosine, one, cosine);
    const L h = (1.0f - cosine) * 0.5f;
    const L arc = arc_over_sine<Count>(h);
    const L angle_square = 4.0f * h * arc * arc;
    const L scale = arc / square_root<Count>(1.0f - h);
    const auto weight = [&](float t) {
        const L y = angle_square * (t * t);
        L sine = splat<Count>(-2.38892177e-8f);
        for (const float c : {2.75252698e-6f, -1.98408612e-4f, 8.33333097e-3f, -0.166666666f, 1.0f})
            sine = sine * y + c;
        return sine * scale * t;
    };
    return {weight(1.0f - share), weight(share)};
}

/// From `a` (share 0) to `b` (share 1) the short way.
template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> slerp(const LaneQuat<Count>& a, const LaneQuat<Count>& b, float share) {
    const Lanes<Count> cosine = a.x * b.x + a.y * b.y + a.z * b.z + a.w * b.w;
    const Lanes<Count> one = splat<Count>(1.0f);
    const Lanes<Count> sign = choose<Count>(cosine, -one, one);
    LaneShares<Count> s = shares_at<Count>(cosine * sign, share);
    s.to = s.to * sign;
    return {s.from * a.x + s.to * b.x, s.from * a.y + s.to * b.y, s.from * a.z + s.to * b.z,
            s.from * a.w + s.to * b.w};
}

/// A part of a rotation, the short way: what `slerp` gives from no rotation at all.
template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> power(const LaneQuat<Count>& q, float share) {
    const Lanes<Count> one = splat<Count>(1.0f);
    const Lanes<Count> sign = choose<Count>(q.w, -one, one);
    LaneShares<Count> s = shares_at<Count>(q.w * sign, share);
    s.to = s.to * sign;
    return {s.to * q.x, s.to * q.y, s.to * q.z, s.from + s.to * q.w};
}

/// The rotations of one bone in `Count` frames, `stride` transforms apart, into lanes and back.
template <std::size_t Count>
LaneQuat<Count> load(const Transform* first, std::size_t stride);
template <std::size_t Count>
void store(const LaneQuat<Count>& q, Transform* first, std::size_t stride);

template <>
DENDRAXIS_LANE LaneQuat<1> load<1>(const Transform* first, std::size_t) {
    const Quat& q = first->rotation;
    return {q.x(), q.y(), q.z(), q.w()};
}

template <>
DENDRAXIS_LANE void store<1>(const LaneQuat<1>& q, Transform* first, std::size_t) {
    first->rotation = Quat(q.w, q.x, q.y, q.z);
}

/// Four floats of each of `Count` frames, which may begin anywhere within a transform; `stride` in bytes.
template <std::size_t Count>
LaneQuat<Count> load_rows(const std::byte* first, std::size_t stride);

DENDRAXIS_LANE Lanes<4> row(const std::byte* first) {
    Lanes<4> values;
    std::memcpy(&values, first, sizeof(values));
    return values;
}

template <>
DENDRAXIS_LANE LaneQuat<4> load_rows<4>(const std::byte* first, std::size_t stride) {
    const Lanes<4> a = row(first);
    const Lanes<4> b = row(first + stride);
    const Lanes<4> c = row(first + 2 * stride);
    const Lanes<4> d = row(first + 3 * stride);
    const Lanes<4> xy_ab = __builtin_shufflevector(a, b, 0, 4, 1, 5);
    const Lanes<4> xy_cd = __builtin_shufflevector(c, d, 0, 4, 1, 5);
    const Lanes<4> zw_ab = __builtin_shufflevector(a, b, 2, 6, 3, 7);
    const Lanes<4> zw_cd = __builtin_shufflevector(c, d, 2, 6, 3, 7);
    return {
        __builtin_shufflevector(xy_ab, xy_cd, 0, 1, 4, 5), __builtin_shufflevector(xy_ab, xy_cd, 2, 3, 6, 7),
        __builtin_shufflevector(zw_ab, zw_cd, 0, 1, 4, 5), __builtin_shufflevector(zw_ab, zw_cd, 2, 3, 6, 7)};
}

template <>
DENDRAXIS_LANE LaneQuat<4> load<4>(const Transform* first, std::size_t stride) {
    return load_rows<4>(reinterpret_cast<const std::byte*>(first), stride * sizeof(Transform));
}

template <>
DENDRAXIS_LANE void store<4>(const LaneQuat<4>& q, Transform* first, std::size_t stride) {
    const Lanes<4> xy_ab = __builtin_shufflevector(q.x, q.y, 0, 4, 1, 5);
    const Lanes<4> xy_cd = __builtin_shufflevector(q.x, q.y, 2, 6, 3, 7);
    const Lanes<4> zw_ab = __builtin_shufflevector(q.z, q.w, 0, 4, 1, 5);
    const Lanes<4> zw_cd = __builtin_shufflevector(q.z, q.w, 2, 6, 3, 7);
    const std::array<Lanes<4>, 4> rows{
        __builtin_shufflevector(xy_ab, zw_ab, 0, 1, 4, 5), __builtin_shufflevector(xy_ab, zw_ab, 2, 3, 6, 7),
        __builtin_shufflevector(xy_cd, zw_cd, 0, 1, 4, 5), __builtin_shufflevector(xy_cd, zw_cd, 2, 3, 6, 7)};
    for (std::size_t i = 0; i < 4; ++i)
        std::memcpy(static_cast<void*>(first + i * stride), &rows[i], sizeof(rows[i]));
}

DENDRAXIS_LANE Lanes<8> joined(Lanes<4> low, Lanes<4> high) {
    return __builtin_shufflevector(low, high, 0, 1, 2, 3, 4, 5, 6, 7);
}

template <>
DENDRAXIS_LANE LaneQuat<8> load_rows<8>(const std::byte* first, std::size_t stride) {
    const LaneQuat<4> low = load_rows<4>(first, stride);
    const LaneQuat<4> high = load_rows<4>(first + 4 * stride, stride);
    return {joined(low.x, high.x), joined(low.y, high.y), joined(low.z, high.z), joined(low.w, high.w)};
}

template <>
DENDRAXIS_LANE LaneQuat<8> load<8>(const Transform* first, std::size_t stride) {
    return load_rows<8>(reinterpret_cast<const std::byte*>(first), stride * sizeof(Transform));
}

DENDRAXIS_LANE Lanes<4> low_half(Lanes<8> v) {
    return __builtin_shufflevector(v, v, 0, 1, 2, 3);
}

DENDRAXIS_LANE Lanes<4> high_half(Lanes<8> v) {
    return __builtin_shufflevector(v, v, 4, 5, 6, 7);
}

template <>
DENDRAXIS_LANE void store<8>(const LaneQuat<8>& q, Transform* first, std::size_t stride) {
    store<4>({low_half(q.x), low_half(q.y), low_half(q.z), low_half(q.w)}, first, stride);
    store<4>({high_half(q.x), high_half(q.y), high_half(q.z), high_half(q.w)}, first + 4 * stride, stride);
}

// ------------------------------------------------------------------ positions

/// A position or a scale in each lane.
template <std::size_t Count>
struct LaneVec {
    Lanes<Count> x, y, z;
};

template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> splat(const Vec3& v) {
    return {splat<Count>(v.x()), splat<Count>(v.y()), splat<Count>(v.z())};
}

template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> operator+(const LaneVec<Count>& a, const LaneVec<Count>& b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}

template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> operator-(const LaneVec<Count>& a, const LaneVec<Count>& b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}

template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> scaled(const LaneVec<Count>& v, Lanes<Count> by) {
    return {v.x * by, v.y * by, v.z * by};
}

template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> product(const LaneVec<Count>& a, const LaneVec<Count>& b) {
    return {a.x * b.x, a.y * b.y, a.z * b.z};
}

template <std::size_t Count>
DENDRAXIS_LANE Lanes<Count> dot(const LaneVec<Count>& a, const LaneVec<Count>& b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}

template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> cross(const LaneVec<Count>& a, const LaneVec<Count>& b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}

template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> rotate(const LaneQuat<Count>& q, const LaneVec<Count>& v) {
    const LaneVec<Count> axis{q.x, q.y, q.z};
    LaneVec<Count> twice = cross(axis, v);
    twice = twice + twice;
    return v + scaled<Count>(twice, q.w) + cross(axis, twice);
}

/// A transform in each lane.
template <std::size_t Count>
struct LaneTransform {
    LaneQuat<Count> rotation;
    LaneVec<Count> translation;
    LaneVec<Count> scale;
};

template <std::size_t Count>
DENDRAXIS_LANE LaneTransform<Count> splat(const Transform& t) {
    return {splat<Count>(t.rotation), splat<Count>(t.translation), splat<Count>(t.scale)};
}

template <std::size_t Count>
DENDRAXIS_LANE LaneTransform<Count> operator*(const LaneTransform<Count>& parent,
                                              const LaneTransform<Count>& child) {
    return {parent.rotation * child.rotation,
            parent.translation + rotate(parent.rotation, product(parent.scale, child.translation)),
            product(parent.scale, child.scale)};
}

/// A position in the frame of the transform. A scale of zero leaves zero.
template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> apply_inverse(const LaneTransform<Count>& t, const LaneVec<Count>& position) {
    const LaneVec<Count> v = rotate(conjugate(t.rotation), position - t.translation);
    const Lanes<Count> zero = splat<Count>(0.0f);
    const auto divided = [&](Lanes<Count> value, Lanes<Count> by) { return by == 0.0f ? zero : value / by; };
    return {divided(v.x, t.scale.x), divided(v.y, t.scale.y), divided(v.z, t.scale.z)};
}

template <std::size_t Count>
DENDRAXIS_LANE LaneQuat<Count> load_shifted(const Transform* first, std::size_t floats, std::size_t stride) {
    return load_rows<Count>(reinterpret_cast<const std::byte*>(first) + floats * sizeof(float),
                            stride * sizeof(Transform));
}

/// Translation and scale of a bone lie behind its rotation as six floats; two overlapping rows of four hold
/// them.
template <std::size_t Count>
DENDRAXIS_LANE LaneTransform<Count> load_transform(const Transform* first, std::size_t stride) {
    if constexpr (Count == 1) {
        return splat<1>(*first);
    } else {
        const LaneQuat<Count> position = load_shifted<Count>(first, 4, stride);
        const LaneQuat<Count> size = load_shifted<Count>(first, 7, stride);
        return {load<Count>(first, stride), {position.x, position.y, position.z}, {size.x, size.y, size.z}};
    }
}

template <std::size_t Count>
DENDRAXIS_LANE LaneVec<Count> load_translation(const Transform* first, std::size_t stride) {
    if constexpr (Count == 1) {
        return splat<1>(first->translation);
    } else {
        const LaneQuat<Count> position = load_shifted<Count>(first, 4, stride);
        return {position.x, position.y, position.z};
    }
}

template <std::size_t Count>
DENDRAXIS_LANE void store_translation(const LaneVec<Count>& v, Transform* first, std::size_t stride) {
    if constexpr (Count == 1) {
        first->translation = Vec3(v.x, v.y, v.z);
    } else {
        for (std::size_t i = 0; i < Count; ++i) first[i * stride].translation = Vec3(v.x[i], v.y[i], v.z[i]);
    }
}

}  // namespace dendraxis::detail
