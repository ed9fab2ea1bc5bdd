#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/outputs.hpp"
#include "../support/print.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/bvh/bvh.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/mend.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {
namespace {

struct ConvertArguments {
    fs::path in;
    fs::path out;
    std::string clip;
    float fps = 0.0f;
    bool json = false;
};

const Clip& chosen_clip(const Character& character, const std::string& name) {
    if (!name.empty()) return character.clip(name);
    if (character.clips.empty()) throw Error(character.file, "holds no clips that move its bones");
    if (character.clips.size() > 1) {
        throw Error(character.file, fmt::format("holds {} clips, a .bvh file one", character.clips.size()),
                    "", "name it with --clip");
    }
    return character.clips.front();
}

int run_convert(const ConvertArguments& arguments) {
    check_not_input(arguments.out, {arguments.in});
    Character character = io::load_character(arguments.in, {arguments.fps});
    Findings findings = character.findings;
    for (Clip& clip : character.clips) {
        const Findings mended = mend_clip(character.skeleton, clip);
        findings.insert(findings.end(), mended.begin(), mended.end());
    }
    if (io::same_ending(arguments.out, ".bvh")) {
        io::write_text(arguments.out,
                       io::bvh_text(character.skeleton, chosen_clip(character, arguments.clip)));
    } else if (io::same_ending(arguments.out, ".glb")) {
        if (!arguments.clip.empty()) character.clips = {Clip(character.clip(arguments.clip))};
        const bool from_bvh = io::same_ending(arguments.in, ".bvh");
        const io::OutputFile file{arguments.out, from_bvh ? io::new_glb(character)
                                                          : io::glb_with_clips(character, character.clips)};
        io::write_files({&file, 1});
    } else {
        throw UsageError(arguments.out.string() + ": the output must end in .bvh or .glb");
    }
    if (arguments.json) {
        print_json({{"findings", json_of(findings)}});
        return k_done;
    }
    fmt::print("wrote {}\n", arguments.out.string());
    print_findings(findings);
    return k_done;
}

void add_convert(CommandLine& line) {
    auto arguments = std::make_shared<ConvertArguments>();
    CLI::App* c = line.add("convert", "Turn .bvh or a puppet into .glb, or a clip of a .glb into .bvh",
                           "convert walk.bvh walk.glb", arguments, run_convert);
    add_file(c, "IN", arguments->in, "a .bvh, .glb, .gltf or .puppet.json file");
    add_file(c, "OUT", arguments->out, "the result (.glb or .bvh)");
    c->add_option("--clip", arguments->clip, "the clip to convert; a .bvh file holds one")
        ->option_text("NAME");
    add_rate_option(c, arguments->fps, "frames a second; default: the rate of the file");
}

const Registration k_convert(80, add_convert);

}  // namespace
}  // namespace dendraxis::tool
