// What the tests share: scratch folders, the demo characters, the tool as a user runs it, hand-made glTF
// files.
#pragma once

#include <dendraxis/io/sheet/sheet.hpp>

#include <nlohmann/json.hpp>

#include <cstdint>
#include <filesystem>
#include <random>
#include <string>
#include <vector>

namespace workshop {

namespace fs = std::filesystem;

/// A folder that is empty at the start and gone at the end.
class Scratch {
 public:
    Scratch();
    ~Scratch();
    Scratch(const Scratch&) = delete;
    Scratch& operator=(const Scratch&) = delete;
    fs::path operator/(const std::string& name) const { return folder_ / name; }
    const fs::path& path() const { return folder_; }
    std::size_t file_count() const;

 private:
    fs::path folder_;
};

fs::path demo(const std::string& name);

/// The demo characters as read from their files, read once.
const dendraxis::Character& diver();
const dendraxis::Character& bosun();
const dendraxis::Character& deckhand();
const dendraxis::Character& hound();

/// Their charts, found once.
const dendraxis::Chart& diver_chart();

/// The files of the two most used, as arguments of the tool.
inline const std::string k_diver = demo("diver.glb").string();
inline const std::string k_bosun = demo("bosun.glb").string();

std::vector<std::string> bone_names(const dendraxis::Character& character);

/// If `where` is given, the finding must be about it.
bool has(const dendraxis::Findings& findings, const std::string& code, const std::string& where = "");

/// All directions are equally likely.
dendraxis::Vec3 any_direction(std::mt19937& random);

struct Outcome {
    int status = -1;
    std::string out;
    std::string err;
};

/// Runs a program with a command line as typed in a shell.
Outcome run(const std::string& command);
Outcome run_tool(const std::string& arguments);

/// Errors that the Khronos validator sees in files, each after its file's name; nothing if there are none.
std::string validator_errors(const std::vector<fs::path>& files);
std::string validator_errors(const fs::path& file);
bool has_validator();

/// Builds a .gltf with one buffer beside it.
class RawGltf {
 public:
    nlohmann::json json{{"asset", {{"version", "2.0"}}}};

    int view(const void* data, std::size_t size);
    int accessor(nlohmann::json fields);
    int floats(const std::vector<float>& values, const std::string& type);
    /// An animation channel; returns nothing, adds to animation 0.
    void channel(int node, const std::string& path, int input, int output,
                 const std::string& curve = "LINEAR");
    fs::path write(const Scratch& scratch, const std::string& name) const;

 private:
    std::vector<std::uint8_t> bytes_;
};

}  // namespace workshop
