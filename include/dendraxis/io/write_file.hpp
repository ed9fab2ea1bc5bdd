// Writing files so that nothing is ever half-written.
#pragma once

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis::io {

struct OutputFile {
    std::filesystem::path path;
    std::vector<std::uint8_t> bytes;
};

/// Writes all files or none: each under a temporary name beside its place first, then renamed. Folders on the
/// way are made. Throws `Error` where a place cannot be written; what stood there before stays.
void write_files(std::span<const OutputFile> files);

/// One file of text.
void write_text(const std::filesystem::path& path, std::string_view text);

/// The whole file. Throws `Error` where it cannot be read.
std::vector<std::uint8_t> read_bytes(const std::filesystem::path& path);
std::string read_text(const std::filesystem::path& path);

}  // namespace dendraxis::io
