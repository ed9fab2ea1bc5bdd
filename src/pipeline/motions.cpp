#include "motions.hpp"

#include "../io/fingerprint.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>

#include <algorithm>

namespace dendraxis::pipeline::detail {
namespace {

namespace fs = std::filesystem;

bool is_motion(const fs::path& file) {
    return io::same_ending(file, ".glb") || io::same_ending(file, ".gltf") || io::same_ending(file, ".bvh");
}

}  // namespace

std::vector<fs::path> motion_files(std::span<const fs::path> given) {
    std::vector<fs::path> files;
    for (const fs::path& path : given) {
        if (!fs::is_directory(path)) {
            files.push_back(path);
            continue;
        }
        std::vector<fs::path> found;
        for (const auto& entry : fs::recursive_directory_iterator(path)) {
            if (entry.is_regular_file() && is_motion(entry.path())) found.push_back(entry.path());
        }
        if (found.empty())
            throw Error(path.string(), "holds no .glb, .gltf or .bvh file", "", "name another folder");
        std::sort(found.begin(), found.end());
        files.insert(files.end(), found.begin(), found.end());
    }
    return files;
}

bool same_bones(const Skeleton& a, const Skeleton& b) {
    return std::equal(
        a.bones().begin(), a.bones().end(), b.bones().begin(), b.bones().end(),
        [](const Bone& x, const Bone& y) { return x.label == y.label && x.parent == y.parent; });
}

}  // namespace dendraxis::pipeline::detail
