#include "workshop.hpp"

#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <atomic>
#include <cstdlib>
#include <fstream>
#include <iterator>

#include <sys/wait.h>
#include <unistd.h>

namespace workshop {
namespace {

std::size_t width_of(const std::string& type) {
    if (type == "SCALAR") return 1;
    if (type == "VEC2") return 2;
    if (type == "VEC3") return 3;
    if (type == "VEC4") return 4;
    return 16;
}

}  // namespace

Scratch::Scratch() {
    static std::atomic<int> counter{0};
    folder_ = fs::temp_directory_path() /
              ("dendraxis-test-" + std::to_string(getpid()) + "-" + std::to_string(counter++));
    fs::create_directories(folder_);
}

Scratch::~Scratch() {
    std::error_code ignored;
    fs::remove_all(folder_, ignored);
}

std::size_t Scratch::file_count() const {
    const fs::recursive_directory_iterator all(folder_);
    return static_cast<std::size_t>(std::distance(begin(all), end(all)));
}

fs::path demo(const std::string& name) {
    return fs::path(DENDRAXIS_SOURCE) / "demo" / "harbour" / name;
}

const dendraxis::Character& diver() {
    static const dendraxis::Character character = dendraxis::io::load_character(demo("diver.glb"));
    return character;
}

const dendraxis::Character& bosun() {
    static const dendraxis::Character character = dendraxis::io::load_character(demo("bosun.glb"));
    return character;
}

const dendraxis::Character& deckhand() {
    static const dendraxis::Character character = dendraxis::io::load_character(demo("deckhand.glb"));
    return character;
}

const dendraxis::Character& hound() {
    static const dendraxis::Character character = dendraxis::io::load_character(demo("hound.glb"));
    return character;
}

Outcome run(const std::string& command) {
    const Scratch scratch;
    const fs::path out = scratch / "out";
    const fs::path err = scratch / "err";
    const int status = std::system((command + " >" + out.string() + " 2>" + err.string()).c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, dendraxis::io::read_text(out),
            dendraxis::io::read_text(err)};
}

Outcome run_tool(const std::string& arguments) {
    return run(std::string(DENDRAXIS_TOOL) + " " + arguments);
}

bool has_validator() {
    return fs::exists(fs::path(DENDRAXIS_VALIDATOR) / "node_modules" / "gltf-validator") &&
           std::system("node --version >/dev/null 2>&1") == 0;
}

std::string validator_errors(const fs::path& file) {
    return validator_errors(std::vector<fs::path>{file});
}

std::string validator_errors(const std::vector<fs::path>& files) {
    std::string command =
        "NODE_PATH=" DENDRAXIS_VALIDATOR "/node_modules node " DENDRAXIS_SOURCE "/tests/support/validate.js";
    for (const fs::path& file : files) command += " " + file.string();
    const Outcome outcome = run(command);
    return outcome.status == 0 ? outcome.out : "the validator failed: " + outcome.err;
}

int RawGltf::view(const void* data, std::size_t size) {
    while (bytes_.size() % 4 != 0) bytes_.push_back(0);
    json["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", bytes_.size()}, {"byteLength", size}});
    const auto* begin = static_cast<const std::uint8_t*>(data);
    bytes_.insert(bytes_.end(), begin, begin + size);
    return static_cast<int>(json["bufferViews"].size()) - 1;
}

int RawGltf::accessor(nlohmann::json fields) {
    json["accessors"].push_back(std::move(fields));
    return static_cast<int>(json["accessors"].size()) - 1;
}

int RawGltf::floats(const std::vector<float>& values, const std::string& type) {
    return accessor({{"bufferView", view(values.data(), values.size() * sizeof(float))},
                     {"componentType", 5126},
                     {"count", values.size() / width_of(type)},
                     {"type", type}});
}

void RawGltf::channel(int node, const std::string& path, int input, int output, const std::string& curve) {
    if (!json.contains("animations"))
        json["animations"] = {
            {{"name", "move"}, {"channels", nlohmann::json::array()}, {"samplers", nlohmann::json::array()}}};
    nlohmann::json& animation = json["animations"][0];
    animation["samplers"].push_back({{"input", input}, {"output", output}, {"interpolation", curve}});
    animation["channels"].push_back(
        {{"sampler", animation["samplers"].size() - 1}, {"target", {{"node", node}, {"path", path}}}});
}

fs::path RawGltf::write(const Scratch& scratch, const std::string& name) const {
    nlohmann::json whole = json;
    if (!bytes_.empty()) {
        whole["buffers"] = {{{"byteLength", bytes_.size()}, {"uri", name + ".bin"}}};
        std::ofstream(scratch / (name + ".bin"), std::ios::binary)
            .write(reinterpret_cast<const char*>(bytes_.data()), static_cast<std::streamsize>(bytes_.size()));
    }
    std::ofstream(scratch / (name + ".gltf")) << whole.dump(1);
    return scratch / (name + ".gltf");
}

const dendraxis::Chart& diver_chart() {
    static const dendraxis::Chart charted = chart(diver());
    return charted;
}

std::vector<std::string> bone_names(const dendraxis::Character& character) {
    std::vector<std::string> names;
    for (const dendraxis::Bone& bone : character.skeleton.bones()) names.push_back(bone.name);
    return names;
}

bool has(const dendraxis::Findings& findings, const std::string& code, const std::string& where) {
    return std::any_of(findings.begin(), findings.end(), [&](const dendraxis::Finding& finding) {
        return finding.code == code && (where.empty() || finding.where == where);
    });
}

dendraxis::Vec3 any_direction(std::mt19937& random) {
    std::normal_distribution<float> normal;
    return dendraxis::Vec3(normal(random), normal(random), normal(random)).normalized();
}

}  // namespace workshop
