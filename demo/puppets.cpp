// Each part is drawn where it lies in the whole drawing, so its picture is as large as it must be.
#include "puppets.hpp"

#include <dendraxis/base/error.hpp>

#include <cairo.h>
#include <nlohmann/json.hpp>

#include <array>
#include <cmath>
#include <map>
#include <memory>
#include <string>

namespace harbour {
namespace {

using Json = nlohmann::ordered_json;

struct Point {
    double x = 0.0;
    double y = 0.0;
};

using Color = std::array<double, 3>;

// Lengths in pixels of the drawing, angles in degrees from straight down toward where it faces.
struct Plan {
    std::string name;
    bool faces_left = false;
    double leg = 150.0;  // thigh; the shin is as long
    double trunk = 170.0;
    double girth = 110.0;
    double arm = 95.0;  // upper arm; the forearm is as long
    double head = 46.0;
    std::array<double, 2> upper_arm{};  // near, far
    std::array<double, 2> forearm{};
    Color coat{};
    Color skin{};
    Color legs{};
    Color hat{};
};

constexpr double k_pixels_per_metre = 400.0;
constexpr double k_margin = 4.0;

Point operator+(const Point& a, const Point& b) {
    return {a.x + b.x, a.y + b.y};
}

// A picture that is drawn in the coordinates of the whole.
class Picture {
 public:
    Picture(const Point& low, const Point& high)
        : corner_{std::floor(low.x) - k_margin, std::floor(low.y) - k_margin} {
        const auto width = static_cast<int>(std::ceil(high.x - corner_.x + k_margin));
        const auto height = static_cast<int>(std::ceil(high.y - corner_.y + k_margin));
        surface_.reset(cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height));
        cairo_.reset(cairo_create(surface_.get()));
        cairo_translate(cairo_.get(), -corner_.x, -corner_.y);
    }

    Point corner() const { return corner_; }

    void line(const Point& a, const Point& b, double width, const Color& color) {
        cairo_set_line_cap(cairo_.get(), CAIRO_LINE_CAP_ROUND);
        cairo_move_to(cairo_.get(), a.x, a.y);
        cairo_line_to(cairo_.get(), b.x, b.y);
        stroke(width + 4.0, {0.12, 0.1, 0.1}, true);
        stroke(width, color, false);
    }

    void disc(const Point& middle, double radius, const Color& color) {
        cairo_arc(cairo_.get(), middle.x, middle.y, radius, 0.0, 2.0 * 3.14159265358979);
        cairo_set_source_rgb(cairo_.get(), color[0], color[1], color[2]);
        cairo_fill_preserve(cairo_.get());
        stroke(2.0, {0.12, 0.1, 0.1}, false);
    }

    std::vector<std::uint8_t> png() const {
        std::vector<std::uint8_t> bytes;
        const auto append = [](void* to, const unsigned char* data, unsigned int size) {
            static_cast<std::vector<std::uint8_t>*>(to)->insert(
                static_cast<std::vector<std::uint8_t>*>(to)->end(), data, data + size);
            return CAIRO_STATUS_SUCCESS;
        };
        if (cairo_surface_write_to_png_stream(surface_.get(), append, &bytes) != CAIRO_STATUS_SUCCESS)
            throw dendraxis::Error("puppet", "a picture cannot be made into a PNG");
        return bytes;
    }

 private:
    void stroke(double width, const Color& color, bool keep) {
        cairo_set_line_width(cairo_.get(), width);
        cairo_set_source_rgb(cairo_.get(), color[0], color[1], color[2]);
        if (keep) {
            cairo_stroke_preserve(cairo_.get());
        } else {
            cairo_stroke(cairo_.get());
        }
    }

    struct Free {
        void operator()(cairo_surface_t* surface) const { cairo_surface_destroy(surface); }
        void operator()(cairo_t* cairo) const { cairo_destroy(cairo); }
    };
    Point corner_;
    std::unique_ptr<cairo_surface_t, Free> surface_;
    std::unique_ptr<cairo_t, Free> cairo_;
};

class Maker {
 public:
    Maker(const std::filesystem::path& folder, const Plan& plan)
        : folder_(folder), plan_(plan), ahead_(plan.faces_left ? -1.0 : 1.0) {}

