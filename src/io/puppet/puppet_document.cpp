// Sizes of pictures: PNG (ISO/IEC 15948), the chunk IHDR.
#include "puppet_document.hpp"

#include "../gltf/gltf_uris.hpp"
#include "../json/json_document.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;
using Point = Eigen::Vector2f;

// Degrees, of a joint that bends to one side; the last tenth to a limit is eased, which a straight limb must
// not feel.
constexpr std::array<float, 2> k_one_side{-10.0f, 150.0f};
constexpr std::size_t k_ihdr_end = 24;

Point point_of(const Json& value) {
    return {value[0].get<float>(), value[1].get<float>()};
}

std::uint32_t big_endian(const std::vector<std::uint8_t>& bytes, std::size_t at) {
    std::uint32_t value = 0;
    for (std::size_t i = 0; i < 4; ++i) value = value << 8 | bytes[at + i];
    return value;
}

class Reader {
 public:
    explicit Reader(const fs::path& file) : file_(file), document_(open_document(file, Schema::puppet)) {}

    Puppet read(PuppetOf of) {
        const Json& json = document_.json;
        puppet_.pixels_per_metre = json["pixels_per_metre"].get<float>();
        puppet_.faces = json.value("faces", "");
        for (std::size_t i = 0; i < json["joints"].size(); ++i)
            read_joint(json["joints"][i], fmt::format("/joints/{}", i));
        for (std::size_t i = 0; i < json["joints"].size(); ++i)
            find_parent(json["joints"][i], fmt::format("/joints/{}", i), puppet_.joints[i]);
        refuse_loops();
        for (std::size_t i = 0; i < json["joints"].size(); ++i) bend_to_one_side(json["joints"][i], i);
        if (of == PuppetOf::joints) return std::move(puppet_);
        for (std::size_t i = 0; i < json["parts"].size(); ++i)
            read_part(json["parts"][i], fmt::format("/parts/{}", i));
        std::sort(puppet_.parts.begin(), puppet_.parts.end(),
                  [](const PuppetPart& a, const PuppetPart& b) { return a.order < b.order; });
        return std::move(puppet_);
    }

 private:
    void read_joint(const Json& said, const std::string& pointer) {
        PuppetJoint joint;
        joint.name = said["name"].get<std::string>();
        joint.position = point_of(said["position"]);
        if (!joints_.emplace(joint.name, static_cast<int>(puppet_.joints.size())).second)
            document_.fail("the joint '" + joint.name + "' stands twice", pointer + "/name", "rename one");
        if (said.contains("tip")) {
            joint.tip = point_of(said["tip"]);
            if (*joint.tip == joint.position)
                document_.fail("the tip lies on the joint", pointer + "/tip",
                               "put it where the last part ends");
        }
        if (said.contains("bends") && said.contains("limits"))
            document_.fail("both 'bends' and 'limits' are given", pointer + "/bends", "keep one of them");
        if (said.contains("limits")) {
            joint.limits = {said["limits"][0].get<float>(), said["limits"][1].get<float>()};
            if ((*joint.limits)[0] > (*joint.limits)[1])
                document_.fail("the limits go from more to less", pointer + "/limits",
                               "write the smaller angle first");
        }
        puppet_.joints.push_back(joint);
    }

    int joint_named(const Json& value, const std::string& pointer) const {
        const std::string name = value.get<std::string>();
        if (const auto found = joints_.find(name); found != joints_.end()) return found->second;
        std::vector<std::string> names;
        for (const PuppetJoint& joint : puppet_.joints) names.push_back(joint.name);
        document_.fail("there is no joint '" + name + "'", pointer,
                       did_you_mean(name, names, "name one of /joints"), ErrorCode::unknown_name);
    }

    void find_parent(const Json& said, const std::string& pointer, PuppetJoint& joint) {
        if (said.contains("parent")) joint.parent = joint_named(said["parent"], pointer + "/parent");
    }

