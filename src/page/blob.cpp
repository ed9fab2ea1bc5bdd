#include "blob.hpp"

namespace dendraxis::page::detail {

std::string base64(std::span<const std::uint8_t> bytes) {
    static constexpr char k_letters[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string text;
    text.reserve((bytes.size() + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        std::uint32_t group = 0;
        for (std::size_t k = 0; k < 3; ++k)
            group = group << 8 | (i + k < bytes.size() ? bytes[i + k] : std::uint8_t{0});
        for (std::size_t k = 0; k < 4; ++k)
            text += i + k <= bytes.size() ? k_letters[group >> (18 - 6 * k) & 63] : '=';
    }
    return text;
}

}  // namespace dendraxis::page::detail
