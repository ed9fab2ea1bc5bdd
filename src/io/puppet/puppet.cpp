// glTF 2.0, sections 3.7 and 3.9; the materials are unlit (KHR_materials_unlit).
#include <dendraxis/io/puppet/puppet.hpp>

#include "../gltf/glb_builder.hpp"
#include "puppet_document.hpp"

#include <dendraxis/base/rotation.hpp>
#include <dendraxis/chart/body_shape.hpp>
#include <dendraxis/io/write_file.hpp>

#include <algorithm>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;
using Point = Eigen::Vector2f;

constexpr float k_step = 0.0015f;               // of the height: from one part to the next nearer one
constexpr float k_most_depth = 0.01f;           // of the height: from the first to the last
constexpr AngleSpan k_in_plane{-0.03f, 0.03f};  // radians: next to nothing
constexpr int k_unsigned_short = 5123;
constexpr int k_vertex_data = 34962;
constexpr int k_index_data = 34963;

class PuppetGlb {
 public:
    explicit PuppetGlb(const Puppet& puppet) : puppet_(puppet) {
        Point low = Point::Constant(1e30f);
        Point high = Point::Constant(-1e30f);
        for (const PuppetPart& part : puppet.parts) {
            low = low.cwiseMin(part.corner);
            high = high.cwiseMax(part.corner + part.size);
        }
        floor_ = high.y();
        height_ = (high.y() - low.y()) / puppet.pixels_per_metre;
        for (const PuppetJoint& joint : puppet.joints) {
            if (joint.parent == -1) {
                middle_ = joint.position.x();
                break;
            }
        }
    }

    std::vector<std::uint8_t> build() {
        glb_.json = {{"asset", {{"version", "2.0"}, {"generator", "Dendraxis"}}},
                     {"extensionsUsed", {"KHR_materials_unlit"}},
                     {"scene", 0},
                     {"scenes", Json::array()},
                     {"nodes", Json::array()}};
        add_nodes();
        add_materials();
        add_mesh();
        glb_.json["scenes"].push_back({{"nodes", scene_}});
        return to_bytes(glb_);
    }

 private:
    // From pixels of the drawing to the model: on the floor, its first root over the origin.
    Vec3 place(const Point& pixel, float depth = 0.0f) const {
        return {(pixel.x() - middle_) / puppet_.pixels_per_metre,
                (floor_ - pixel.y()) / puppet_.pixels_per_metre, depth};
    }

    int add_node(const std::string& name, const Vec3& position, int parent) {
        const Vec3 above = parent == -1 ? Vec3(Vec3::Zero())
                                        : place(puppet_.joints[static_cast<std::size_t>(parent)].position);
        const int node =
            push(glb_.json, "nodes", {{"name", name}, {"translation", list_of(Vec3(position - above))}});
        if (parent == -1) {
            scene_.push_back(node);
        } else {
            glb_.json["nodes"][static_cast<std::size_t>(parent)]["children"].push_back(node);
        }
        return node;
    }

    // The joints in their order, then the tips.
    void add_nodes() {
        for (const PuppetJoint& joint : puppet_.joints)
            add_node(joint.name, place(joint.position), joint.parent);
        for (std::size_t i = 0; i < puppet_.joints.size(); ++i) {
            const PuppetJoint& joint = puppet_.joints[i];
            if (joint.tip) add_node(joint.name + "_end", place(*joint.tip), static_cast<int>(i));
        }
    }

    void add_materials() {
        for (const Picture& picture : puppet_.pictures) {
            const int view = add_view(glb_, picture.bytes.data(), picture.bytes.size());
            const int image =
                push(glb_.json, "images", {{"bufferView", view}, {"mimeType", picture.mime_type}});
            const int texture = push(glb_.json, "textures", {{"source", image}});
            push(glb_.json, "materials",
                 {{"pbrMetallicRoughness",
                   {{"baseColorTexture", {{"index", texture}}}, {"metallicFactor", 0}}},
                  {"alphaMode", "MASK"},
                  {"doubleSided", true},
                  {"extensions", {{"KHR_materials_unlit", Json::object()}}}});
        }
    }

