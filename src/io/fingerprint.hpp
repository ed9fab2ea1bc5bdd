// Whether bytes are the same as last time.
#pragma once

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>

#include <cstdint>
#include <cstring>
#include <filesystem>
#include <span>
#include <string>

namespace dendraxis::io {

/// FNV-1a with 64 bits, eight bytes at a time: tells whether bytes are the same as last time, no more.
/// Source: G. Fowler, L. C. Noll, K.-P. Vo, D. Eastlake, "The FNV Non-Cryptographic Hash Algorithm".
class Fingerprint {
 public:
    void add(std::span<const std::uint8_t> bytes) {
        for (; bytes.size() >= sizeof(std::uint64_t); bytes = bytes.subspan(sizeof(std::uint64_t))) {
            std::uint64_t word = 0;
            std::memcpy(&word, bytes.data(), sizeof(word));
            mix(word);
        }
        for (const std::uint8_t byte : bytes) mix(byte);
        mix(0x80);
    }
    void add(const std::string& text) {
        add({reinterpret_cast<const std::uint8_t*>(text.data()), text.size()});
    }
    /// With all that the file draws in; nothing for an empty name.
    void add_file(const std::filesystem::path& file) {
        if (file.empty()) return;
        add(read_bytes(file));
        for (const std::filesystem::path& part : files_beside(file)) add(read_bytes(part));
    }
    std::string text() const { return fmt::format("{:016x}", hash_); }

 private:
    // The upper bits are brought down: a product alone never carries them there.
    void mix(std::uint64_t value) {
        hash_ = (hash_ ^ value) * 0x100000001b3ull;
        hash_ ^= hash_ >> 32;
    }

    std::uint64_t hash_ = 0xcbf29ce484222325ull;
};

}  // namespace dendraxis::io
