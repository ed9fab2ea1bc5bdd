#include "commands.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/bvh.hpp>
#include <dendraxis/io/gltf.hpp>
#include <dendraxis/io/sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/skeleton/mend.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {
namespace {

const Clip& chosen_clip(const Character& character, const std::string& name) {
    if (!name.empty()) return character.clip(name);
    if (character.clips.empty()) throw Error(character.file, "holds no clips that move its bones");
    if (character.clips.size() > 1) {
        throw Error(character.file, fmt::format("holds {} clips, a .bvh file one", character.clips.size()),
                    "", "name it with --clip");
    }
    return character.clips.front();
}

}  // namespace

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
        fmt::print("{}", io::findings_json(findings));
        return k_done;
    }
    fmt::print("wrote {}\n", arguments.out.string());
    print_findings(findings);
    return k_done;
}

}  // namespace dendraxis::tool
