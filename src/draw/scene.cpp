#include "scene.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::draw {
namespace {

constexpr float k_sunk = -0.004f;  // metres below the floor that count

float shown(float linear) {
    return std::pow(std::clamp(linear, 0.0f, 1.0f), 1.0f / 2.2f);
}

ScreenVertex vertex(const Camera& camera, const Vec3& upright, const Vec3& normal) {
    return {camera.to_screen(upright), camera.turn * normal, upright.y()};
}

// A tapered rod from `from` to `to`.
void rod(const Vec3& from, const Vec3& to, float thickness, const Color& color, const Camera& camera,
         Layer& layer) {
    constexpr int sides = 12;
    constexpr float thin = 0.55f;  // the far end, of the near one
    const Vec3 along = to - from;
    if (along.norm() < 1e-6f) return;
    const Vec3 u = along.unitOrthogonal();
    const Vec3 v = along.normalized().cross(u);
    const auto corner = [&](const Vec3& end, float radius, int side) {
        const float angle = 2.0f * k_pi * static_cast<float>(side) / sides;
        const Vec3 out = std::cos(angle) * u + std::sin(angle) * v;
        return vertex(camera, end + radius * out, out);
    };
    for (int side = 0; side < sides; ++side) {
        const auto a = corner(from, thickness, side);
        const auto b = corner(from, thickness, side + 1);
        const auto c = corner(to, thin * thickness, side);
        const auto d = corner(to, thin * thickness, side + 1);
        layer.triangle(a, b, c, color);
        layer.triangle(c, b, d, color);
    }
}

void ball(const Vec3& center, float radius, const Color& color, const Camera& camera, Layer& layer) {
    constexpr int rows = 6;
    constexpr int sides = 10;
    const auto corner = [&](int row, int side) {
        const float a = k_pi * static_cast<float>(row) / rows;
        const float b = 2.0f * k_pi * static_cast<float>(side) / sides;
        const Vec3 out(std::sin(a) * std::cos(b), std::cos(a), std::sin(a) * std::sin(b));
        return vertex(camera, center + radius * out, out);
    };
    for (int row = 0; row < rows; ++row) {
        for (int side = 0; side < sides; ++side) {
            layer.triangle(corner(row, side), corner(row, side + 1), corner(row + 1, side), color);
            layer.triangle(corner(row + 1, side), corner(row, side + 1), corner(row + 1, side + 1), color);
        }
    }
}

// What of a surface lies within reach of the middle, ahead and behind and a quarter as far aside, by
// Sutherland and Hodgman's clipping (1974).
std::vector<Vec3> cut_to_reach(std::vector<Vec3> polygon, float ahead) {
    for (const int axis : {0, 2}) {
        const float reach = axis == 0 ? 0.25f * ahead : ahead;
        for (const float side : {-1.0f, 1.0f}) {
            std::vector<Vec3> kept;
            for (std::size_t k = 0; k < polygon.size(); ++k) {
                const Vec3& a = polygon[k];
                const Vec3& b = polygon[(k + 1) % polygon.size()];
                const float a_in = reach - side * a[axis];
                const float b_in = reach - side * b[axis];
                if (a_in >= 0.0f) kept.push_back(a);
                if ((a_in > 0.0f) != (b_in > 0.0f) && a_in != b_in)
                    kept.push_back(a + (b - a) * (a_in / (a_in - b_in)));
            }
            polygon = std::move(kept);
        }
    }
    return polygon;
}

}  // namespace

Vec3 Camera::to_screen(const Vec3& upright) const {
    const Vec3 view = turn * upright;
    return {center_x + scale * view.x(), floor_y - scale * view.y(), -view.z()};
}

Stage::Stage(const Panel& panel) : to_upright(panel.chart->to_upright()), bones(panel.pose.size()) {
    to_model_matrices(panel.character->skeleton, panel.pose, bones);
    const Chart& chart = *panel.chart;
    const int middle = chart.hips == k_no_bone ? 0 : chart.hips;
    const Vec3 hips = bones[static_cast<std::size_t>(middle)].translation();
    origin = hips + chart.up * (panel.floor.value_or(chart.rest_floor) - chart.up.dot(hips));
    // On terrain the picture goes up and down with the body.
    const Vec3 hips_at_rest =
        rest_in_model_space(chart.skeleton)[static_cast<std::size_t>(middle)].translation;
    if (panel.terrain != nullptr) origin += chart.up * chart.up.dot(hips - hips_at_rest);
}

