#include "parts.hpp"

#include <dendraxis/draw/bone_groups.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <map>
#include <set>

namespace dendraxis::page::detail {
namespace {

template <class Number, class Element>
std::span<const Number> numbers_of(const std::vector<Element>& elements) {
    static_assert(sizeof(Element) % sizeof(Number) == 0);
    return {reinterpret_cast<const Number*>(elements.data()),
            elements.size() * sizeof(Element) / sizeof(Number)};
}

// Weights in 255 steps that still sum to one.
std::vector<std::uint8_t> weight_bytes(const SkinnedMesh& mesh) {
    std::vector<std::uint8_t> bytes;
    for (const std::array<float, 4>& weights : mesh.weights) {
        std::array<int, 4> steps{};
        int sum = 0;
        for (std::size_t k = 0; k < 4; ++k) {
            steps[k] = static_cast<int>(std::lround(255.0f * std::clamp(weights[k], 0.0f, 1.0f)));
            sum += steps[k];
        }
        *std::max_element(steps.begin(), steps.end()) += 255 - sum;
        for (const int step : steps) bytes.push_back(static_cast<std::uint8_t>(std::clamp(step, 0, 255)));
    }
    return bytes;
}

std::vector<std::int16_t> normal_shorts(const SkinnedMesh& mesh) {
    std::vector<std::int16_t> shorts;
    for (const Vec3& normal : mesh.normals) {
        for (const float part : normal)
            shorts.push_back(
                static_cast<std::int16_t>(std::lround(32767.0f * std::clamp(part, -1.0f, 1.0f))));
    }
    return shorts;
}

// Whether each edge of a triangle is another's in the other direction: no inner side can be seen then.
bool is_closed(const SkinnedMesh& mesh) {
    std::map<std::array<float, 3>, int> corners;
    std::vector<int> corner_of;
    for (const Vec3& p : mesh.positions)
        corner_of.push_back(
            corners.try_emplace({p.x(), p.y(), p.z()}, static_cast<int>(corners.size())).first->second);
    std::set<std::pair<int, int>> edges;
    for (const std::array<std::uint32_t, 3>& triangle : mesh.triangles) {
        for (std::size_t k = 0; k < 3; ++k)
            edges.emplace(corner_of[triangle[k]], corner_of[triangle[(k + 1) % 3]]);
    }
    const bool is_mirrored = std::any_of(mesh.inverse_bind.begin(), mesh.inverse_bind.end(),
                                         [](const Affine& m) { return m.linear().determinant() < 0.0f; });
    return !is_mirrored && std::all_of(edges.begin(), edges.end(), [&](const auto& edge) {
        return edge.first == edge.second || edges.contains({edge.second, edge.first});
    });
}

// The pictures that an actor's meshes are colored by, each once.
class Pictures {
 public:
    Pictures(const Character& character, Blob& blob) {
        std::vector<int> images;
        for (const auto* meshes : {&character.meshes, &character.props}) {
            for (const SkinnedMesh& mesh : *meshes) {
                if (has_picture(mesh) && known_.try_emplace(mesh.picture).second)
                    images.push_back(mesh.picture);
            }
        }
        const std::vector<io::Picture> pictures = io::pictures_of(character.file, images);
        for (std::size_t i = 0; i < images.size(); ++i) {
            const std::string& type = pictures[i].mime_type;
            const bool is_shown = type == "image/png" || type == "image/jpeg" || type == "image/webp";
            if (pictures[i].bytes.empty() || !is_shown) continue;
            known_[images[i]] = list.size();
            list.push_back({{"mime_type", type}, {"bytes", blob.add(std::span(pictures[i].bytes))}});
        }
    }

    // As an index into `list`; null where there is none that can be shown.
    Json of(const SkinnedMesh& mesh) const { return has_picture(mesh) ? known_.at(mesh.picture) : Json(); }

    Json list = Json::array();

 private:
    static bool has_picture(const SkinnedMesh& mesh) {
        return mesh.picture >= 0 && mesh.picture_points.size() == mesh.positions.size();
    }

    std::map<int, Json> known_;
};

Json mesh_json(const SkinnedMesh& mesh, int prop, const Pictures& pictures, Blob& blob) {
    std::vector<float> inverse_bind;
    for (const Affine& matrix : mesh.inverse_bind)
        inverse_bind.insert(inverse_bind.end(), matrix.data(), matrix.data() + 16);
    return {{"name", mesh.name},
            {"prop", prop},
            {"color", mesh.color},
            {"closed", is_closed(mesh)},
            {"cut_out", mesh.is_cut_out},
            {"picture", pictures.of(mesh)},
            {"picture_points", blob.add(numbers_of<float>(mesh.picture_points))},
            {"bones", mesh.bones},
            {"inverse_bind", blob.add(inverse_bind)},
            {"positions", blob.add(numbers_of<float>(mesh.positions))},
            {"normals", blob.add(normal_shorts(mesh))},
            {"triangles", blob.add(numbers_of<std::uint32_t>(mesh.triangles))},
            {"joints", blob.add(numbers_of<std::uint16_t>(mesh.joints))},
            {"weights", blob.add(weight_bytes(mesh))}};
}

Json bones_json(const Chart& chart) {
    Json bones = Json::array();
    for (int i = 0; i < static_cast<int>(chart.skeleton.size()); ++i) {
        bones.push_back({{"name", chart.skeleton.bone(i).label},
                         {"parent", chart.skeleton.parent(i)},
                         {"group", draw::group_of(chart, i)}});
    }
    return bones;
}

Json chains_json(const Chart& chart) {
    Json chains = Json::array();
    for (const Chain& chain : chart.chains) {
        chains.push_back({{"name", chain.name},
                          {"role", to_string(chain.role())},
                          {"bones", chain.bones},
                          {"confidence", io::rounded(chain.confidence)},
                          {"evidence", chain.evidence}});
    }
    return chains;
}

Json outlines_json(const Actor& actor, Blob& blob) {
    Json outlines = Json::array();
    for (const Outline& outline : actor.outlines) {
        outlines.push_back({{"kind", to_string(outline.kind)},
                            {"name", outline.name},
                            {"bone", outline.bone},
                            {"lines", blob.add(numbers_of<float>(outline.lines))}});
    }
    return outlines;
}

}  // namespace

Json actor_part(const Actor& actor, Blob& blob) {
    const Chart& chart = *actor.chart;
    Json meshes = Json::array();
    const Pictures pictures(*actor.character, blob);
    for (const SkinnedMesh& mesh : actor.character->meshes)
        meshes.push_back(mesh_json(mesh, -1, pictures, blob));
    int prop = 0;
    for (const SkinnedMesh& mesh : actor.character->props)
        meshes.push_back(mesh_json(mesh, prop++, pictures, blob));
    return {{"name", actor.character->name},
            {"role", actor.role},
            {"height", io::rounded(chart.height)},
            {"stance", to_string(chart.stance)},
            {"confidence", io::rounded(chart.confidence)},
            {"to_upright", quat_json(chart.to_upright())},
            {"hips", chart.hips},
            {"root", chart.root},
            {"bones", bones_json(chart)},
            {"chains", chains_json(chart)},
            {"outlines", outlines_json(actor, blob)},
            {"joints", joints_part(actor)},
            {"meshes", meshes},
            {"pictures", pictures.list}};
}

}  // namespace dendraxis::page::detail