    std::vector<dendraxis::io::OutputFile> make() {
        const Point hips{400.0, 300.0 + plan_.trunk};
        const Point belly = hips + Point{0.0, -0.1 * plan_.trunk};
        const Point chest = hips + Point{0.0, -0.5 * plan_.trunk};
        const Point neck = hips + Point{0.0, -plan_.trunk};
        const Point crown = neck + Point{0.0, -2.2 * plan_.head};
        joint("hips", "", hips);
        joint("belly", "hips", belly);
        joint("chest", "belly", chest);
        joint("head", "chest", neck, crown);
        for (const int side : {1, 0}) limbs(side, hips, neck);
        limb("belly", "belly", belly + Point{0.0, 6.0}, chest, plan_.girth, plan_.coat, 20);
        limb("chest", "chest", chest, neck + Point{0.0, 0.3 * plan_.girth}, plan_.girth, plan_.coat, 21);
        head(neck);
        const Json puppet{{"format", "dendraxis-puppet"},
                          {"version", 1},
                          {"pixels_per_metre", k_pixels_per_metre},
                          {"faces", plan_.faces_left ? "left" : "right"},
                          {"joints", joints_},
                          {"parts", parts_}};
        const std::string text = puppet.dump(1) + "\n";
        files_.push_back({folder_ / (plan_.name + ".puppet.json"), {text.begin(), text.end()}});
        return std::move(files_);
    }

 private:
    Point along(double degrees, double length) const {
        const double angle = degrees * 3.14159265358979 / 180.0;
        return {ahead_ * length * std::sin(angle), length * std::cos(angle)};
    }

    static Json list(const Point& point) {
        return {std::round(10.0 * point.x) / 10.0, std::round(10.0 * point.y) / 10.0};
    }

    Json& joint(const std::string& name, const std::string& parent, const Point& at) {
        Json said{{"name", name}};
        if (!parent.empty()) said["parent"] = parent;
        said["position"] = list(at);
        positions_[name] = at;
        joints_.push_back(std::move(said));
        return joints_.back();
    }

    Json& joint(const std::string& name, const std::string& parent, const Point& at, const Point& tip) {
        Json& said = joint(name, parent, at);
        said["tip"] = list(tip);
        return said;
    }

    void part(const std::string& name, const std::string& joint, const Picture& picture, int order) {
        const std::string image = plan_.name + "/" + name + ".png";
        const Point& at = positions_[joint];
        parts_.push_back({{"name", name},
                          {"image", image},
                          {"joint", joint},
                          {"pivot", list({at.x - picture.corner().x, at.y - picture.corner().y})},
                          {"order", order}});
        files_.push_back({folder_ / image, picture.png()});
    }

    void limb(const std::string& name, const std::string& joint, const Point& a, const Point& b, double width,
              const Color& color, int order) {
        const double r = 0.5 * width + 2.0;
        Picture picture({std::min(a.x, b.x) - r, std::min(a.y, b.y) - r},
                        {std::max(a.x, b.x) + r, std::max(a.y, b.y) + r});
        picture.line(a, b, width, color);
        part(name, joint, picture, order);
    }

    // The near side lies over the trunk, the far one behind it and darker. Facing right, the right side is
    // near.
    void limbs(int side, const Point& hips, const Point& neck) {
        const bool near = side == 0;
        const std::string end = near != plan_.faces_left ? "_right" : "_left";
        const auto shade = [&](Color color) {
            for (double& value : color) value *= near ? 1.0 : 0.75;
            return color;
        };
        const auto i = static_cast<std::size_t>(side);
        const int over = near ? 30 : 0;
        const Point shoulder = neck + Point{0.0, 0.3 * plan_.girth};
        const Point elbow = shoulder + along(plan_.upper_arm[i], plan_.arm);
        const Point hand = elbow + along(plan_.forearm[i], plan_.arm);
        joint("upper_arm" + end, "chest", shoulder);
        joint("forearm" + end, "upper_arm" + end, elbow, hand)["bends"] =
            plan_.faces_left ? "clockwise" : "counterclockwise";
        const Point hip = hips + Point{0.0, 8.0};
        const Point knee = hip + along(4.0, plan_.leg);
        const Point ankle = knee + along(-4.0, plan_.leg);
        const Point toes = ankle + Point{ahead_ * 44.0, 10.0};
        joint("thigh" + end, "hips", hip);
        joint("shin" + end, "thigh" + end, knee)["bends"] =
            plan_.faces_left ? "counterclockwise" : "clockwise";
        joint("foot" + end, "shin" + end, ankle, toes);
        limb("thigh" + end, "thigh" + end, hip, knee, 44.0, shade(plan_.legs), over + 3);
        limb("shin" + end, "shin" + end, knee, ankle, 36.0, shade(plan_.legs), over + 2);
        limb("foot" + end, "foot" + end, ankle + Point{0.0, 8.0}, toes, 24.0, shade({0.2, 0.16, 0.14}),
             over + 1);
        limb("upper_arm" + end, "upper_arm" + end, shoulder, elbow, 34.0, shade(plan_.coat), over + 5);
        limb("forearm" + end, "forearm" + end, elbow, hand, 28.0, shade(plan_.skin), over + 6);
    }

