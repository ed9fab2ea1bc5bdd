// Makes the files of the demo world. Usage: make_harbour FOLDER
#include "motions.hpp"
#include "people.hpp"
#include "puppets.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/bvh/bvh.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

#include <filesystem>

int main(int count, char** arguments) {
    if (count != 2) {
        fmt::print(stderr, "usage: make_harbour FOLDER\n");
        return 2;
    }
    try {
        const std::filesystem::path folder = arguments[1];
        dendraxis::Character diver = harbour::make_diver();
        diver.clips = harbour::clips_of_diver(diver.skeleton);
        dendraxis::Character hound = harbour::make_hound();
        hound.clips = harbour::clips_of_hound(hound.skeleton);
        std::vector<dendraxis::io::OutputFile> files;
        std::vector<dendraxis::Character> all{diver,
                                              harbour::make_bosun(),
                                              harbour::make_deckhand(),
                                              hound,
                                              harbour::make_stoker(),
                                              harbour::make_lantern_man(),
                                              harbour::make_slipway(),
                                              harbour::make_steps()};
        for (dendraxis::Character& thing : harbour::make_things()) all.push_back(std::move(thing));
        for (dendraxis::Character& piece : harbour::make_pieces()) all.push_back(std::move(piece));
        for (const dendraxis::Character& character : all) {
            files.push_back({folder / (character.name + ".glb"), dendraxis::io::new_glb(character)});
            fmt::print("{}: {} bytes\n", files.back().path.string(), files.back().bytes.size());
        }
        // A capture system's unit is the inch; the text is made as if of centimetres.
        const dendraxis::Character capture = harbour::make_capture();
        dendraxis::Transform inches;
        inches.scale = dendraxis::Vec3::Constant(1.0f / 2.54f);
        const auto bones = capture.skeleton.bones();
        std::string text = dendraxis::io::bvh_text(dendraxis::Skeleton({bones.begin(), bones.end()}, inches),
                                                   capture.clips[0]);
        for (const char* finger : {"fingers", "fingertips", "thumbtip", "thumb"}) {
            for (const char* side : {"L", "R"}) {
                const std::string name = std::string("JOINT ") + finger + side;
                for (std::size_t at = text.find(name); at != std::string::npos; at = text.find(name))
                    text.erase(at + 6, name.size() - 6);
            }
        }
        files.push_back({folder / "capture.bvh", std::vector<std::uint8_t>(text.begin(), text.end())});
        fmt::print("{}: {} bytes\n", files.back().path.string(), files.back().bytes.size());
        for (dendraxis::io::OutputFile& file : harbour::make_puppets(folder / "puppets"))
            files.push_back(std::move(file));
        dendraxis::io::write_files(files);
        return 0;
    } catch (const dendraxis::Error& problem) {
        fmt::print(stderr, "make_harbour: {}\n", problem.what());
        return 3;
    }
}
