// Own method: a joint's position is told in the frame of the nearest bone above it that both skeletons have.
#include "carry_positions.hpp"

#include "standing.hpp"

#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <limits>

namespace dendraxis::detail {
namespace {

constexpr float k_resizes = 1e-5f;  // of a bone's size

int nearest_followed(const Skeleton& skeleton, int bone, std::span<const int> follows) {
    for (bone = skeleton.parent(bone); bone != k_no_bone; bone = skeleton.parent(bone)) {
        if (follows[static_cast<std::size_t>(bone)] != k_no_bone) return bone;
    }
    return k_no_bone;
}

// Whether a bone between the two was matched but is not followed, as a person decided: what hangs below goes
// with it.
bool was_let_go(const Pairing& pairing, int bone, int anchor) {
    const Skeleton& skeleton = pairing.target.skeleton;
    for (bone = skeleton.parent(bone); bone != k_no_bone && bone != anchor; bone = skeleton.parent(bone)) {
        if (pairing.bones.answers[static_cast<std::size_t>(bone)].source != k_no_bone) return true;
    }
    return false;
}

std::string chain_name(const Chart& chart, int bone) {
    const Chain* chain = chart.chain_of(bone);
    return chain == nullptr ? std::string() : chain->name;
}

// The source's axis that lies nearest to each of the target's.
std::array<int, 3> nearest_axes(const Quat& frame) {
    const Eigen::Matrix3f turn = frame.toRotationMatrix().cwiseAbs();
    std::array<int, 3> axes{};
    for (int i = 0; i < 3; ++i) turn.row(i).maxCoeff(&axes[static_cast<std::size_t>(i)]);
    return axes;
}

Vec3 ratio(const Vec3& now, const Vec3& rest) {
    return Vec3(rest.x() != 0.0f ? now.x() / rest.x() : 1.0f, rest.y() != 0.0f ? now.y() / rest.y() : 1.0f,
                rest.z() != 0.0f ? now.z() / rest.z() : 1.0f);
}

bool resizes(const Vec3& now, const Vec3& rest) {
    return (now - rest).cwiseAbs().maxCoeff() > k_resizes * rest.cwiseAbs().maxCoeff();
}

// Translation and scale of a bone are six numbers after each other: read as two rows of four, which share
// two.
using Row = Eigen::Map<const Eigen::Array4f>;

bool is_active(const PositionProgram& program, std::span<const Transform> source) {
    if (program.always) return true;
    Eigen::Array4f first = Eigen::Array4f::Zero();  // the largest excess of each row
    Eigen::Array4f second = Eigen::Array4f::Zero();
    for (const PositionProgram::Watch& watch : program.watched) {
        const auto* numbers =
            reinterpret_cast<const float*>(&source[static_cast<std::size_t>(watch.source)]) +
            offsetof(Transform, translation) / sizeof(float);
        first = first.max((Row(numbers) - watch.rest[0]).abs() - watch.limit[0]);
        second = second.max((Row(numbers + 2) - watch.rest[1]).abs() - watch.limit[1]);
    }
    return first.max(second).maxCoeff() > 0.0f;
}

PositionProgram::Watch watch_on(int source, const Transform& rest, float slide, float growth) {
    PositionProgram::Watch watch;
    watch.source = source;
    const Vec3& t = rest.translation;
    const Vec3& s = rest.scale;
    watch.rest = {Eigen::Array4f(t.x(), t.y(), t.z(), s.x()), Eigen::Array4f(t.z(), s.x(), s.y(), s.z())};
    watch.limit = {Eigen::Array4f(slide, slide, slide, growth),
                   Eigen::Array4f(slide, growth, growth, growth)};
    return watch;
}

}  // namespace

PositionProgram compile_positions(const Pairing& pairing, std::span<const int> follows, const Quat& to_target,
                                  const std::string& clip) {
    const Skeleton& source = pairing.source.skeleton;
    const Skeleton& target = pairing.target.skeleton;
    const std::vector<Transform> source_rest = rest_in_model_space(source);
    const std::vector<Transform> target_rest = rest_in_model_space(target);
    PositionProgram program;
    program.scale = pairing.bones.scale;
    const float slide = k_slides * std::max(pairing.source.height, 1e-6f);
    // What a bone's local translation is in metres.
    const auto unit_of = [&](int bone) {
        const int parent = source.parent(bone);
        const Vec3& above =
            parent == k_no_bone ? source.above().scale : source_rest[static_cast<std::size_t>(parent)].scale;
        return std::max(above.cwiseAbs().maxCoeff(), 1e-9f);
    };
    const Extents extents = rest_extents(target, {});
    const float posed = k_same_position * (extents.high - extents.low).norm();
    for (const Bone& bone : target.bones()) program.target_size.push_back(bone.rest.scale);
    for (int bone = 0; bone < static_cast<int>(target.size()); ++bone) {
        const auto b = static_cast<std::size_t>(bone);
        if (follows[b] == k_no_bone) continue;
        const auto a = static_cast<std::size_t>(follows[b]);
        PositionProgram::Step step;
        step.target = bone;
        step.source = follows[b];
        const bool is_placed = bone == pairing.target.hips ||
                               (bone == pairing.target.root && step.source == pairing.source.root);
        step.target_anchor = nearest_followed(target, bone, follows);
        if (was_let_go(pairing, bone, step.target_anchor)) continue;
        const Quat own =
            target_rest[b].rotation.conjugate() * pairing.bones.answers[b].turn * source_rest[a].rotation;
        step.axes = nearest_axes(own);
        Vec3 from = source_rest[a].translation;
        Vec3 to = target_rest[b].translation;
        if (step.target_anchor == k_no_bone) {
            step.frame = to_target;
            step.left_over = to - program.scale * (step.frame * from);
        } else {
            const auto t = static_cast<std::size_t>(step.target_anchor);
            step.source_anchor = follows[t];
            const auto s = static_cast<std::size_t>(step.source_anchor);
            step.frame =
                target_rest[t].rotation.conjugate() * pairing.bones.answers[t].turn * source_rest[s].rotation;
            from = source_rest[s].rotation.conjugate() * (from - source_rest[s].translation);
            to = target_rest[t].rotation.conjugate() * (to - target_rest[t].translation);
            step.left_over = to - program.scale * (step.frame * from);
            step.always = source.parent(step.source) != step.source_anchor;
        }
        step.rest = from;
        const Positions how = is_placed
                                  ? Positions::scaled
                                  : pairing.settings.positions_of(clip, chain_name(pairing.target, bone));
        step.slide_scale = how == Positions::scaled ? program.scale : how == Positions::carried ? 1.0f : 0.0f;
        step.keeps_size = how == Positions::dropped;
        // What is farther off was posed otherwise at rest: its position is the source's.
        if (step.left_over.norm() > posed) step.left_over.setZero(), step.always = true;
        program.always = program.always || step.always;
        program.steps.push_back(step);
        if (how == Positions::dropped) continue;
        const Transform& rest = source.bone(step.source).rest;
        // The inner loop has hips and root where they belong, however they slide.
        const float most = is_placed ? std::numeric_limits<float>::max() : slide / unit_of(step.source);
        program.watched.push_back(
            watch_on(step.source, rest, most, k_resizes * rest.scale.cwiseAbs().maxCoeff()));
    }
    return program;
}

void carry_positions(const PositionProgram& program, const Pairing& pairing,
                     std::span<const Transform> source, std::span<Transform> target,
                     std::span<Transform> source_model, std::span<Transform> target_model) noexcept {
    if (program.steps.empty() || !is_active(program, source)) return;
    const Skeleton& skeleton = pairing.target.skeleton;
    to_model_space(pairing.source.skeleton, source, source_model);
    const auto at = [](std::span<Transform> model, int bone) -> Transform& {
        return model[static_cast<std::size_t>(bone)];
    };
    auto step = program.steps.begin();
    for (int bone = 0; bone < static_cast<int>(target.size()); ++bone) {
        Transform& local = target[static_cast<std::size_t>(bone)];
        const int parent = skeleton.parent(bone);
        const Transform& above = parent == k_no_bone ? skeleton.above() : at(target_model, parent);
        if (step != program.steps.end() && step->target == bone) {
            const auto a = static_cast<std::size_t>(step->source);
            Vec3 position = at(source_model, step->source).translation;
            const auto carried = [&](const Vec3& now) -> Vec3 {
                return step->frame * (program.scale * step->rest + step->slide_scale * (now - step->rest)) +
                       step->left_over;
            };
            if (step->source_anchor == k_no_bone) {
                position = carried(position);
            } else {
                const Transform& from = at(source_model, step->source_anchor);
                const Transform& to = at(target_model, step->target_anchor);
                position = to.translation +
                           to.rotation * carried(from.rotation.conjugate() * (position - from.translation));
            }
            local.translation = apply(inverse(above), position);
            const Vec3& size = pairing.source.skeleton.bone(step->source).rest.scale;
            if (!step->keeps_size && resizes(source[a].scale, size)) {
                const Vec3 grown = ratio(source[a].scale, size);
                for (int i = 0; i < 3; ++i)
                    local.scale[i] = program.target_size[static_cast<std::size_t>(bone)][i] *
                                     grown[step->axes[static_cast<std::size_t>(i)]];
            }
            ++step;
        }
        at(target_model, bone) = above * local;
    }
}

}  // namespace dendraxis::detail
