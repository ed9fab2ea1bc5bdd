// Writing files so that nothing is ever half-written.
#pragma once

#include <cstdint>
#include <filesystem>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace dendraxis::io {

struct OutputFile {
    std::filesystem::path path;
    std::vector<std::uint8_t> bytes;
};

/// Writes all files or none: each under a name of its own beside its place first, safe on the disk, then
/// renamed. Folders on the way are made; links are followed to their file; a file that is replaced keeps its
/// mode. Throws `Error` if a place cannot be written or is no ordinary file (a device, a pipe); what stood
/// there before stays. Safe to call from several threads and processes. If `tidy`, what killed runs have left
/// in the folders is removed first; it looks at every name in them.
void write_files(std::span<const OutputFile> files, bool tidy = true);

/// Removes files of a folder that a killed run was writing when it ended (`NAME.unfinished-…`), and none that
/// somebody still writes.
void remove_unfinished(const std::filesystem::path& folder) noexcept;

/// Files that are read and must not be written over, by whatever name or link. Empty names, and files that
/// are not there, are passed over.
class ReadFiles {
 public:
    explicit ReadFiles(std::span<const std::filesystem::path> files);

    /// Throws `Error` if `out` is one of them.
    void refuse_to_replace(const std::filesystem::path& out) const;

 private:
    std::set<std::pair<std::uint64_t, std::uint64_t>> known_;  // by device and number
};

/// One file of text.
void write_text(const std::filesystem::path& path, std::string_view text);

/// The whole file. Throws `Error` where it cannot be read.
std::vector<std::uint8_t> read_bytes(const std::filesystem::path& path);

/// The name of the file or folder beside `path` that is most like its own; empty if none is near.
std::string nearest_file(const std::filesystem::path& path);
std::string read_text(const std::filesystem::path& path);

}  // namespace dendraxis::io
