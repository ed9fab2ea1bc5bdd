// What big honest files cost: big_files TOOL [SHARE] makes files of three sizes each, lets the tool work on
// them, and prints processor time, the most memory, and both against the file. SHARE (default 1) makes all
// of them smaller. The aim: memory at most three times the file and 200 MB, time that grows with the size.
#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <functional>

using namespace dendraxis;
namespace fs = std::filesystem;

namespace {

struct Cost {
    double seconds = 0.0;  // of all its threads
    double megabytes = 0.0;
    int status = -1;
};

Cost run(const std::vector<std::string>& words) {
    std::vector<char*> arguments;
    for (const std::string& word : words) arguments.push_back(const_cast<char*>(word.c_str()));
    arguments.push_back(nullptr);
    const pid_t child = fork();
    if (child == 0) {
        if (std::freopen("/dev/null", "w", stdout) == nullptr) _exit(126);
        execv(arguments[0], arguments.data());
        _exit(127);
    }
    Cost cost;
    rusage used{};
    int status = 0;
    if (wait4(child, &status, 0, &used) != child) return cost;
    cost.seconds = static_cast<double>(used.ru_utime.tv_sec + used.ru_stime.tv_sec) +
                   1e-6 * static_cast<double>(used.ru_utime.tv_usec + used.ru_stime.tv_usec);
    cost.megabytes = static_cast<double>(used.ru_maxrss) / 1024.0;
    cost.status = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    return cost;
}

void write(const fs::path& to, const Character& character) {
    io::write_files(std::vector<io::OutputFile>{{to, io::new_glb(character)}});
}

// In a process of its own: what this one holds would count as its children's memory.
void apart(const std::function<void()>& work) {
    const pid_t child = fork();
    if (child == 0) {
        work();
        _exit(0);
    }
    int status = 0;
    if (waitpid(child, &status, 0) != child || status != 0) throw Error("big_files", "cannot make a file");
}

// Each triangle in four, until there are so many vertices.
Character with_vertices(Character body, std::size_t vertices) {
    for (std::size_t have = 0; have < vertices;) {
        have = 0;
        for (SkinnedMesh& mesh : body.meshes) {
            std::vector<std::array<std::uint32_t, 3>> finer;
            for (const auto& [a, b, c] : mesh.triangles) {
                const auto middle = [&](std::uint32_t one, std::uint32_t other) {
                    mesh.positions.push_back(0.5f * (mesh.positions[one] + mesh.positions[other]));
                    if (!mesh.normals.empty())
                        mesh.normals.push_back((mesh.normals[one] + mesh.normals[other]).normalized());
                    mesh.joints.push_back(mesh.joints[one]);
                    mesh.weights.push_back(mesh.weights[one]);
                    return static_cast<std::uint32_t>(mesh.positions.size() - 1);
                };
                const std::uint32_t ab = middle(a, b), bc = middle(b, c), ca = middle(c, a);
                for (const auto& part : {std::array{a, ab, ca}, std::array{ab, b, bc}, std::array{ca, bc, c},
                                         std::array{ab, bc, ca}})
                    finer.push_back(part);
            }
            mesh.triangles = std::move(finer);
            have += mesh.positions.size();
            if (have >= vertices) break;
        }
    }
    return body;
}

// Strands of ten bones on the head.
Character with_bones(Character body, std::size_t count) {
    std::vector<Bone> bones(body.skeleton.bones().begin(), body.skeleton.bones().end());
    const int head = body.skeleton.find("head");
    while (bones.size() < count) {
        const auto strand = static_cast<float>(bones.size());
        int parent = head;
        for (int i = 0; i < 10; ++i) {
            Bone bone{fmt::format("strand{}_{}", bones.size(), i), "", parent, {}};
            bone.label = bone.name;
            bone.rest.translation =
                i == 0 ? Vec3(0.1f * std::cos(strand), 0.15f, 0.1f * std::sin(strand)) : Vec3(0, -0.03f, 0);
            parent = static_cast<int>(bones.size());
            bones.push_back(bone);
        }
    }
    body.skeleton = Skeleton(bones, body.skeleton.above());
    body.clips.clear();
    return body;
}

Clip noise(const Skeleton& skeleton, const std::string& name, std::size_t frames) {
    Clip clip{name, 30.0f, skeleton.size(), {}};
    for (std::size_t frame = 0; frame < frames; ++frame) {
        for (std::size_t b = 0; b < skeleton.size(); ++b) {
            Transform local = skeleton.bones()[b].rest;
            const float turn = 0.2f * std::sin(0.1f * static_cast<float>(frame * (1 + b % 7)));
            local.rotation = local.rotation * Quat(Eigen::AngleAxisf(turn, Vec3::UnitX()));
            clip.transforms.push_back(local);
        }
    }
    return clip;
}

double megabytes(const fs::path& file) {
    if (!fs::is_directory(file)) return static_cast<double>(fs::file_size(file)) / 1e6;
    double all = 0.0;
    for (const auto& entry : fs::directory_iterator(file)) all += megabytes(entry.path());
    return all;
}

struct Row {
    std::string name;
    std::size_t least;                                       // of the three sizes, each twice the last
    std::function<void(const fs::path&, std::size_t)> make;  // the file
    std::vector<std::vector<std::string>> commands;          // FILE and OUT stand for files
};

std::string put(std::string word, const std::string& name, const fs::path& file) {
    const std::size_t at = word.find(name);
    return at == std::string::npos ? word : word.replace(at, name.size(), file.string());
}

void measure(const Row& row, const std::string& tool, double share, const fs::path& folder) {
    std::vector<double> first(row.commands.size(), 0.0);
    for (int doubling = 0; doubling < 3; ++doubling) {
        const auto size = static_cast<std::size_t>(static_cast<double>(row.least << doubling) * share);
        const fs::path file =
            folder / ("in" + std::to_string(doubling) + (row.name == "files" ? "" : ".glb"));
        apart([&] { row.make(file, size); });
        for (std::size_t c = 0; c < row.commands.size(); ++c) {
            std::vector<std::string> words{tool};
            for (const std::string& word : row.commands[c])
                words.push_back(put(put(word, "FILE", file), "OUT", folder / "out"));
            const Cost cost = run(words);
            if (doubling == 0) first[c] = cost.seconds;
            fmt::print(
                "{:<9} {:>8} {:>8.1f}  {:<22} {:>8.2f} {:>6.1f} {:>8.0f} {:>6}{}\n", row.name, size,
                megabytes(file),
                row.commands[c][0] + " " + row.commands[c][1].substr(0, row.commands[c][1][0] == '-' ? 0 : 8),
                cost.seconds, cost.seconds / first[c], cost.megabytes,
                cost.megabytes <= 3.0 * megabytes(file) + 200.0 ? "within" : "over",
                cost.status > 1 ? fmt::format("  exit status {}", cost.status) : "");
            std::fflush(stdout);
            fs::remove_all(folder / "out");
            fs::remove(folder / "out.glb");
            fs::remove(folder / "out.rig.json");
        }
        fs::remove_all(file);
    }
}

}  // namespace

