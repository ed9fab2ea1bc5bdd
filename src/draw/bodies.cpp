#include "bodies.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/ragdoll/binding.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::draw {
namespace {

// A point on the surface of a round shape: a ball, pulled apart along y where it is a capsule.
struct RoundShape {
    float radius;
    float line;  // half of a capsule's straight part

    Vec3 normal(int row, int side, int rows, int sides) const {
        const float a = k_pi * static_cast<float>(row) / static_cast<float>(rows);
        const float b = 2.0f * k_pi * static_cast<float>(side) / static_cast<float>(sides);
        return {std::sin(a) * std::cos(b), std::cos(a), std::sin(a) * std::sin(b)};
    }
    Vec3 position(const Vec3& out, bool upper) const {
        return radius * out + Vec3(0.0f, upper ? line : -line, 0.0f);
    }
};

class ShapeDrawer {
 public:
    ShapeDrawer(const Transform& frame, const Color& color, const Stage& stage, const Camera& camera,
                Layer& layer)
        : frame_(frame), color_(color), stage_(stage), camera_(camera), layer_(layer) {}

    void draw(const Shape& shape) {
        if (shape.kind == ShapeKind::box)
            box(shape.half);
        else
            round({shape.half.x(), std::max(0.0f, shape.half.y() - shape.half.x())});
    }

 private:
    ScreenVertex corner(const Vec3& position, const Vec3& normal) const {
        const Vec3 upright = stage_.upright(frame_.translation + frame_.rotation * position);
        return {camera_.to_screen(upright), camera_.turn * (stage_.to_upright * (frame_.rotation * normal)),
                upright.y()};
    }

    void box(const Vec3& half) {
        for (int axis = 0; axis < 3; ++axis) {
            for (const float direction : {-1.0f, 1.0f}) {
                const Vec3 normal = direction * Vec3::Unit(axis);
                const Vec3 u = half[(axis + 1) % 3] * Vec3::Unit((axis + 1) % 3);
                const Vec3 v = half[(axis + 2) % 3] * Vec3::Unit((axis + 2) % 3);
                const Vec3 middle = half[axis] * normal;
                const auto a = corner(middle - u - v, normal);
                const auto b = corner(middle + u - v, normal);
                const auto c = corner(middle + u + v, normal);
                const auto d = corner(middle - u + v, normal);
                layer_.triangle(a, b, c, color_);
                layer_.triangle(a, c, d, color_);
            }
        }
    }

    void round(const RoundShape& shape) {
        constexpr int rows = 12;
        constexpr int sides = 20;
        for (int row = 0; row < rows; ++row) {
            for (int side = 0; side < sides; ++side) {
                const auto at = [&](int r, int s) {
                    const Vec3 out = shape.normal(r, s, rows, sides);
                    return corner(shape.position(out, r <= rows / 2), out);
                };
                const auto low = [&](int r, int s) {
                    const Vec3 out = shape.normal(r, s, rows, sides);
                    return corner(shape.position(out, false), out);
                };
                const bool upper = row < rows / 2;
                const auto a = upper ? at(row, side) : low(row, side);
                const auto b = upper ? at(row, side + 1) : low(row, side + 1);
                const auto c = upper ? at(row + 1, side) : low(row + 1, side);
                const auto d = upper ? at(row + 1, side + 1) : low(row + 1, side + 1);
                layer_.triangle(a, b, c, color_);
                layer_.triangle(c, b, d, color_);
                if (row == rows / 2 && shape.line > 0.0f) {
                    layer_.triangle(at(row, side), at(row, side + 1), a, color_);
                    layer_.triangle(a, at(row, side + 1), b, color_);
                }
            }
        }
    }

    Transform frame_;
    Color color_;
    const Stage& stage_;
    const Camera& camera_;
    Layer& layer_;
};

}  // namespace

void draw_bodies(const Panel& panel, const Stage& stage, const Camera& camera, Layer& layer) {
    if (panel.ragdoll == nullptr) return;
    const RagdollPlan& plan = *panel.ragdoll;
    const Skeleton& skeleton = panel.chart->skeleton;
    const RagdollBinding binding(plan, *panel.chart);
    std::vector<Transform> model(skeleton.size());
    to_model_space(skeleton, panel.pose, model);
    std::vector<BodyState> states(plan.bodies.size());
    binding.bodies_of(model, Transform{}, states);
    for (std::size_t i = 0; i < plan.bodies.size(); ++i) {
        const RagdollBody& body = plan.bodies[i];
        const bool marked = std::find(panel.marked_bodies.begin(), panel.marked_bodies.end(), body.name) !=
                            panel.marked_bodies.end();
        const Color color = marked ? k_below_floor : bone_groups()[group_of(*panel.chart, body.bone)].color;
        const Transform frame{states[i].turn, states[i].position, Vec3::Ones()};
        ShapeDrawer(frame, color, stage, camera, layer).draw(body.shape);
    }
    for (const RagdollJoint& joint : plan.joints) {
        const RagdollBody& body = plan.bodies[static_cast<std::size_t>(joint.body)];
        Transform at{Quat::Identity(), model[static_cast<std::size_t>(body.bone)].translation, Vec3::Ones()};
        const float size = 0.008f * panel.chart->height;
        ShapeDrawer(at, {0.98f, 0.98f, 0.98f}, stage, camera, layer)
            .draw({ShapeKind::sphere, Vec3::Constant(size)});
    }
}

}  // namespace dendraxis::draw
