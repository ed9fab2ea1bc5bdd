// Layout, text, floor and PNG; Cairo draws the lines and letters.
#include "bodies.hpp"
#include "layout.hpp"
#include "marks.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <cairo.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>

namespace dendraxis::draw {
namespace {

constexpr int k_supersampling = 2;

using Surface = std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)>;
using Context = std::unique_ptr<cairo_t, decltype(&cairo_destroy)>;

struct Field {
    double x, y, width, height;  // of a panel, in pixels
};

void set_color(cairo_t* cairo, const Color& color, double alpha = 1.0) {
    cairo_set_source_rgba(cairo, static_cast<double>(color[0]), static_cast<double>(color[1]),
                          static_cast<double>(color[2]), alpha);
}

void text(cairo_t* cairo, double x, double y, double size, const std::string& line, bool bold = false) {
    cairo_select_font_face(cairo, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                           bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(cairo, size);
    cairo_move_to(cairo, x, y);
    cairo_show_text(cairo, line.c_str());
}

// A step that leaves a handful of grid lines across a figure of this size; round in metres.
float grid_step(float size, float metres) {
    size *= metres;
    const float rough = size / 4.0f;
    const float power = std::pow(10.0f, std::floor(std::log10(std::max(rough, 1e-6f))));
    for (const float step : {1.0f, 2.0f, 5.0f}) {
        if (step * power >= rough) return step * power / metres;
    }
    return 10.0f * power / metres;
}

void draw_floor(cairo_t* cairo, const Panel& panel, const Stage& stage, const Camera& camera, float size) {
    const float step = grid_step(size, metres_in_unit(*panel.chart));
    const float reach = 2.5f * step;
    // Lines stand still in the world, so that root motion shows from frame to frame.
    const Vec3 world = panel.chart->to_upright() * stage.origin;
    cairo_set_line_width(cairo, 1.0);
    for (const int axis : {0, 2}) {
        const int other = 2 - axis;
        const float first = std::ceil((world[axis] - reach) / step) * step;
        for (float at = first; at <= world[axis] + reach; at += step) {
            Vec3 a = Vec3::Zero();
            a[axis] = at - world[axis];
            Vec3 b = a;
            a[other] = -reach;
            b[other] = reach;
            const Vec3 from = camera.to_screen(a);
            const Vec3 to = camera.to_screen(b);
            const bool main_line = std::abs(std::remainder(at, 5.0f * step)) < 0.1f * step;
            cairo_set_source_rgb(cairo, main_line ? 0.55 : 0.78, main_line ? 0.58 : 0.80,
                                 main_line ? 0.62 : 0.83);
            cairo_move_to(cairo, static_cast<double>(from.x()), static_cast<double>(from.y()));
            cairo_line_to(cairo, static_cast<double>(to.x()), static_cast<double>(to.y()));
            cairo_stroke(cairo);
        }
    }
}

void draw_ruler(cairo_t* cairo, const Field& field, const Camera& camera, float size, float metres) {
    const float step = grid_step(size, metres);
    const double x = field.x + 14.0;
    const auto row = [&](float height) {
        return static_cast<double>(camera.floor_y - camera.scale * std::cos(k_tilt) * height);
    };
    const float top = std::floor(1.12f * size / step) * step;
    cairo_set_source_rgb(cairo, 0.35, 0.37, 0.40);
    cairo_set_line_width(cairo, 1.2);
    cairo_move_to(cairo, x, row(0.0f));
    cairo_line_to(cairo, x, row(top));
    cairo_stroke(cairo);
    for (float height = 0.0f; height < top + 0.5f * step; height += step) {
        cairo_move_to(cairo, x, row(height));
        cairo_line_to(cairo, x + 6.0, row(height));
        cairo_stroke(cairo);
        text(cairo, x + 9.0, row(height) + 4.0, 10.5, fmt::format("{:.3g} m", height * metres));
    }
}

// The chains' names beside the figure, left and right of it, each with a line to the middle of its bones.
// Fingers and toes go without: their places on the limb say what they are.
void draw_chain_labels(cairo_t* cairo, const Panel& panel, const Stage& stage, const Camera& camera,
                       const Field& field) {
    struct Label {
        std::string text;
        double x, y;  // of the bones
        std::size_t group;
        bool doubtful;  // its line is dashed
    };
    constexpr float k_doubtful = 0.7f;
    std::array<std::vector<Label>, 2> sides;
    for (const Chain& chain : panel.chart->chains) {
        const std::size_t group = group_of(*panel.chart, chain.bones.front());
        if (group == 6) continue;
        Vec3 middle = Vec3::Zero();
        for (const int bone : chain.bones)
            middle += stage.bone(bone) / static_cast<float>(chain.bones.size());
        const Vec3 at = camera.to_screen(middle);
        const bool right_half =
            at.x() > camera.center_x || (at.x() == camera.center_x && sides[1].size() < sides[0].size());
        sides[right_half ? 1 : 0].push_back(
            {fmt::format("{}  {:.0f} %{}", chain.name, 100.0f * chain.confidence,
                         chain.confidence < k_doubtful ? "  doubtful" : ""),
             static_cast<double>(at.x()), static_cast<double>(at.y()), group, chain.confidence < k_doubtful});
    }
    for (std::size_t side = 0; side < 2; ++side) {
        std::vector<Label>& labels = sides[side];
        std::sort(labels.begin(), labels.end(), [](const Label& a, const Label& b) { return a.y < b.y; });
        double last = field.y + k_title_height;
        for (const Label& label : labels) {
            cairo_set_font_size(cairo, 11.5);
            cairo_text_extents_t extents;
            cairo_text_extents(cairo, label.text.c_str(), &extents);
            const double y = std::max(label.y, last + 15.0);
            last = y;
            const double x = side == 0 ? field.x + 62.0 : field.x + field.width - 12.0 - extents.x_advance;
            const double from = side == 0 ? x + extents.x_advance + 4.0 : x - 4.0;
            set_color(cairo, bone_groups()[label.group].color, 0.9);
            cairo_set_line_width(cairo, 1.0);
            constexpr double k_dashes[] = {4.0, 3.0};
            cairo_set_dash(cairo, k_dashes, label.doubtful ? 2 : 0, 0.0);
            cairo_move_to(cairo, from, y - 4.0);
            cairo_line_to(cairo, label.x, label.y);
            cairo_stroke(cairo);
            cairo_set_dash(cairo, nullptr, 0, 0.0);
            cairo_set_source_rgba(cairo, 1, 1, 1, 0.8);
            cairo_rectangle(cairo, x - 3.0, y - 11.0, extents.x_advance + 6.0, 15.0);
            cairo_fill(cairo);
            if (label.doubtful)
                set_color(cairo, k_below_floor, 1.0);
            else
                cairo_set_source_rgb(cairo, 0.12, 0.13, 0.15);
            text(cairo, x, y, 11.5, label.text);
        }
    }
}

// L and R at the ends of the limbs, so that sides are told by letter as well as by color.
void draw_side_labels(cairo_t* cairo, const Panel& panel, const Stage& stage, const Camera& camera) {
    for (const Chain& chain : panel.chart->chains) {
        if (!is_limb(chain.role())) continue;
        const bool left = chain.side() == Side::left;
        const Vec3 at = camera.to_screen(stage.bone(chain.bones.back()));
        const double x = static_cast<double>(at.x());
        const double y = static_cast<double>(at.y());
        cairo_set_source_rgba(cairo, 1, 1, 1, 0.85);
        cairo_arc(cairo, x, y, 8.0, 0, 6.2832);
        cairo_fill(cairo);
        set_color(cairo, bone_groups()[group_of(*panel.chart, chain.bones.back())].color);
        cairo_set_line_width(cairo, 1.5);
        cairo_arc(cairo, x, y, 8.0, 0, 6.2832);
        cairo_stroke(cairo);
        cairo_set_source_rgb(cairo, 0.1, 0.1, 0.1);
        text(cairo, x - (left ? 3.5 : 4.0), y + 4.0, 11.0, left ? "L" : "R", true);
    }
}

// Mesh half transparent over bones, averaged down to the picture's size, painted over what is there.
void paint_layers(cairo_t* cairo, const Layer& mesh, const Layer& bones, int width, int height) {
    Surface image(cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height), cairo_surface_destroy);
    unsigned char* data = cairo_image_surface_get_data(image.get());
    const int stride = cairo_image_surface_get_stride(image.get());
    for (int y = 0; y < height; ++y) {
        for (int x = 0; x < width; ++x) {
            std::array<float, 4> sum{};
            for (int sub = 0; sub < k_supersampling * k_supersampling; ++sub) {
                const int sx = x * k_supersampling + sub % k_supersampling;
                const int sy = y * k_supersampling + sub / k_supersampling;
                const bool has_mesh = mesh.covered(sx, sy);
                const bool has_bone = bones.covered(sx, sy);
                const float alpha = has_bone ? 1.0f : has_mesh ? 0.85f : 0.0f;
                for (std::size_t c = 0; c < 3; ++c) {
                    const float surface = has_mesh ? mesh.color(sx, sy)[c] : 0.0f;
                    const float bone = has_bone ? bones.color(sx, sy)[c] : 0.0f;
                    sum[c] += has_mesh && has_bone ? 0.4f * surface + 0.6f * bone
                                                   : alpha * (has_bone ? bone : surface);
                }
                sum[3] += alpha;
            }
            const auto byte = [&](std::size_t c) {
                return static_cast<std::uint32_t>(
                    std::lround(255.0f * sum[c] / (k_supersampling * k_supersampling)));
            };
            const std::uint32_t pixel = byte(3) << 24 | byte(0) << 16 | byte(1) << 8 | byte(2);
            *reinterpret_cast<std::uint32_t*>(data + static_cast<std::ptrdiff_t>(y) * stride +
                                              4 * static_cast<std::ptrdiff_t>(x)) = pixel;
        }
    }
    cairo_surface_mark_dirty(image.get());
    cairo_set_source_surface(cairo, image.get(), 0, 0);
    cairo_paint(cairo);
}

void draw_legend(cairo_t* cairo, const PictureOptions& options, bool ragdoll) {
    double x = 16.0;
    const double y = options.height - 13.0;
    const auto entry = [&](const Color& color, const std::string& name) {
        set_color(cairo, color);
        cairo_rectangle(cairo, x, y - 10.0, 12.0, 12.0);
        cairo_fill(cairo);
        cairo_set_source_rgb(cairo, 0.15, 0.16, 0.18);
        text(cairo, x + 17.0, y, 12.0, name);
        cairo_text_extents_t extents;
        cairo_text_extents(cairo, name.c_str(), &extents);
        x += 17.0 + extents.x_advance + 20.0;
    };
    for (const BoneGroup& group : bone_groups()) entry(group.color, group.name);
    entry(k_below_floor, ragdoll ? "has a finding" : "below the floor");
}

cairo_status_t collect(void* bytes, const unsigned char* data, unsigned int length) {
    auto* out = static_cast<std::vector<std::uint8_t>*>(bytes);
    out->insert(out->end(), data, data + length);
    return CAIRO_STATUS_SUCCESS;
}

void draw_titles(cairo_t* cairo, const Panel& panel, const Field& field, bool one_scale) {
    cairo_set_source_rgb(cairo, 0.1, 0.11, 0.12);
    text(cairo, field.x + 16.0, field.y + 24.0, 16.0, panel.title, true);
    cairo_set_source_rgb(cairo, 0.35, 0.37, 0.40);
    text(cairo, field.x + 16.0, field.y + 42.0, 12.0, panel.subtitle + (one_scale ? "" : "   (own scale)"));
}

// How panels are laid out, and the scale in pixels a metre at which they fit.
}  // namespace

