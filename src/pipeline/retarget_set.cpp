#include "../io/fingerprint.hpp"

#include "motions.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/pipeline/retarget_set.hpp>
#include <dendraxis/retarget/lost_motion.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/mend.hpp>
#include <dendraxis/version.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <map>
#include <mutex>
#include <optional>
#include <set>

namespace dendraxis::pipeline {
namespace {

namespace fs = std::filesystem;

// A file with its clips mended, and what was found at each.
struct Opened {
    io::Rig rig;
    std::vector<Findings> mended;
};

// One motion file with the transfer that carries it.
struct Motion {
    fs::path file;
    std::shared_ptr<const Opened> opened;
    Pairing pairing;
    std::shared_ptr<const Transfer> transfer;
    std::string fingerprint;
    std::vector<std::size_t> chosen;  // of its clips
};

// What became of one clip.
struct Outcome {
    RetargetReport::Line line;
    std::optional<Clip> clip;
    Findings findings;
};

class SetRunner {
 public:
    SetRunner(const RetargetSet& set, const Progress& progress) : set_(set), progress_(progress) {}

    RetargetReport run() {
        target_ = io::load_rig(set_.target);
        if (!set_.source.empty()) {
            source_ = open_file(set_.source);
            pairing_ = set_.pairing.empty() ? pair(source_->rig.chart, target_.chart)
                                            : io::read_pairing(set_.pairing, source_->rig, target_);
            transfer_ = std::make_shared<Transfer>(pairing_);
            report_.findings = pairing_.findings;
            report_.leg_ratio = transfer_->leg_ratio();
            report_.hips_ratio = transfer_->hips_ratio();
            report_.chains = pairing_.chains.size();
        }
        std::vector<fs::path> files = detail::motion_files(set_.motions);
        if (files.empty()) files.emplace_back((source_ ? source_->rig.character : target_.character).file);
        files_ = files.size();
        check_places(files);
        io::remove_unfinished(set_.out_dir.empty() ? set_.out.parent_path() : set_.out_dir);
        fingerprint_settings();
        if (!set_.out.empty() && is_current(files)) return report_;
        tbb::task_arena arena(std::max(1, set_.jobs));
        std::vector<std::vector<Outcome>> outcomes(files.size());
        arena.execute([&] {
            tbb::parallel_for(std::size_t{0}, files.size(), [&](std::size_t i) {
                outcomes[i] = run_file(files[i]);
                const std::lock_guard lock(mutex_);
                if (progress_) progress_(++done_, files.size(), files[i].filename().string());
            });
            gather(std::move(outcomes), files);
        });
        return std::move(report_);
    }

 private:
    // Nothing that is read is written over; of clips that would get one file name only the first gets it.
    void check_places(const std::vector<fs::path>& files) {
        std::vector<fs::path> inputs{set_.source, set_.target, set_.pairing, target_.character.file};
        if (source_) inputs.emplace_back(source_->rig.character.file);
        inputs.insert(inputs.end(), files.begin(), files.end());
        const io::ReadFiles read(inputs);
        if (!set_.out.empty()) {
            read.refuse_to_replace(set_.out);
            return;
        }
        std::vector<std::vector<std::string>> names(files.size());
        tbb::parallel_for(std::size_t{0}, files.size(), [&](std::size_t i) {
            try {
                names[i] = names_in(files[i]);
            } catch (const std::exception&) {
                // What is wrong with a file is told when it is carried over.
                names[i].clear();
            }
        });
        for (std::size_t i = 0; i < files.size(); ++i) {
            for (const std::string& name : names[i]) {
                if (!is_wanted(name)) continue;
                const fs::path path = path_of(name);
                read.refuse_to_replace(path);
                const auto [place, is_first] = owners_.try_emplace(path, files[i], name);
                if (!is_first && place->second != std::pair(files[i], name)) continue;
                if (!is_first) twice_.insert(path);
            }
        }
    }

    std::vector<std::string> names_in(const fs::path& file) const {
        if (!source_ || fs::path(source_->rig.character.file) != file) return io::clip_names(file);
        std::vector<std::string> names;
        for (const Clip& clip : source_->rig.character.clips) names.push_back(clip.name);
        return names;
    }

    bool is_wanted(const std::string& clip) const {
        return set_.clips.empty() ||
               std::find(set_.clips.begin(), set_.clips.end(), clip) != set_.clips.end();
    }

