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

std::string file_name(std::string name) {
    constexpr std::size_t k_longest = 180;  // bytes; most file systems take 255
    constexpr std::string_view k_reserved = "/\\:*?\"<>|";
    for (char& letter : name) {
        if (k_reserved.find(letter) != std::string_view::npos || static_cast<unsigned char>(letter) < ' ')
            letter = '_';
    }
    if (name.empty() || name.front() == '.') name.insert(name.begin(), '_');
    if (name.size() > k_longest) {
        io::Fingerprint print;
        print.add(name);
        // A letter of several bytes stays whole.
        std::size_t end = k_longest;
        while (end > 0 && (static_cast<unsigned char>(name[end]) & 0xc0U) == 0x80U) --end;
        name = name.substr(0, end) + "-" + print.text();
    }
    return name + ".glb";
}

}  // namespace dendraxis::pipeline::detail
