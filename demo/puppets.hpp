// The flat puppets of the harbour fair, as parts files and pictures.
#pragma once

#include <dendraxis/io/write_file.hpp>

#include <filesystem>
#include <vector>

namespace harbour {

/// The ferryman, the net mender and the harbour master: a parts file each, and a folder with its pictures.
std::vector<dendraxis::io::OutputFile> make_puppets(const std::filesystem::path& folder);

}  // namespace harbour
