#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/bvh/bvh.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis::io {
namespace {

constexpr float k_centimetres = 100.0f;

// The angles of `rotation` as a turn about Z, then X, then Y (as columns: Rz * Rx * Ry), in degrees.
Vec3 zxy_degrees(const Quat& rotation) {
    const Eigen::Matrix3f m = rotation.toRotationMatrix();
    const float x = std::asin(std::clamp(m(2, 1), -1.0f, 1.0f));
    // Where X is a quarter turn, Z and Y turn about one axis; Y is left out.
    const bool locked = std::abs(m(2, 1)) > 0.9999995f;
    const float z = locked ? std::atan2(m(1, 0), m(0, 0)) : std::atan2(-m(0, 1), m(1, 1));
    const float y = locked ? 0.0f : std::atan2(-m(2, 0), m(2, 2));
    return Vec3(z, x, y) * k_degrees;
}

bool slides(const Skeleton& skeleton, const Clip& clip, std::size_t bone, float scale) {
    const Vec3& rest = skeleton.bones()[bone].rest.translation;
    for (std::size_t f = 0; f < clip.frame_count(); ++f) {
        if ((clip.frame(f)[bone].translation - rest).norm() * scale > 0.1e-3f) return true;
    }
    return false;
}

class BvhWriter {
 public:
    BvhWriter(const Skeleton& skeleton, const Clip& clip)
        : skeleton_(skeleton), clip_(clip), rest_(rest_in_model_space(skeleton)), moves_(skeleton.size()) {
        for (std::size_t i = 0; i < skeleton.size(); ++i) {
            const int parent = skeleton.bones()[i].parent;
            const float scale = parent == k_no_bone ? skeleton.above().scale.x()
                                                    : rest_[static_cast<std::size_t>(parent)].scale.x();
            moves_[i] = parent == k_no_bone || slides(skeleton, clip, i, scale);
        }
    }

    std::string write() {
        text_ = "HIERARCHY\n";
        for (std::size_t i = 0; i < skeleton_.size(); ++i) {
            if (skeleton_.bones()[i].parent == k_no_bone) write_joint(static_cast<int>(i), 0);
        }
        add("MOTION\nFrames: {}\nFrame Time: {:.8g}\n", clip_.frame_count(),
            1.0 / static_cast<double>(clip_.fps));
        std::vector<Transform> model(skeleton_.size());
        for (std::size_t f = 0; f < clip_.frame_count(); ++f) {
            to_model_space(skeleton_, clip_.frame(f), model);
            write_frame(model);
        }
        return std::move(text_);
    }

 private:
    template <class... Values>
    void add(fmt::format_string<Values...> format, Values&&... values) {
        fmt::format_to(std::back_inserter(text_), format, std::forward<Values>(values)...);
    }

    Vec3 offset(int bone) const {
        const int parent = skeleton_.parent(bone);
        const Vec3 above =
            parent == k_no_bone ? Vec3(Vec3::Zero()) : rest_[static_cast<std::size_t>(parent)].translation;
        return (rest_[static_cast<std::size_t>(bone)].translation - above) * k_centimetres;
    }

    void write_joint(int bone, int depth) {
        order_.push_back(bone);
        const std::string indent(static_cast<std::size_t>(depth), '\t');
        const Vec3 from_parent = skeleton_.parent(bone) == k_no_bone ? Vec3(Vec3::Zero()) : offset(bone);
        add("{}{} {}\n{}{{\n", indent, depth == 0 ? "ROOT" : "JOINT", skeleton_.bone(bone).label, indent);
        add("{}\tOFFSET {:.6f} {:.6f} {:.6f}\n", indent, from_parent.x(), from_parent.y(), from_parent.z());
        if (moves_[static_cast<std::size_t>(bone)]) {
            add("{}\tCHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n", indent);
        } else {
            add("{}\tCHANNELS 3 Zrotation Xrotation Yrotation\n", indent);
        }
        for (const int child : skeleton_.children(bone)) write_joint(child, depth + 1);
        if (skeleton_.children(bone).empty()) {
            // As long as half of the bone before it, straight on.
            const Vec3 end = 0.5f * (skeleton_.parent(bone) == k_no_bone ? Vec3(0, 10, 0) : offset(bone));
            add("{0}\tEnd Site\n{0}\t{{\n{0}\t\tOFFSET {1:.6f} {2:.6f} {3:.6f}\n{0}\t}}\n", indent, end.x(),
                end.y(), end.z());
        }
        add("{}}}\n", indent);
    }

    // Every bone's turn away from the rest, in model space; that of the parent taken off.
    Quat away(int bone, const std::vector<Transform>& model) const {
        if (bone == k_no_bone) return Quat::Identity();
        const auto b = static_cast<std::size_t>(bone);
        return model[b].rotation * rest_[b].rotation.conjugate();
    }

    void write_frame(const std::vector<Transform>& model) {
        bool first = true;
        for (const int bone : order_) {
            const int parent = skeleton_.parent(bone);
            const Quat above = away(parent, model);
            const auto number = [&](float value) {
                if (!first) text_ += ' ';
                first = false;
                add_number(value);
            };
            if (moves_[static_cast<std::size_t>(bone)]) {
                const Vec3 from = parent == k_no_bone ? Vec3(Vec3::Zero())
                                                      : model[static_cast<std::size_t>(parent)].translation;
                const Vec3 position = above.conjugate() *
                                      (model[static_cast<std::size_t>(bone)].translation - from) *
                                      k_centimetres;
                for (int axis = 0; axis < 3; ++axis) number(position[axis]);
            }
            const Vec3 angles = zxy_degrees((above.conjugate() * away(bone, model)).normalized());
            for (int i = 0; i < 3; ++i) number(angles[i]);
        }
        text_ += '\n';
    }

    // Six digits behind the point, as a scaled integer: several times as fast as any general way.
    void add_number(float value) {
        const double scaled = static_cast<double>(value) * 1e6;
        if (!(std::abs(scaled) < 9e15)) {
            add("{:.6f}", value);
            return;
        }
        auto whole = std::llround(scaled);
        if (whole < 0) {
            text_ += '-';
            whole = -whole;
        }
        std::array<char, 24> digits{};
        std::size_t count = 0;
        while (whole > 0 || count < 7) {
            digits[count++] = static_cast<char>('0' + whole % 10);
            whole /= 10;
            if (count == 6) digits[count++] = '.';
        }
        if (digits[count - 1] == '.') digits[count++] = '0';
        while (count > 0) text_ += digits[--count];
    }

    const Skeleton& skeleton_;
    const Clip& clip_;
    std::vector<Transform> rest_;
    std::vector<char> moves_;
    std::vector<int> order_;
    std::string text_;
};

}  // namespace

std::string bvh_text(const Skeleton& skeleton, const Clip& clip) {
    return BvhWriter(skeleton, clip).write();
}

}  // namespace dendraxis::io
