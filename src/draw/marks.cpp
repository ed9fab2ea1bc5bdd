#include "marks.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/joint_ranges.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::draw {
namespace {

constexpr float k_cone_length = 0.07f;  // of the character's height
constexpr int k_cone_sides = 40;

void move_to(cairo_t* cairo, const Vec3& screen) {
    cairo_move_to(cairo, static_cast<double>(screen.x()), static_cast<double>(screen.y()));
}

void line_to(cairo_t* cairo, const Vec3& screen) {
    cairo_line_to(cairo, static_cast<double>(screen.x()), static_cast<double>(screen.y()));
}

void color(cairo_t* cairo, const Color& c, double alpha) {
    cairo_set_source_rgba(cairo, static_cast<double>(c[0]), static_cast<double>(c[1]),
                          static_cast<double>(c[2]), alpha);
}

// Where a bone points when it has swung to the cone's edge, in this direction around it.
Vec3 edge(const Range& range, float around) {
    const auto at = [](const AngleSpan& span, float share) {
        return 0.5f * (span.from + span.to) + 0.5f * share * (span.to - span.from);
    };
    const Vec3 swing = at(range.bend, std::cos(around)) * range.about +
                       at(range.side, std::sin(around)) * range.bone.cross(range.about);
    return Quat(Eigen::AngleAxisf(swing.norm(), swing.stableNormalized())) * range.bone;
}

bool belongs_to_a_limb(const Chart& chart, int bone) {
    const Chain* chain = chart.chain_of(bone);
    return chain != nullptr && is_limb(chain->role());
}

}  // namespace

void draw_sockets(cairo_t* cairo, const Panel& panel, const Stage& stage, const Camera& camera) {
    const float length = 0.05f * panel.chart->height;
    constexpr std::array<Color, 3> k_axes{
        {{0.80f, 0.10f, 0.10f}, {0.05f, 0.55f, 0.15f}, {0.10f, 0.25f, 0.85f}}};
    for (const SocketMark& socket : panel.sockets) {
        const Vec3 middle = camera.to_screen(stage.upright(socket.frame.translation));
        for (int axis = 0; axis < 3; ++axis) {
            const Vec3 end = socket.frame.translation + length * (socket.frame.rotation * Vec3::Unit(axis));
            color(cairo, k_axes[static_cast<std::size_t>(axis)], 1.0);
            cairo_set_line_width(cairo, 2.5);
            move_to(cairo, middle);
            line_to(cairo, camera.to_screen(stage.upright(end)));
            cairo_stroke(cairo);
        }
        cairo_select_font_face(cairo, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
        cairo_set_font_size(cairo, 11.5);
        const auto write_at = [&](double x, double y) {
            cairo_move_to(cairo, static_cast<double>(middle.x()) + x, static_cast<double>(middle.y()) + y);
            cairo_show_text(cairo, socket.label.c_str());
        };
        cairo_set_source_rgba(cairo, 1.0, 1.0, 1.0, 0.85);
        for (const double shift : {-1.0, 1.0}) write_at(9.0 + shift, 15.0), write_at(9.0, 15.0 + shift);
        cairo_set_source_rgb(cairo, 0.12, 0.13, 0.15);
        write_at(9.0, 15.0);
    }
}

void draw_marks(cairo_t* cairo, const Panel& panel, const Stage& stage, const Camera& camera) {
    for (const Mark& mark : panel.marks) {
        const Vec3 position = camera.to_screen(stage.upright(mark.position));
        const Vec3 target = camera.to_screen(stage.upright(mark.target));
        cairo_set_line_width(cairo, 1.5);
        cairo_set_source_rgba(cairo, 0.1, 0.1, 0.1, 0.7);
        move_to(cairo, position);
        line_to(cairo, target);
        cairo_stroke(cairo);
        cairo_arc(cairo, static_cast<double>(position.x()), static_cast<double>(position.y()), 6.0, 0,
                  6.2832);
        cairo_stroke(cairo);
        cairo_set_line_width(cairo, 2.5);
        cairo_set_source_rgb(cairo, 0.84, 0.0, 0.45);
        for (const float side : {-1.0f, 1.0f}) {
            move_to(cairo, target + Vec3(-7.0f, -7.0f * side, 0.0f));
            line_to(cairo, target + Vec3(7.0f, 7.0f * side, 0.0f));
        }
        cairo_stroke(cairo);
        cairo_select_font_face(cairo, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
        cairo_set_font_size(cairo, 11.5);
        cairo_set_source_rgb(cairo, 0.12, 0.13, 0.15);
        cairo_move_to(cairo, static_cast<double>(target.x()) + 11.0, static_cast<double>(target.y()) + 4.0);
        cairo_show_text(cairo, mark.label.c_str());
    }
}

void draw_ranges(cairo_t* cairo, const Panel& panel, const Stage& stage, const Camera& camera) {
    if (!panel.ranges) return;
    const Chart& chart = *panel.chart;
    const Skeleton& skeleton = chart.skeleton;
    std::vector<Transform> model(skeleton.size());
    to_model_space(skeleton, panel.pose, model);
    std::vector<JointRange> ranges;
    if (panel.ragdoll != nullptr) {
        for (const RagdollJoint& joint : panel.ragdoll->joints)
            ranges.push_back({panel.ragdoll->bodies[static_cast<std::size_t>(joint.body)].bone, joint.range});
    } else {
        ranges = ranges_in_force(chart);
    }
    for (const JointRange& joint : ranges) {
        if (!belongs_to_a_limb(chart, joint.bone)) continue;
        const int parent = skeleton.parent(joint.bone);
        const Quat above = parent == k_no_bone ? skeleton.above().rotation
                                               : model[static_cast<std::size_t>(parent)].rotation;
        const Quat stands = above * joint_frame(chart, joint.bone).to_upright.conjugate();
        const Vec3 head = model[static_cast<std::size_t>(joint.bone)].translation;
        const auto on_edge = [&](int side) {
            const float around = 2.0f * k_pi * static_cast<float>(side) / k_cone_sides;
            const Vec3 reach = stands * (k_cone_length * chart.height * edge(joint.range, around));
            return camera.to_screen(stage.upright(head + reach));
        };
        const Vec3 middle = camera.to_screen(stage.upright(head));
        const Color& own = bone_groups()[group_of(chart, joint.bone)].color;
        cairo_set_line_width(cairo, 0.8);
        color(cairo, own, 0.5);
        for (int side = 0; side < k_cone_sides; side += 4) {
            move_to(cairo, middle);
            line_to(cairo, on_edge(side));
            cairo_stroke(cairo);
        }
        cairo_set_line_width(cairo, 1.6);
        color(cairo, own, 1.0);
        move_to(cairo, on_edge(0));
        for (int side = 1; side <= k_cone_sides; ++side) line_to(cairo, on_edge(side));
        cairo_stroke(cairo);
    }
}

}  // namespace dendraxis::draw
