#include <dendraxis/base/error.hpp>
#include <dendraxis/io/write_file.hpp>

#include <cerrno>
#include <cstring>
#include <fstream>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;

[[noreturn]] void cannot_write(const fs::path& path, const std::string& reason) {
    throw Error(path.string(), "cannot be written: " + reason, "",
                "choose a place that exists and that you may write to");
}

fs::path temporary_name(const fs::path& path) {
    return path.string() + ".unfinished";
}

void write_temporary(const OutputFile& file) {
    const fs::path folder = file.path.parent_path();
    std::error_code problem;
    if (!folder.empty()) fs::create_directories(folder, problem);
    if (problem) cannot_write(file.path, problem.message());
    if (fs::is_directory(file.path)) cannot_write(file.path, "it is a folder");
    std::ofstream out(temporary_name(file.path), std::ios::binary);
    if (!out) cannot_write(file.path, std::strerror(errno));
    out.write(reinterpret_cast<const char*>(file.bytes.data()),
              static_cast<std::streamsize>(file.bytes.size()));
    out.close();
    if (!out) cannot_write(file.path, "the disk took only a part");
}

}  // namespace

void write_files(std::span<const OutputFile> files) {
    std::size_t begun = 0;
    try {
        for (const OutputFile& file : files) {
            ++begun;
            write_temporary(file);
        }
    } catch (const Error&) {
        std::error_code ignored;
        for (std::size_t i = 0; i < begun; ++i) fs::remove(temporary_name(files[i].path), ignored);
        throw;
    }
    for (const OutputFile& file : files) {
        std::error_code problem;
        fs::rename(temporary_name(file.path), file.path, problem);
        if (problem) cannot_write(file.path, problem.message());
    }
}

void write_text(const fs::path& path, std::string_view text) {
    const OutputFile file{path, {text.begin(), text.end()}};
    write_files({&file, 1});
}

std::vector<std::uint8_t> read_bytes(const fs::path& path) {
    if (fs::is_directory(path)) {
        throw Error(path.string(), "is a folder", "", "name a file");
    }
    std::ifstream in(path, std::ios::binary);
    if (!in) {
        throw Error(path.string(), std::string("cannot be read: ") + std::strerror(errno), "",
                    "check the path");
    }
    // As one block where the length is known, piece by piece where it is not (a pipe).
    std::vector<std::uint8_t> bytes;
    std::error_code unknown;
    const auto size = fs::is_regular_file(path, unknown) ? fs::file_size(path, unknown) : 0;
    bytes.resize(unknown ? 0 : static_cast<std::size_t>(size));
    in.read(reinterpret_cast<char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
    bytes.resize(static_cast<std::size_t>(in.gcount()));
    if (in) bytes.insert(bytes.end(), std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>());
    return bytes;
}

std::string read_text(const fs::path& path) {
    const std::vector<std::uint8_t> bytes = read_bytes(path);
    return {bytes.begin(), bytes.end()};
}

}  // namespace dendraxis::io