    fs::path path_of(const std::string& clip) const {
        return set_.out_dir / detail::file_name(set_.prefix + clip + set_.suffix);
    }

    // All but the motion's own bytes.
    void fingerprint_settings() {
        io::Fingerprint print;
        print.add(std::string(k_version));
        print.add_file(target_.character.file);
        if (io::is_sheet(set_.target)) print.add(io::read_text(set_.target));
        if (source_) {
            print.add_file(source_->rig.character.file);
            if (io::is_sheet(set_.source)) print.add(io::read_text(set_.source));
        }
        print.add_file(set_.pairing);
        print.add(fmt::format("{}|{}|{}", set_.prefix, set_.suffix, set_.fps));
        settings_ = print.text();
    }

    bool is_current(const std::vector<fs::path>& files) {
        io::Fingerprint print;
        print.add(settings_);
        for (const std::string& clip : set_.clips) print.add(clip);
        for (const fs::path& file : files) {
            if (!fs::exists(file)) return false;
            print.add_file(file);
        }
        stamp_ = print.text();
        if (io::stamp_of(set_.out) != stamp_) return false;
        for (const Clip& clip : io::load_character(set_.out).clips)
            report_.clips.push_back(
                {clip.name, set_.out.string(), clip.frame_count(), clip.fps, "up to date", ""});
        return true;
    }

    std::vector<Outcome> run_file(const fs::path& file) const {
        try {
            const Motion motion = open(file);
            std::vector<Outcome> outcomes(motion.chosen.size());
            tbb::parallel_for(std::size_t{0}, motion.chosen.size(),
                              [&](std::size_t i) { outcomes[i] = run_clip(motion, motion.chosen[i]); });
            if (!outcomes.empty()) {
                Findings& findings = outcomes.front().findings;
                if (motion.transfer != transfer_)
                    findings.insert(findings.begin(), motion.pairing.findings.begin(),
                                    motion.pairing.findings.end());
                if (io::same_ending(file, ".bvh")) {
                    const Findings& read = motion.opened->rig.character.findings;
                    findings.insert(findings.begin(), read.begin(), read.end());
                }
            }
            return outcomes;
        } catch (const std::exception& problem) {
            if (files_ == 1) throw;
            Outcome failed;
            failed.line = {file.stem().string(), "", 0, 0.0f, "failed", problem.what()};
            return {failed};
        }
    }

    std::shared_ptr<const Opened> open_file(const fs::path& file) const {
        auto opened = std::make_shared<Opened>(Opened{io::load_rig(file, set_.fps), {}});
        Character& character = opened->rig.character;
        for (Clip& clip : character.clips) opened->mended.push_back(mend_clip(character.skeleton, clip));
        return opened;
    }

    Motion open(const fs::path& file) const {
        Motion motion;
        motion.file = file;
        const bool is_source = source_ && fs::path(source_->rig.character.file) == file;
        motion.opened = is_source ? source_ : open_file(file);
        const io::Rig& rig = motion.opened->rig;
        if (source_ && detail::same_bones(rig.character.skeleton, source_->rig.character.skeleton)) {
            motion.transfer = transfer_;
            motion.pairing = pairing_;
        } else {
            motion.pairing = pair(rig.chart, target_.chart);
            motion.pairing.settings = pairing_.settings;
            motion.transfer = std::make_shared<Transfer>(motion.pairing);
        }
        const auto& clips = rig.character.clips;
        for (std::size_t i = 0; i < clips.size(); ++i) {
            if (is_wanted(clips[i].name)) motion.chosen.push_back(i);
        }
        if (clips.empty())
            throw Error(file.string(), "holds no clips that move its bones", "",
                        "name a file that has clips");
        io::Fingerprint print;
        print.add(settings_);
        print.add_file(file);
        motion.fingerprint = print.text();
        return motion;
    }

