// What a glTF file's buffers, accessors and animations say, in a few bytes each: a file of thousands of clips
// has hundreds of thousands of channels, and the parser's own records take 1.4 kB for each.
// Source: Khronos Group, "glTF 2.0 Specification" (ISO/IEC 12113:2022), sections 3.6, 3.11 and 5.
#pragma once

#include "../json/json_document.hpp"

#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace dendraxis::io {

struct GltfView {
    std::size_t buffer = 0;
    std::size_t offset = 0;
    std::size_t length = 0;
    std::size_t stride = 0;  ///< bytes from element to element; 0: they touch
};

/// Elements of an accessor that take the place of others.
struct GltfSparse {
    std::size_t count = 0;
    int index_type = 0;
    std::size_t index_view = 0;
    std::size_t index_offset = 0;
    std::size_t value_view = 0;
    std::size_t value_offset = 0;
};

struct GltfAccessor {
    int view = -1;  ///< -1: all its elements are zero
    int component_type = 0;
    std::uint8_t components = 0;  ///< an element
    bool is_normalized = false;
    int sparse = -1;  ///< in `GltfData::sparse`; -1: none
    std::size_t offset = 0;
    std::size_t count = 0;
};

enum class KeyedProperty : std::uint8_t { rotation, translation, scale, other };
enum class KeyCurve : std::uint8_t { step, linear, cubic };

struct GltfSampler {
    int input = 0;  ///< accessors
    int output = 0;
    KeyCurve curve = KeyCurve::linear;
};

struct GltfChannel {
    std::size_t sampler = 0;
    int node = -1;
    KeyedProperty property = KeyedProperty::other;
};

struct GltfAnimation {
    std::string name;
    std::vector<GltfSampler> samplers;
    std::vector<GltfChannel> channels;
};

struct GltfData {
    GltfData() = default;
    GltfData(GltfData&&) = default;
    GltfData& operator=(GltfData&&) = default;

    std::vector<std::uint8_t> file;                      ///< the bytes of a GLB; else empty
    std::vector<std::span<const std::uint8_t>> buffers;  ///< within `file` or `others`
    std::vector<std::vector<std::uint8_t>> others;
    std::vector<GltfView> views;
    std::vector<GltfAccessor> accessors;
    std::vector<GltfSparse> sparse;
    std::vector<GltfAnimation> animations;
};

/// Numbers an element of an accessor of this type: VEC3 has 3.
std::uint8_t components_of(const std::string& type);

/// Fills all but `file` and the buffers. `check_document` has passed the document.
void read_records(const Json& document, GltfData& data);

/// Fills the buffers; `binary` is the GLB's second chunk. Throws `Error` if one cannot be had: `path` is the
/// document's, or its name if it is `in_memory`. A buffer that only stands in for compressed data is empty.
void read_buffers(const std::string& path, bool in_memory, const Json& document,
                  std::span<const std::uint8_t> binary, GltfData& data);

}  // namespace dendraxis::io
