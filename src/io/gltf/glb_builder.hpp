// A GLB in the making: its JSON, its one buffer, and what is added to both.
#pragma once

#include "../json/json_document.hpp"
#include "gltf_file.hpp"

#include <dendraxis/skeleton/clip.hpp>
#include <dendraxis/skeleton/skeleton.hpp>

#include <algorithm>
#include <array>
#include <cstdint>
#include <span>
#include <vector>

namespace dendraxis::io {

inline constexpr int k_float = 5126;  ///< glTF's number for the component type

struct Glb {
    Json json;
    std::vector<std::uint8_t> binary;
};

/// Adds to one of the top-level lists; returns the index.
int push(Json& document, const char* list, Json item);

void align(std::vector<std::uint8_t>& bytes, std::uint8_t filler);

int add_view(Glb& glb, const void* data, std::size_t size, int target = 0);

/// Throws `Error` if any is not finite: such a file is never written.
void require_finite(std::span<const float> numbers);

// An accessor over tightly packed numbers, with the least and the greatest where glTF asks for them.
template <class Number>
int add_accessor(Glb& glb, std::span<const Number> numbers, std::size_t width, int component_type,
                 bool bounds, int target = 0) {
    if constexpr (std::is_same_v<Number, float>) require_finite(numbers);
    static constexpr std::array<const char*, 5> k_types{"", "SCALAR", "VEC2", "VEC3", "VEC4"};
    Json accessor{{"bufferView", add_view(glb, numbers.data(), numbers.size_bytes(), target)},
                  {"componentType", component_type},
                  {"count", numbers.size() / width},
                  {"type", width == 16 ? "MAT4" : k_types[width]}};
    if (bounds) {
        for (const char* bound : {"min", "max"}) {
            for (std::size_t c = 0; c < width; ++c) {
                Number extreme = numbers[c];
                for (std::size_t i = c; i < numbers.size(); i += width) {
                    extreme = bound[1] == 'i' ? std::min(extreme, numbers[i]) : std::max(extreme, numbers[i]);
                }
                accessor[bound].push_back(extreme);
            }
        }
    }
    return push(glb.json, "accessors", std::move(accessor));
}

template <class Element>
int add_vectors(Glb& glb, const std::vector<Element>& elements, std::size_t width, int target = 0,
                bool bounds = false) {
    const std::span<const float> numbers(reinterpret_cast<const float*>(elements.data()),
                                         elements.size() * width);
    return add_accessor(glb, numbers, width, k_float, bounds, target);
}

/// A clip as an animation; it takes the place of one of the same name.
void add_clip(Glb& glb, const Skeleton& skeleton, std::span<const int> nodes, const Clip& clip);

/// The GLB as a file.
std::vector<std::uint8_t> to_bytes(Glb& glb);

/// Keeps a text in the file, and with it a fingerprint of all else; nothing may be changed after it.
void put_stamp(Glb& glb, const std::string& stamp);

/// The text that a GLB's bytes were stamped with; empty if there is none, or anything else has changed.
std::string read_stamp(std::span<const std::uint8_t> bytes);

/// A file's own JSON with all buffers made one, and images that lie beside it brought in, so that it stands
/// alone.
Glb open_for_editing(const GltfFile& file);

/// x, y, z; of a rotation also w, as glTF has it.
Json list_of(const Vec3& vector);
Json list_of(const Quat& rotation);

}  // namespace dendraxis::io