    void add_mesh() {
        std::vector<float> binds;
        Json joints = Json::array();
        for (std::size_t i = 0; i < puppet_.joints.size(); ++i) {
            const Vec3 at = place(puppet_.joints[i].position);
            binds.insert(binds.end(), {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -at.x(), -at.y(), -at.z(), 1});
            joints.push_back(i);
        }
        const int inverse = add_accessor(glb_, std::span<const float>(binds), 16, k_float, false);
        const int skin = push(glb_.json, "skins", {{"joints", joints}, {"inverseBindMatrices", inverse}});
        Json primitives = Json::array();
        const float step =
            std::min(k_step, k_most_depth / static_cast<float>(puppet_.parts.size())) * height_;
        for (std::size_t i = 0; i < puppet_.parts.size(); ++i)
            primitives.push_back(quad(puppet_.parts[i], static_cast<float>(i) * step));
        const int mesh = push(glb_.json, "meshes", {{"name", "parts"}, {"primitives", primitives}});
        scene_.push_back(push(glb_.json, "nodes", {{"name", "parts"}, {"mesh", mesh}, {"skin", skin}}));
    }

    Json quad(const PuppetPart& part, float depth) {
        std::vector<Vec3> corners;
        std::vector<Point> points;
        std::vector<std::uint16_t> joints;
        std::vector<float> weights;
        for (const Point& corner : {Point(0, 0), Point(0, 1), Point(1, 1), Point(1, 0)}) {
            corners.push_back(place(part.corner + corner.cwiseProduct(part.size), depth));
            points.push_back(corner);
            joints.insert(joints.end(), {static_cast<std::uint16_t>(part.joint), 0, 0, 0});
            weights.insert(weights.end(), {1.0f, 0.0f, 0.0f, 0.0f});
        }
        const std::vector<Vec3> normals(4, Vec3::UnitZ());
        const std::array<std::uint16_t, 6> indices{0, 1, 2, 0, 2, 3};
        return {{"attributes",
                 {{"POSITION", add_vectors(glb_, corners, 3, k_vertex_data, true)},
                  {"NORMAL", add_vectors(glb_, normals, 3, k_vertex_data)},
                  {"TEXCOORD_0", add_vectors(glb_, points, 2, k_vertex_data)},
                  {"JOINTS_0", add_accessor(glb_, std::span<const std::uint16_t>(joints), 4, k_unsigned_short,
                                            false, k_vertex_data)},
                  {"WEIGHTS_0",
                   add_accessor(glb_, std::span<const float>(weights), 4, k_float, false, k_vertex_data)}}},
                {"indices", add_accessor(glb_, std::span<const std::uint16_t>(indices), 1, k_unsigned_short,
                                         false, k_index_data)},
                {"material", part.picture},
                {"extras", {{"part", part.name}}}};
    }

    const Puppet& puppet_;
    Glb glb_;
    Json scene_ = Json::array();
    float floor_ = 0.0f;
    float middle_ = 0.0f;
    float height_ = 1.0f;
};

}  // namespace

bool is_puppet(const fs::path& file) {
    return same_ending(file, ".json") && same_ending(file.stem(), ".puppet");
}

std::vector<std::uint8_t> puppet_glb(const fs::path& file) {
    const Puppet puppet = read_puppet(file, PuppetOf::all);
    return PuppetGlb(puppet).build();
}

std::vector<fs::path> puppet_pictures(const fs::path& file) {
    std::vector<fs::path> files;
    const Json document = Json::parse(read_text(file), nullptr, false);
    if (!document.is_object()) return files;
    for (const Json& part : document.value("parts", Json::array())) {
        const Json image = part.is_object() ? part.value("image", Json()) : Json();
        if (!image.is_string()) continue;
        const fs::path named = file.parent_path() / image.get<std::string>();
        if (fs::is_regular_file(named)) files.push_back(named);
    }
    return files;
}

void apply_puppet(const fs::path& file, const Character& puppet, bool with_limits, Chart& chart) {
    const Puppet said = read_puppet(file, PuppetOf::joints);
    if (said.faces == "left") chart.facing = -Vec3::UnitX();
    if (said.faces == "right") chart.facing = Vec3::UnitX();
    if (said.faces == "viewer") chart.facing = Vec3::UnitZ();
    if (!said.faces.empty())
        std::erase_if(chart.findings, [](const Finding& f) { return f.code == "chart.facing-unknown"; });
    chart.shape = body_shape(puppet, chart);
    if (!with_limits) return;
    const Vec3 about = chart.to_upright() * Vec3::UnitZ();
    for (const PuppetJoint& joint : said.joints) {
        const int bone = puppet.skeleton.find(joint.name);
        if (!joint.limits || bone == k_no_bone) continue;
        const AngleSpan bend{(*joint.limits)[0] / k_degrees, (*joint.limits)[1] / k_degrees};
        chart.ranges.push_back({bone, range_of(chart, bone, k_in_plane, bend, k_in_plane, about)});
    }
}

}  // namespace dendraxis::io
