#include <dendraxis/pipeline/review_set.hpp>

#include "motions.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/io/gltf/gltf.hpp>

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

std::string joined(const std::set<std::string>& names) {
    constexpr std::size_t k_most = 6;
    std::string text;
    std::size_t count = 0;
    for (const std::string& name : names) {
        if (count++ == k_most) return fmt::format("{} and {} more", text, names.size() - k_most);
        text += (text.empty() ? "" : ", ") + name;
    }
    return text;
}

class ReviewRunner {
 public:
    ReviewRunner(const ReviewSet& set, const OnReviewed& on_reviewed, const Progress& progress)
        : set_(set), on_reviewed_(on_reviewed), progress_(progress) {}

    ReviewReport run() {
        if (!set_.source.empty()) source_ = io::load_rig(set_.source);
        sources_ = detail::motion_files(set_.motions);
        has_motions_ = !sources_.empty();
        if (!has_motions_) sources_.emplace_back(set_.source);
        results_ = detail::motion_files(set_.results);
        tbb::task_arena arena(std::max(1, set_.jobs));
        arena.execute([&] {
            find_owners();
            check_asked();
            find_work();
            tell_missing();
            name_lines();
            tbb::parallel_for(std::size_t{0}, sources_.size(), [&](std::size_t i) { run_source(i); });
        });
        for (const ReviewReport::Line& line : report_.lines) {
            if (!line.error.empty())
                report_.findings.push_back({Severity::fault, "review.unreadable", line.result, line.error,
                                            "the others were reviewed"});
        }
        return std::move(report_);
    }

 private:
    // One result with clips of one source: where it stands in the report, and the source's clips.
    struct Work {
        std::size_t line = 0;
        std::size_t result = 0;
        std::vector<std::string> clips;
    };

    bool is_wanted(const std::string& clip) const {
        return set_.clips.empty() ||
               std::find(set_.clips.begin(), set_.clips.end(), clip) != set_.clips.end();
    }

    std::string name_in_result(const std::string& clip) const { return set_.prefix + clip + set_.suffix; }

    // The names of a file's clips; none if it cannot be read: what is wrong is told when it is opened.
    static std::vector<std::string> names_in(const fs::path& file) {
        try {
            return io::clip_names(file);
        } catch (const Error&) {
            return {};
        }
    }

    void find_owners() {
        std::vector<std::vector<std::string>> names(sources_.size());
        if (has_motions_) {
            tbb::parallel_for(std::size_t{0}, sources_.size(),
                              [&](std::size_t i) { names[i] = names_in(sources_[i]); });
        } else {
            for (const Clip& clip : source_->character.clips) names[0].push_back(clip.name);
        }
        for (std::size_t i = 0; i < sources_.size(); ++i) {
            for (const std::string& name : names[i]) {
                all_.insert(name);
                if (is_wanted(name)) owners_.try_emplace(name_in_result(name), i, name);
            }
        }
    }

    void find_work() {
        std::vector<std::vector<std::string>> names(results_.size());
        tbb::parallel_for(std::size_t{0}, results_.size(),
                          [&](std::size_t i) { names[i] = names_in(results_[i]); });
        work_.resize(sources_.size());
        for (std::size_t r = 0; r < results_.size(); ++r) {
            std::map<std::size_t, std::vector<std::string>> by_source;
            for (const std::string& name : names[r]) {
                const auto owner = owners_.find(name);
                if (owner == owners_.end()) continue;
                by_source[owner->second.first].push_back(owner->second.second);
                met_.insert(owner->second.second);
            }
            for (auto& [source, clips] : by_source) {
                work_[source].push_back({report_.lines.size(), r, std::move(clips)});
                report_.lines.push_back({sources_[source].string(), results_[r].string(), {}, {}, "", ""});
            }
            if (by_source.empty()) add_empty(results_[r], names[r]);
        }
    }

    void add_empty(const fs::path& result, const std::vector<std::string>& names) {
        try {
            if (names.empty()) static_cast<void>(io::clip_names(result));  // tells why it cannot be read
            throw Error(result.string(), "holds no clip of the source", "",
                        "name the file that `retarget` wrote, and its prefix");
        } catch (const Error& problem) {
            if (results_.size() == 1) throw;
            report_.lines.push_back({"", result.string(), {}, {}, problem.what(), ""});
        }
    }

    // A clip that was asked for and is nowhere.
    void check_asked() const {
        for (const std::string& name : set_.clips) {
            if (all_.contains(name)) continue;
            const std::vector<std::string> names(all_.begin(), all_.end());
            throw Error(ErrorCode::unknown_name, sources_.front().string(), "there is no clip '" + name + "'",
                        "", did_you_mean(name, names, "see `dendraxis survey`"));
        }
    }

