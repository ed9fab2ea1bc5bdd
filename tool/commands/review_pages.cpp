#include "review_pages.hpp"

#include "../support/page.hpp"

#include <dendraxis/draw/picture.hpp>
#include <dendraxis/io/write_file.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis::tool {
namespace {

// Source and result beside each other, where the clip is worst.
std::vector<std::uint8_t> picture_of(const pipeline::ReviewedFile& file, std::size_t clip,
                                     std::size_t frame) {
    const auto panel = [&](const io::Rig& rig, const Clip& played) {
        const auto pose = played.frame(frame);
        draw::Panel one{&rig.character, &rig.chart, {pose.begin(), pose.end()}, "", ""};
        one.floor = floor_of(rig.chart, played.name);
        return one;
    };
    std::vector<draw::Panel> panels{panel(file.source, file.before[clip]),
                                    panel(file.result, *file.after[clip])};
    const float headroom = draw::headroom_for(panels);
    for (draw::Panel& one : panels) one.headroom = headroom;
    draw::PictureOptions options;
    options.width = 440;
    options.height = 280;
    options.columns = 2;
    options.plain = true;
    return draw::draw_png(panels, options);
}

}  // namespace

ReviewPages::ReviewPages(fs::path out, bool is_overview, std::string made_by)
    : out_(std::move(out)), is_overview_(is_overview), made_by_(std::move(made_by)) {}

void ReviewPages::add(const pipeline::ReviewedFile& file) {
    std::vector<page::ShownClip> shown;
    for (std::size_t i = 0; i < file.before.size(); ++i)
        shown.push_back({file.before[i].name, {&file.before[i], file.after[i]}, file.review.clips[i]});
    const page::Stances stances = page::stances_of(file.pairing);
    page::Page page = page::review_page(file.pairing, file.source.character, file.result.character,
                                        std::move(shown), stances);
    page.made_by = made_by_;
    if (!is_overview_) {
        write_page(out_, page);
        return;
    }
    const fs::path folder = out_.parent_path() / out_.stem();
    const std::string name = file.name + ".html";
    write_page(folder / name, page);
    std::vector<page::OverviewEntry> entries;
    for (std::size_t i = 0; i < file.before.size(); ++i) {
        page::OverviewEntry entry{file.before[i].name,
                                  file.source.character.name,
                                  file.name,
                                  folder.filename().string() + "/" + name,
                                  file.before[i].frame_count(),
                                  judged(file.pairing, file.review.clips[i]),
                                  {}};
        const JudgedMeasure* worst = worst_of(entry.measures);
        entry.picture =
            picture_of(file, i, worst == nullptr ? 0 : static_cast<std::size_t>(worst->measure.frame));
        entries.push_back(std::move(entry));
    }
    const std::lock_guard lock(mutex_);
    std::move(entries.begin(), entries.end(), std::back_inserter(overview_.entries));
}

void ReviewPages::finish(const pipeline::ReviewReport& report) {
    if (!is_overview_) return;
    std::sort(overview_.entries.begin(), overview_.entries.end(), [](const auto& a, const auto& b) {
        return std::tie(a.page, a.clip) < std::tie(b.page, b.clip);
    });
    overview_.title =
        fmt::format("Review of {} result{}", report.lines.size(), report.lines.size() == 1 ? "" : "s");
    overview_.made_by = made_by_;
    overview_.findings = report.findings;
    io::write_text(out_, page::html_of(overview_));
}

}  // namespace dendraxis::tool