int main(int argc, char** argv) try {
    if (argc < 2) {
        fmt::print(stderr, "big_files: name the tool: big_files TOOL [SHARE]\n");
        return 2;
    }
    const std::string tool = argv[1];
    const double share = argc > 2 ? std::atof(argv[2]) : 1.0;
    const fs::path demo(DENDRAXIS_DEMO_FOLDER);
    const fs::path folder = fs::temp_directory_path() / fmt::format("dendraxis-big-{}", getpid());
    fs::create_directories(folder);
    const auto diver = [&] { return io::load_character(demo / "diver.glb"); };
    const std::string bosun = (demo / "bosun.glb").string();
    const std::string capture = (demo / "capture.bvh").string();
    const std::string pad = (demo / "chest-pad.glb").string();
    const std::string lantern = (demo / "lantern.glb").string();
    const std::vector<Row> rows{
        {"vertices",
         500'000,
         [&](const fs::path& to, std::size_t size) { write(to, with_vertices(diver(), size)); },
         {{"survey", "FILE"},
          {"ragdoll", "build", "FILE", "-o", "OUT.rig.json"},
          {"equip", "FILE", "--fit", pad + "@chest", "-o", "OUT.glb"},
          {"retarget", "--source", capture, "--target", "FILE", "--out-dir", "OUT"}}},
        {"bones",
         1'250,
         [&](const fs::path& to, std::size_t size) { write(to, with_bones(diver(), size)); },
         {{"chart", "FILE"},
          {"compare", "FILE", "FILE"},
          {"equip", "FILE", "--put", lantern + "@hand.left", "-o", "OUT.glb"},
          {"retarget", "--source", (demo / "diver.glb").string(), "--target", "FILE", "--out-dir", "OUT"}}},
        {"frames",
         50'000,
         [&](const fs::path& to, std::size_t size) {
             Character body = diver();
             body.meshes.clear();
             body.clips = {noise(body.skeleton, "long", size)};
             write(to, body);
         },
         {{"survey", "FILE"}, {"retarget", "--source", "FILE", "--target", bosun, "-o", "OUT.glb"}}},
        {"clips",
         750,
         [&](const fs::path& to, std::size_t size) {
             Character body = diver();
             body.clips.clear();
             for (std::size_t i = 0; i < size; ++i)
                 body.clips.push_back(noise(body.skeleton, "clip" + std::to_string(i), 20));
             write(to, body);
         },
         {{"survey", "FILE"}, {"retarget", "--source", "FILE", "--target", bosun, "--out-dir", "OUT"}}},
        {"files",
         2'500,
         [&](const fs::path& to, std::size_t size) {
             fs::create_directories(to);
             std::ifstream in(demo / "capture.bvh", std::ios::binary);
             const std::string text((std::istreambuf_iterator<char>(in)), {});
             for (std::size_t i = 0; i < size; ++i)
                 std::ofstream(to / fmt::format("capture{}.bvh", i), std::ios::binary) << text;
         },
         {{"retarget", "--motion", "FILE", "--target", bosun, "--out-dir", "OUT"}}},
    };
    fmt::print("{:<9} {:>8} {:>8}  {:<22} {:>8} {:>6} {:>8} {:>6}\n", "of", "count", "file MB", "command",
               "CPU s", "x", "MB", "memory");
    for (const Row& row : rows) {
        if (argc < 4 || row.name == argv[3]) measure(row, tool, share, folder);
    }
    fs::remove_all(folder);
    return 0;
} catch (const std::exception& error) {
    fmt::print(stderr, "big_files: {}\n", error.what());
    return 1;
}