    // Clips that no result has.
    void tell_missing() {
        for (const std::string& name : set_.clips) {
            if (met_.contains(name)) continue;
            throw Error(results_.front().string(), "there is no clip '" + name_in_result(name) + "'", "",
                        "carry it over with `dendraxis retarget`");
        }
        std::set<std::string> missing;
        for (const auto& [own, owner] : owners_) {
            if (!met_.contains(owner.second)) missing.insert(owner.second);
        }
        if (!missing.empty())
            report_.findings.push_back(
                {Severity::note, "review.missing-clip", joined(missing),
                 fmt::format("{} of the source's {} clips {} in no result", missing.size(), owners_.size(),
                             missing.size() == 1 ? "is" : "are"),
                 "carry them over with `dendraxis retarget`, or name the rest with --clip"});
    }

    // By where results are below the folder that holds all of them.
    void name_lines() {
        const auto path_of = [](const ReviewReport::Line& line) {
            return fs::absolute(line.result).lexically_normal().replace_extension();
        };
        fs::path common = path_of(report_.lines.front()).parent_path();
        std::map<std::string, int> taken;
        for (const ReviewReport::Line& line : report_.lines) {
            ++taken[line.result];
            while (path_of(line).lexically_relative(common).string().starts_with(".."))
                common = common.parent_path();
        }
        std::map<std::string, int> count;
        for (ReviewReport::Line& line : report_.lines) {
            line.name = path_of(line).lexically_relative(common).generic_string();
            if (taken[line.result] > 1) line.name += "-of-" + fs::path(line.source).stem().string();
            const int before = count[line.name]++;
            if (before > 0) line.name += fmt::format("-{}", before + 1);
        }
    }

    void run_source(std::size_t index) {
        if (work_[index].empty()) return;
        std::optional<io::Rig> motion;
        std::string problem;
        try {
            if (has_motions_) motion = io::load_rig(sources_[index]);
        } catch (const Error& error) {
            if (report_.lines.size() == 1) throw;
            problem = error.what();
        }
        // By the source's chart, where the bones are its.
        if (motion && source_ && detail::same_bones(motion->character.skeleton, source_->character.skeleton))
            motion->chart = source_->chart;
        const io::Rig& source = motion ? *motion : *source_;
        const std::vector<Work>& all = work_[index];
        tbb::parallel_for(std::size_t{0}, all.size(), [&](std::size_t i) {
            ReviewReport::Line& line = report_.lines[all[i].line];
            line.error = problem;
            try {
                if (problem.empty()) review(source, all[i], line);
            } catch (const Error& error) {
                if (report_.lines.size() == 1) throw;
                line.error = error.what();
            }
            const std::lock_guard lock(mutex_);
            if (progress_)
                progress_(++done_, report_.lines.size(), results_[all[i].result].filename().string());
        });
    }

    void review(const io::Rig& source, const Work& work, ReviewReport::Line& line) const {
        const fs::path& file = results_[work.result];
        const io::Rig result =
            io::is_sheet(set_.target) ? io::load_rig(set_.target, 0.0f, file) : io::load_rig(file);
        const Pairing pairing = set_.pairing.empty() ? pair(source.chart, result.chart)
                                                     : io::read_pairing(set_.pairing, source, result);
        ReviewedFile reviewed{line.name, source, result, pairing, {}, {}, {}};
        std::vector<ClipReview> reviews;
        for (const Clip& clip : source.character.clips) {
            if (std::find(work.clips.begin(), work.clips.end(), clip.name) == work.clips.end()) continue;
            const Clip& own = result.character.clip(name_in_result(clip.name));
            const bool same_rate = clip.frame_count() == own.frame_count();
            reviewed.before.push_back(same_rate ? clip : resampled(clip, own.fps));
            reviewed.after.push_back(&own);
            reviews.push_back(review_clip(pairing, reviewed.before.back(), own));
            line.verdicts.push_back(verdict_on(pairing, reviews.back()));
        }
        reviewed.review = judge(pairing, std::move(reviews));
        if (on_reviewed_) on_reviewed_(reviewed);
        line.review = std::move(reviewed.review);
    }

    const ReviewSet& set_;
    const OnReviewed& on_reviewed_;
    const Progress& progress_;
    std::optional<io::Rig> source_;
    bool has_motions_ = false;
    std::vector<fs::path> sources_;
    std::vector<fs::path> results_;
    std::map<std::string, std::pair<std::size_t, std::string>> owners_;  // by the name in results
    std::set<std::string> all_;                                          // clips of the sources
    std::set<std::string> met_;                                          // those that a result has
    std::vector<std::vector<Work>> work_;                                // by source
    ReviewReport report_;
    std::mutex mutex_;
    std::size_t done_ = 0;
};

}  // namespace

bool ReviewReport::passed() const {
    return std::all_of(lines.begin(), lines.end(),
                       [](const Line& line) { return line.error.empty() && line.review.passed; });
}

ReviewReport review_set(const ReviewSet& set, const OnReviewed& on_reviewed, const Progress& progress) {
    return ReviewRunner(set, on_reviewed, progress).run();
}

}  // namespace dendraxis::pipeline