    void head(const Point& neck) {
        const double r = plan_.head;
        const Point middle = neck + Point{0.0, -1.1 * r};
        Picture picture({middle.x - 1.6 * r, middle.y - 1.6 * r}, {middle.x + 1.6 * r, neck.y + 8.0});
        picture.line(neck, middle, 0.6 * r, plan_.skin);
        picture.disc(middle, r, plan_.skin);
        picture.disc(middle + Point{ahead_ * r, 0.15 * r}, 0.22 * r, plan_.skin);
        picture.disc(middle + Point{ahead_ * 0.45 * r, -0.15 * r}, 0.1 * r, {0.1, 0.1, 0.1});
        picture.line(middle + Point{-0.95 * r, -0.55 * r}, middle + Point{0.95 * r, -0.55 * r}, 0.35 * r,
                     plan_.hat);
        picture.line(middle + Point{-0.4 * r, -0.95 * r}, middle + Point{0.4 * r, -0.95 * r}, 0.6 * r,
                     plan_.hat);
        part("head", "head", picture, 25);
    }

    std::filesystem::path folder_;
    Plan plan_;
    double ahead_;
    std::map<std::string, Point> positions_;
    Json joints_ = Json::array();
    Json parts_ = Json::array();
    std::vector<dendraxis::io::OutputFile> files_;
};

}  // namespace

std::vector<dendraxis::io::OutputFile> make_puppets(const std::filesystem::path& folder) {
    const std::vector<Plan> plans{{.name = "ferryman",
                                   .faces_left = true,
                                   .upper_arm = {10.0, -6.0},
                                   .forearm = {24.0, 12.0},
                                   .coat = {0.16, 0.35, 0.42},
                                   .skin = {0.86, 0.68, 0.54},
                                   .legs = {0.3, 0.26, 0.24},
                                   .hat = {0.75, 0.62, 0.2}},
                                  {.name = "net-mender",
                                   .leg = 92.0,
                                   .trunk = 200.0,
                                   .girth = 92.0,
                                   .arm = 135.0,
                                   .head = 40.0,
                                   .upper_arm = {8.0, -8.0},
                                   .forearm = {20.0, 10.0},
                                   .coat = {0.55, 0.24, 0.2},
                                   .skin = {0.72, 0.52, 0.4},
                                   .legs = {0.25, 0.28, 0.36},
                                   .hat = {0.9, 0.88, 0.8}},
                                  {.name = "harbour-master",
                                   .leg = 130.0,
                                   .trunk = 180.0,
                                   .girth = 140.0,
                                   .arm = 88.0,
                                   .head = 50.0,
                                   .upper_arm = {22.0, 12.0},
                                   .forearm = {92.0, 112.0},
                                   .coat = {0.18, 0.2, 0.34},
                                   .skin = {0.9, 0.72, 0.6},
                                   .legs = {0.16, 0.17, 0.24},
                                   .hat = {0.12, 0.13, 0.2}}};
    std::vector<dendraxis::io::OutputFile> files;
    for (const Plan& plan : plans) {
        for (dendraxis::io::OutputFile& file : Maker(folder, plan).make()) files.push_back(std::move(file));
    }
    return files;
}

}  // namespace harbour