float headroom_for(std::span<const Panel> panels) {
    float most = 0.0f;
    for (const Panel& panel : panels) {
        const Stage stage(panel);
        for (int bone = 0; bone < static_cast<int>(stage.bones.size()); ++bone)
            most = std::max(most, 1.05f * stage.bone(bone).y() - panel.chart->height);
    }
    return most;
}

namespace {

// Where and how large the figure of a panel is drawn.
struct Placed {
    Stage stage;
    Camera camera;
    Field field;
};

// What all panels of a picture are drawn onto, and what they share.
class Sheet {
 public:
    Sheet(cairo_t* cairo, std::span<const Panel> panels, const PictureOptions& options)
        : cairo_(cairo),
          panels_(panels),
          options_(options),
          spreads_(spreads_of(panels)),
          grid_(choose_grid(panels, spreads_, options)),
          shared_fit_(grid_.fit_all(panels, spreads_)),
          mesh_(options.width * k_supersampling, options.height * k_supersampling),
          bones_(options.width * k_supersampling, options.height * k_supersampling) {
        const auto [small, large] =
            std::minmax_element(panels.begin(), panels.end(),
                                [](const Panel& a, const Panel& b) { return size_of(a) < size_of(b); });
        largest_ = size_of(*large);
        one_scale_ = !options.plain && largest_ < 4.0f * size_of(*small);
    }

