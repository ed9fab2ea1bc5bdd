// The keys of one channel of an animation, and its values between them.
// Source: Khronos Group, "glTF 2.0 Specification" (ISO/IEC 12113:2022), Appendix C.
#pragma once

#include "gltf_file.hpp"

#include <Eigen/Geometry>

#include <algorithm>
#include <memory>
#include <vector>

namespace dendraxis::io {

using KeyTimes = std::shared_ptr<const std::vector<float>>;

struct KeyChannel {
    std::size_t bone = 0;
    KeyedProperty property = KeyedProperty::translation;
    KeyCurve curve = KeyCurve::linear;
    KeyTimes times;  ///< channels of one accessor share it
    int values = 0;  ///< accessor; read when it is sampled
};

using KeyValue = Eigen::Vector4d;

inline int width_of(KeyedProperty property) {
    return property == KeyedProperty::rotation ? 4 : 3;
}

/// A channel with its values, for as long as it is sampled; for cubic curves three a key: tangent in, value,
/// tangent out.
class KeyReader {
 public:
    KeyReader(const GltfFile& file, const KeyChannel& channel)
        : channel_(channel),
          times_(*channel.times),
          values_(read_numbers(file, channel.values, width_of(channel.property))) {}

    /// The value at a time in seconds; before the first key and after the last one theirs.
    KeyValue at(double time) const {
        const std::size_t stride = channel_.curve == KeyCurve::cubic ? 3 : 1;
        const std::size_t middle = channel_.curve == KeyCurve::cubic ? 1 : 0;
        if (time <= times_.front()) return element(middle);
        if (time >= times_.back()) return element(stride * (times_.size() - 1) + middle);
        // Compared as doubles: rounded to float, a time just before the last key would lie on it.
        const auto after = std::upper_bound(times_.begin(), times_.end(), time,
                                            [](double t, float key) { return t < static_cast<double>(key); });
        return between(static_cast<std::size_t>(after - times_.begin() - 1), time);
    }

 private:
    KeyValue element(std::size_t index) const {
        const auto width = static_cast<std::size_t>(width_of(channel_.property));
        KeyValue value = KeyValue::Zero();
        for (std::size_t c = 0; c < width; ++c) value[static_cast<int>(c)] = values_[index * width + c];
        return value;
    }

    KeyValue between(std::size_t key, double time) const {
        const double span = static_cast<double>(times_[key + 1]) - times_[key];
        const double t = span > 0.0 ? (time - times_[key]) / span : 0.0;
        if (channel_.curve == KeyCurve::step) return element(key);
        if (channel_.curve == KeyCurve::linear) {
            const KeyValue a = element(key);
            const KeyValue b = element(key + 1);
            if (channel_.property != KeyedProperty::rotation) return a + t * (b - a);
            return Eigen::Quaterniond(a).normalized().slerp(t, Eigen::Quaterniond(b).normalized()).coeffs();
        }
        const double t2 = t * t;
        const double t3 = t2 * t;
        return (2 * t3 - 3 * t2 + 1) * element(3 * key + 1) +
               span * (t3 - 2 * t2 + t) * element(3 * key + 2) + (3 * t2 - 2 * t3) * element(3 * key + 4) +
               span * (t3 - t2) * element(3 * key + 3);
    }

    const KeyChannel& channel_;
    const std::vector<float>& times_;
    std::vector<float> values_;
};

}  // namespace dendraxis::io