    Outcome run_clip(const Motion& motion, std::size_t index) const {
        const Clip& clip = motion.opened->rig.character.clips[index];
        Outcome outcome;
        const std::string source_name = clip.name;
        outcome.line = {set_.prefix + clip.name + set_.suffix, "", clip.frame_count(), clip.fps, "done", ""};
        try {
            const fs::path path = path_of(source_name);
            const std::string stamp = motion.fingerprint + "-" + source_name;
            if (!set_.out_dir.empty()) {
                check_owner(path, motion.file, source_name);
                outcome.line.file = path.string();
                if (io::stamp_of(path) == stamp) {
                    outcome.line.status = "up to date";
                    return outcome;
                }
            }
            outcome.findings = motion.opened->mended[index];
            const Findings lost = lost_motion(motion.pairing, clip);
            outcome.findings.insert(outcome.findings.end(), lost.begin(), lost.end());
            Clip result = motion.transfer->apply(clip);
            outcome.line.verdict = verdict_on(motion.pairing, review_clip(motion.pairing, clip, result));
            result.name = outcome.line.clip;
            outcome.line.fps = result.fps;
            const auto& own = target_.character.clips;
            if (std::any_of(own.begin(), own.end(), [&](const Clip& c) { return c.name == result.name; })) {
                outcome.findings.push_back({Severity::note, "retarget.clip-replaced", result.name,
                                            "the target had a clip of this name; the new one takes its place",
                                            ""});
            }
            if (set_.out_dir.empty()) {
                outcome.clip = std::move(result);
            } else {
                const io::OutputFile written{path,
                                             io::glb_with_clips(target_.character, {&result, 1}, stamp)};
                io::write_files({&written, 1}, false);
            }
        } catch (const std::exception& problem) {
            outcome.line.status = "failed";
            outcome.line.error = problem.what();
            outcome.clip.reset();
        }
        return outcome;
    }

    void check_owner(const fs::path& path, const fs::path& file, const std::string& clip) const {
        const auto owner = owners_.find(path);
        if (!twice_.contains(path) && (owner == owners_.end() || owner->second == std::pair(file, clip)))
            return;
        throw Error(path.string(), "two clips would be written to this file", "",
                    "use -o to write all clips to one file, or rename one");
    }

    // In the order of the files and their clips, whoever was ready first.
    void gather(std::vector<std::vector<Outcome>> outcomes, const std::vector<fs::path>& files) {
        std::vector<Clip> results;
        std::set<std::string> seen;
        for (std::vector<Outcome>& of_file : outcomes) {
            for (Outcome& outcome : of_file) {
                seen.insert(outcome.line.clip);
                if (outcome.clip) {
                    outcome.line.file = set_.out.string();
                    const bool twice = std::any_of(results.begin(), results.end(), [&](const Clip& c) {
                        return c.name == outcome.clip->name;
                    });
                    if (twice) {
                        outcome.line.status = "failed";
                        outcome.line.error =
                            outcome.line.clip + ": another clip has this name already; write one file a clip";
                    } else {
                        results.push_back(std::move(*outcome.clip));
                    }
                }
                report_.findings.insert(report_.findings.end(), outcome.findings.begin(),
                                        outcome.findings.end());
                report_.clips.push_back(std::move(outcome.line));
            }
        }
        check_names(seen, files);
        if (set_.out.empty() || results.empty()) return;
        const io::OutputFile written{set_.out,
                                     io::glb_with_clips(target_.character, results, failed() ? "" : stamp_)};
        io::write_files({&written, 1});
    }

    bool failed() const {
        return std::any_of(report_.clips.begin(), report_.clips.end(),
                           [](const RetargetReport::Line& line) { return line.status == "failed"; });
    }

    // A clip that was asked for by name and is nowhere.
    void check_names(const std::set<std::string>& seen, const std::vector<fs::path>& files) const {
        for (const std::string& name : set_.clips) {
            if (seen.contains(set_.prefix + name + set_.suffix)) continue;
            std::vector<std::string> names;
            for (const fs::path& file : files) {
                for (const Clip& clip : io::load_character(file).clips) names.push_back(clip.name);
            }
            throw Error(ErrorCode::unknown_name, files.front().string(), "has no clip '" + name + "'", "",
                        did_you_mean(name, names, "see `dendraxis survey`"));
        }
    }

    const RetargetSet& set_;
    const Progress& progress_;
    io::Rig target_;
    std::shared_ptr<const Opened> source_;
    Pairing pairing_;
    std::shared_ptr<const Transfer> transfer_;
    RetargetReport report_;
    std::string settings_;
    std::string stamp_;
    mutable std::mutex mutex_;
    std::map<fs::path, std::pair<fs::path, std::string>>
        owners_;                // motion file and clip of each written file
    std::set<fs::path> twice_;  // that one file would give two clips
    std::size_t files_ = 0;
    std::size_t done_ = 0;
};

}  // namespace

RetargetReport retarget_set(const RetargetSet& set, const Progress& progress) {
    return SetRunner(set, progress).run();
}

}  // namespace dendraxis::pipeline