    void draw() {
        std::vector<Placed> placed;
        for (std::size_t i = 0; i < panels_.size(); ++i) {
            placed.push_back(place(i));
            draw_figure(i, placed.back());
        }
        paint_layers(cairo_, mesh_, bones_, options_.width, options_.height);
        for (std::size_t i = 0; i < panels_.size(); ++i) draw_labels(panels_[i], placed[i]);
        if (!options_.plain) draw_legend(cairo_, options_, panels_[0].ragdoll != nullptr);
    }

 private:
    float size(std::size_t i) const { return one_scale_ ? largest_ : size_of(panels_[i]); }
    double fit(std::size_t i) const { return one_scale_ ? shared_fit_ : grid_.fit(panels_[i], spreads_[i]); }

    Placed place(std::size_t i) const {
        const int at = static_cast<int>(i);
        const int row = at / grid_.columns;
        const Field field{grid_.width * (at % grid_.columns), grid_.height * row, grid_.width, grid_.height};
        // Where the width decides the scale, the figure moves up a little into the room above it.
        const double spare =
            std::max(0.0, grid_.height - grid_.title - 1.28 * fit(i) * static_cast<double>(size(i)));
        const Camera camera{view_turn(panels_[i]), static_cast<float>(fit(i)),
                            static_cast<float>(field.x + 0.5 * grid_.width -
                                               fit(i) * static_cast<double>(spreads_[i].middle)),
                            static_cast<float>(field.y + grid_.height -
                                               0.13 * fit(i) * static_cast<double>(size(i)) - 0.4 * spare)};
        return {Stage(panels_[i]), camera, field};
    }