void draw_terrain(const Panel& panel, float reach, const Stage& stage, const Camera& camera, Layer& layer) {
    if (panel.terrain == nullptr) return;
    std::vector<Affine> stands(panel.terrain->skeleton.size());
    to_model_matrices(panel.terrain->skeleton, rest_pose(panel.terrain->skeleton), stands);
    for (const SkinnedMesh& mesh : panel.terrain->meshes) {
        std::vector<Vec3> positions(mesh.positions.size());
        deform(mesh, stands, positions);
        for (Vec3& position : positions) position = stage.upright(position);
        const Color color{shown(mesh.color[0]), shown(mesh.color[1]), shown(mesh.color[2])};
        for (const auto& t : mesh.triangles) {
            const Vec3 across = (positions[t[1]] - positions[t[0]]).cross(positions[t[2]] - positions[t[0]]);
            const Vec3 normal = across.normalized() * (across.y() < 0.0f ? -1.0f : 1.0f);
            const auto piece = cut_to_reach({positions[t[0]], positions[t[1]], positions[t[2]]}, reach);
            for (std::size_t k = 2; k < piece.size(); ++k)
                layer.triangle(vertex(camera, piece[0], normal), vertex(camera, piece[k - 1], normal),
                               vertex(camera, piece[k], normal), color);
        }
    }
}

namespace {

void draw_surface(const SkinnedMesh& mesh, const Texture* texture, float sunk, const Stage& stage,
                  const Camera& camera, Layer& layer) {
    std::vector<Vec3> positions(mesh.positions.size());
    deform(mesh, stage.bones, positions);
    for (Vec3& position : positions) position = stage.upright(position);
    // A sheet of which both sides are drawn has no normal as a mean; any of its triangles' will do.
    std::vector<Vec3> normals(positions.size(), Vec3::Zero());
    std::vector<Vec3> sheets(positions.size(), Vec3::UnitY());
    std::vector<float> sums(positions.size(), 0.0f);
    for (const auto& t : mesh.triangles) {
        const Vec3 normal = (positions[t[1]] - positions[t[0]]).cross(positions[t[2]] - positions[t[0]]);
        for (const std::uint32_t corner : t) {
            normals[corner] += normal;
            sums[corner] += normal.norm();
            if (normal.squaredNorm() > 0.0f) sheets[corner] = normal.normalized();
        }
    }
    const Color color{shown(mesh.color[0]), shown(mesh.color[1]), shown(mesh.color[2])};
    const auto corner = [&](std::uint32_t i) {
        const float length = normals[i].norm();
        ScreenVertex result =
            vertex(camera, positions[i], length > 1e-3f * sums[i] ? Vec3(normals[i] / length) : sheets[i]);
        if (texture != nullptr) result.point = mesh.picture_points[i];
        return result;
    };
    for (const auto& t : mesh.triangles)
        layer.triangle(corner(t[0]), corner(t[1]), corner(t[2]), color, sunk, texture, mesh.is_cut_out);
}

}  // namespace

void draw_mesh(const Panel& panel, const Textures& textures, const Stage& stage, const Camera& camera,
               Layer& layer) {
    const float sunk = panel.terrain == nullptr ? k_sunk / metres_in_unit(*panel.chart) : -1e30f;
    for (const SkinnedMesh& mesh : panel.character->meshes)
        draw_surface(mesh, textures.of(*panel.character, mesh), sunk, stage, camera, layer);
    for (const SkinnedMesh& mesh : panel.props.empty() ? panel.character->props : panel.props)
        draw_surface(mesh, nullptr, sunk, stage, camera, layer);
}

void draw_bones(const Panel& panel, const Stage& stage, const Camera& camera, Layer& layer) {
    const Chart& chart = *panel.chart;
    const Skeleton& skeleton = panel.character->skeleton;
    const float unit = std::max(chart.height, 1e-6f);
    for (int bone = 0; bone < static_cast<int>(skeleton.size()); ++bone) {
        const std::size_t group = group_of(chart, bone);
        const bool fine = group == 6 || group == k_helper_group;
        if (bone == chart.root) continue;
        ball(stage.bone(bone), unit * (fine ? 0.005f : 0.0115f), bone_groups()[group].color, camera, layer);
        const int parent = skeleton.parent(bone);
        if (parent == k_no_bone || parent == chart.root) continue;
        // A segment has the color of the bone that it belongs to: the upper one, unless only the lower is
        // charted.
        const std::size_t upper = group_of(chart, parent);
        const bool helper = group == k_helper_group || upper == k_helper_group;
        const std::size_t shown_group = helper ? k_helper_group : upper;
        const float length = (stage.bone(bone) - stage.bone(parent)).norm();
        const float thickness = helper ? 0.0025f : fine ? 0.004f : 0.0085f;
        rod(stage.bone(parent), stage.bone(bone), std::min(unit * thickness, 0.3f * length),
            bone_groups()[shown_group].color, camera, layer);
    }
}

}  // namespace dendraxis::draw
