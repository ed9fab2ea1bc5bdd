// Parts of one glTF document brought into another.
#pragma once

#include "../gltf/glb_builder.hpp"

#include <map>
#include <string>
#include <utility>
#include <vector>

namespace dendraxis::io {

/// Brings each part once, with all that it refers to.
class Importer {
 public:
    Importer(const GltfFile& file, Glb& to);

    const Json& json() const { return from_.json; }

    /// An item of one of the top-level lists; returns its index in the other document. Cameras, and what
    /// extensions say of nodes and primitives, stay behind.
    int bring(const std::string& list, int index);

    /// The animations, as far as they move nodes that were brought: into those of the same names, else beside
    /// them.
    void bring_animations();

    /// Extensions of what was brought; returns those that the document did not use yet.
    std::vector<std::string> add_extensions();

 private:
    int view(int index);

    Glb from_;
    Glb& to_;
    std::map<std::pair<std::string, int>, int> done_;
    std::string brought_;
};

}  // namespace dendraxis::io
