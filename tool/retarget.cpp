#include "commands.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/gltf.hpp>
#include <dendraxis/io/sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/retarget/lost_motion.hpp>
#include <dendraxis/retarget/transfer.hpp>

#include <fmt/core.h>

#include <algorithm>

namespace dendraxis::tool {
namespace {

std::vector<const Clip*> chosen_clips(const Character& source, const std::vector<std::string>& names) {
    std::vector<const Clip*> clips;
    for (const std::string& name : names) clips.push_back(&source.clip(name));
    if (names.empty()) {
        for (const Clip& clip : source.clips) clips.push_back(&clip);
    }
    if (clips.empty())
        throw Error(source.file, "holds no clips that move its bones", "", "name a source that has clips");
    return clips;
}

// A clip's name as a file's name.
std::string file_name(std::string name) {
    for (char& letter : name) {
        if (letter == '/' || letter == '\\' || letter == ':' || static_cast<unsigned char>(letter) < ' ')
            letter = '_';
    }
    return name + ".glb";
}

void check_arguments(const RetargetArguments& arguments) {
    if (arguments.out.empty() == arguments.out_dir.empty()) {
        throw UsageError("retarget: give either -o OUT.glb or --out-dir DIR");
    }
    if (!arguments.out.empty() && arguments.out.extension() != ".glb") {
        throw UsageError(arguments.out.string() + ": the output must end in .glb");
    }
}

std::vector<io::OutputFile> make_files(const RetargetArguments& arguments, const Character& target,
                                       std::vector<Clip>& results, io::RetargetReport& report) {
    std::vector<io::OutputFile> files;
    if (!arguments.out.empty()) {
        files.push_back({arguments.out, io::glb_with_clips(target, results)});
        for (io::RetargetReport::Line& line : report.clips) line.file = arguments.out.string();
        return files;
    }
    for (std::size_t i = 0; i < results.size(); ++i) {
        files.push_back(
            {arguments.out_dir / file_name(results[i].name), io::glb_with_clips(target, {&results[i], 1})});
        report.clips[i].file = files.back().path.string();
        for (std::size_t k = 0; k < i; ++k) {
            if (files[k].path == files[i].path)
                throw Error(files[i].path.string(), "two clips would be written to this file", "",
                            "use -o to write all clips to one file");
        }
    }
    return files;
}

}  // namespace

int run_retarget(const RetargetArguments& arguments) {
    check_arguments(arguments);
    const io::Rig source = io::load_rig(arguments.source, arguments.fps);
    const io::Rig target = io::load_rig(arguments.target);
    const std::vector<const Clip*> clips = chosen_clips(source.character, arguments.clips);
    const Pairing pairing = arguments.pairing.empty()
                                ? pair(source.chart, target.chart)
                                : io::read_pairing(arguments.pairing, source, target);
    const Transfer transfer(pairing);

    io::RetargetReport report;
    report.leg_ratio = transfer.leg_ratio();
    report.hub_ratio = transfer.hub_ratio();
    report.findings = pairing.findings;
    std::vector<Clip> results;
    for (const Clip* clip : clips) {
        results.push_back(transfer.apply(*clip));
        report.clips.push_back({clip->name, "", clip->frame_count(), clip->fps});
        const Findings lost = lost_motion(pairing, *clip);
        report.findings.insert(report.findings.end(), lost.begin(), lost.end());
        const auto& own = target.character.clips;
        if (std::any_of(own.begin(), own.end(), [&](const Clip& c) { return c.name == clip->name; })) {
            report.findings.push_back({Severity::note, "retarget.clip-replaced", clip->name,
                                       "the target had a clip of this name; the new one takes its place",
                                       ""});
        }
    }
    const std::vector<io::OutputFile> files = make_files(arguments, target.character, results, report);
    for (const io::OutputFile& file : files) {
        check_not_input(file.path, {arguments.source, arguments.target, arguments.pairing,
                                    source.character.file, target.character.file});
    }
    io::write_files(files);

    if (arguments.json) {
        fmt::print("{}", io::report_json(report));
        return k_done;
    }
    fmt::print("{}\n", bold(fmt::format("{} -> {}", pairing.source.character, pairing.target.character)));
    fmt::print("  {} chains paired; travel x {:.3f}, hub height x {:.3f}\n\n", pairing.chains.size(),
               report.leg_ratio, report.hub_ratio);
    fmt::print("  {:<24} {:>6} {:>6}  {}\n", "clip", "frames", "fps", "file");
    for (const io::RetargetReport::Line& line : report.clips) {
        fmt::print("  {:<24} {:>6} {:>6g}  {}\n", line.clip, line.frames, line.fps, line.file);
    }
    print_findings(report.findings);
    return k_done;
}

}  // namespace dendraxis::tool
