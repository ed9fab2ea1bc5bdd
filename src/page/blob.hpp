// Numbers of a page, side by side in one block of bytes.
#pragma once

#include <io/json/json_text.hpp>

#include <cstdint>
#include <cstring>
#include <span>
#include <string>
#include <vector>

namespace dendraxis::page::detail {

using io::Json;

/// Bytes in base64 (RFC 4648).
std::string base64(std::span<const std::uint8_t> bytes);

/// Collects arrays and says, in JSON, where each stands: `{"at": byte, "count": n, "type": "f32"}`.
class Blob {
 public:
    Json add(std::span<const float> numbers) { return add_bytes(numbers, "f32"); }
    Json add(std::span<const std::int16_t> numbers) { return add_bytes(numbers, "i16"); }
    Json add(std::span<const std::uint16_t> numbers) { return add_bytes(numbers, "u16"); }
    Json add(std::span<const std::uint32_t> numbers) { return add_bytes(numbers, "u32"); }
    Json add(std::span<const std::uint8_t> numbers) { return add_bytes(numbers, "u8"); }

    std::span<const std::uint8_t> bytes() const { return bytes_; }

 private:
    template <class Number>
    Json add_bytes(std::span<const Number> numbers, const char* type) {
        bytes_.resize((bytes_.size() + 3) / 4 * 4);
        const std::size_t at = bytes_.size();
        bytes_.resize(at + numbers.size_bytes());
        if (!numbers.empty()) std::memcpy(bytes_.data() + at, numbers.data(), numbers.size_bytes());
        return {{"at", at}, {"count", numbers.size()}, {"type", type}};
    }

    std::vector<std::uint8_t> bytes_;
};

}  // namespace dendraxis::page::detail