    // From straight: as it is drawn a limb may be bent already.
    void bend_to_one_side(const Json& said, std::size_t index) {
        if (!said.contains("bends")) return;
        PuppetJoint& joint = puppet_.joints[index];
        std::array<float, 2> limits = k_one_side;
        if (said["bends"] == "clockwise") limits = {-k_one_side[1], -k_one_side[0]};
        const auto child =
            std::find_if(puppet_.joints.begin(), puppet_.joints.end(), [&](const PuppetJoint& other) {
                return other.parent == static_cast<int>(index) && other.position != joint.position;
            });
        std::optional<Point> end = joint.tip;
        if (!end && child != puppet_.joints.end()) end = child->position;
        if (joint.parent != -1 && end) {
            const Point before =
                joint.position - puppet_.joints[static_cast<std::size_t>(joint.parent)].position;
            const Point after = *end - joint.position;
            // Counterclockwise as seen, with y down.
            const float drawn =
                std::atan2(after.x() * before.y() - after.y() * before.x(), before.dot(after)) * k_degrees;
            for (float& limit : limits) limit -= drawn;
        }
        joint.limits = limits;
    }

    void refuse_loops() const {
        for (std::size_t i = 0; i < puppet_.joints.size(); ++i) {
            std::size_t steps = 0;
            for (int at = static_cast<int>(i); at != -1;
                 at = puppet_.joints[static_cast<std::size_t>(at)].parent) {
                if (steps++ > puppet_.joints.size())
                    document_.fail(
                        "the joint '" + puppet_.joints[i].name + "' hangs on itself, over its parents",
                        fmt::format("/joints/{}/parent", i), "leave one parent of them out");
            }
        }
    }

    void read_part(const Json& said, const std::string& pointer) {
        PuppetPart part;
        part.name = said["name"].get<std::string>();
        part.order = said["order"].get<int>();
        part.joint = joint_named(said["joint"], pointer + "/joint");
        for (const PuppetPart& other : puppet_.parts) {
            if (other.name == part.name)
                document_.fail("the part '" + part.name + "' stands twice", pointer + "/name", "rename one");
            if (other.order == part.order)
                document_.fail(
                    fmt::format("'{}' and '{}' have the same order, {}", other.name, part.name, part.order),
                    pointer + "/order", "give each part its own; the greater is nearer to the viewer");
        }
        part.picture = picture_of(said["image"].get<std::string>(), pointer + "/image");
        part.size = said.contains("size") ? point_of(said["size"]) : sizes_[part.picture];
        const Point pivot = point_of(said["pivot"]);
        if ((pivot.array() < 0.0f).any() || (pivot.array() > part.size.array()).any())
            document_.fail(fmt::format("the pivot {:g}, {:g} lies outside the part, which is {:g} by {:g}",
                                       pivot.x(), pivot.y(), part.size.x(), part.size.y()),
                           pointer + "/pivot", "count from the part's upper left corner");
        part.corner = puppet_.joints[static_cast<std::size_t>(part.joint)].position - pivot;
        puppet_.parts.push_back(part);
    }

    void require_picture(const std::string& image, const std::string& pointer) const {
        std::error_code ignored;
        const fs::path named = file_.parent_path() / image;
        if (fs::exists(named, ignored)) return;
        const std::string nearest = nearest_file(named);
        const std::string nearest_picture = (fs::path(image).parent_path() / nearest).generic_string();
        document_.fail("there is no picture '" + image + "'", pointer,
                       nearest.empty() ? "name it as seen from the puppet's file"
                                       : "did you mean '" + nearest_picture + "'?",
                       ErrorCode::cannot_read);
    }

    std::size_t picture_of(const std::string& image, const std::string& pointer) {
        if (const auto known = pictures_.find(image); known != pictures_.end()) return known->second;
        require_picture(image, pointer);
        Picture picture;
        try {
            picture = read_image(file_, image);
        } catch (const Error&) {
            document_.fail("'" + image + "' is no picture that can be read", pointer, "save the part as PNG");
        }
        if (picture.mime_type != "image/png" || picture.bytes.size() < k_ihdr_end)
            document_.fail("'" + image + "' is no PNG", pointer, "save the part as PNG, with transparency");
        const Point size(static_cast<float>(big_endian(picture.bytes, 16)),
                         static_cast<float>(big_endian(picture.bytes, 20)));
        if (!(size.array() > 0.0f).all()) document_.fail("'" + image + "' is an empty picture", pointer);
        puppet_.pictures.push_back(std::move(picture));
        sizes_.push_back(size);
        return pictures_.emplace(image, puppet_.pictures.size() - 1).first->second;
    }

    fs::path file_;
    JsonDocument document_;
    Puppet puppet_;
    std::map<std::string, int> joints_;
    std::map<std::string, std::size_t> pictures_;
    std::vector<Point> sizes_;
};

}  // namespace

Puppet read_puppet(const fs::path& file, PuppetOf of) {
    return Reader(file).read(of);
}

}  // namespace dendraxis::io
