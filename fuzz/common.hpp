// What all targets share.
#pragma once

#include <dendraxis/base/error.hpp>

#include <unistd.h>

#include <cstddef>
#include <cstdint>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <functional>
#include <string>

namespace fuzz {

/// Runs `work`; refusing an input with an `Error` is what should happen to most of them.
inline void refuse_or_do(const std::function<void()>& work) {
    try {
        work();
    } catch (const dendraxis::Error&) {
    }
}

/// A file of this process with these bytes.
inline std::filesystem::path file_with(const std::string& name, const std::uint8_t* data, std::size_t size) {
    static const std::filesystem::path folder = [] {
        const auto made =
            std::filesystem::temp_directory_path() / ("dendraxis-fuzz-" + std::to_string(getpid()));
        std::filesystem::create_directories(made);
        return made;
    }();
    std::ofstream(folder / name, std::ios::binary)
        .write(reinterpret_cast<const char*>(data), static_cast<std::streamsize>(size));
    return folder / name;
}

}  // namespace fuzz