    // Floor, ruler and titles onto the picture; surface and bones onto their layers.
    void draw_figure(std::size_t i, const Placed& placed) {
        const Panel& panel = panels_[i];
        const Field& field = placed.field;
        cairo_save(cairo_);
        cairo_rectangle(cairo_, field.x, field.y, field.width, field.height);
        cairo_clip(cairo_);
        if (panel.terrain == nullptr) draw_floor(cairo_, panel, placed.stage, placed.camera, size(i));
        if (!options_.plain) {
            draw_ruler(cairo_, field, placed.camera, size_of(panel), metres_in_unit(*panel.chart));
            draw_titles(cairo_, panel, field, one_scale_);
        }
        cairo_restore(cairo_);
        Camera fine = placed.camera;
        fine.scale *= k_supersampling;
        fine.center_x *= k_supersampling;
        fine.floor_y *= k_supersampling;
        const float reach = std::min(0.8f * size_of(panel), static_cast<float>(0.46 * grid_.width / fit(i)));
        draw_terrain(panel, reach, placed.stage, fine, mesh_);
        textures_.add(*panel.character);
        draw_mesh(panel, textures_, placed.stage, fine, mesh_);
        if (panel.ragdoll == nullptr) draw_bones(panel, placed.stage, fine, bones_);
        draw_bodies(panel, placed.stage, fine, bones_);
    }

    void draw_labels(const Panel& panel, const Placed& placed) {
        if (panel.chart_labels) draw_chain_labels(cairo_, panel, placed.stage, placed.camera, placed.field);
        if (panel.ragdoll == nullptr && !options_.plain)
            draw_side_labels(cairo_, panel, placed.stage, placed.camera);
        draw_ranges(cairo_, panel, placed.stage, placed.camera);
        draw_marks(cairo_, panel, placed.stage, placed.camera);
        draw_sockets(cairo_, panel, placed.stage, placed.camera);
    }

    static std::vector<Spread> spreads_of(std::span<const Panel> panels) {
        std::vector<Spread> spreads;
        for (const Panel& panel : panels) spreads.push_back(spread_of(panel));
        return spreads;
    }

    cairo_t* cairo_;
    std::span<const Panel> panels_;
    const PictureOptions& options_;
    std::vector<Spread> spreads_;
    Grid grid_;
    double shared_fit_ = 0.0;
    Layer mesh_;
    Layer bones_;
    Textures textures_;
    float largest_ = 0.0f;
    bool one_scale_ = false;
};

}  // namespace

std::vector<std::uint8_t> draw_png(std::span<const Panel> panels, const PictureOptions& options) {
    if (panels.empty() || options.width < 64 || options.height < 64 || options.width > 8192 ||
        options.height > 8192) {
        throw Error("picture", "needs a character and a size between 64 and 8192 pixels");
    }
    const Surface surface(cairo_image_surface_create(CAIRO_FORMAT_ARGB32, options.width, options.height),
                          cairo_surface_destroy);
    const Context context(cairo_create(surface.get()), cairo_destroy);
    cairo_set_source_rgb(context.get(), 0.955, 0.96, 0.965);
    cairo_paint(context.get());
    Sheet(context.get(), panels, options).draw();
    std::vector<std::uint8_t> png;
    if (cairo_surface_write_to_png_stream(surface.get(), collect, &png) != CAIRO_STATUS_SUCCESS) {
        throw Error("picture", "cannot be made into a PNG");
    }
    return png;
}

}  // namespace dendraxis::draw
