#include <dendraxis/page/live_review.hpp>

#include "parts.hpp"

#include <io/json/json_text.hpp>
#include <io/sheet/sheet_parts.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/chart/choices.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/retarget/transfer.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <mutex>

namespace dendraxis::page {
namespace {

namespace fs = std::filesystem;

using detail::Blob;
using detail::Json;

// Sizes and times of files, to see whether one changed.
std::string stamp_of_files(const std::vector<fs::path>& files) {
    std::string stamp;
    for (const fs::path& file : files) {
        std::error_code missing;
        const auto size = fs::file_size(file, missing);
        const auto time = fs::last_write_time(file, missing).time_since_epoch().count();
        stamp += missing ? "-;" : fmt::format("{},{};", size, time);
    }
    return stamp;
}

std::vector<fs::path> files_of(const io::Rig& rig, const fs::path& named) {
    std::vector<fs::path> files{named, rig.character.file};
    for (const fs::path& beside : io::files_beside(rig.character.file)) files.push_back(beside);
    return files;
}

std::vector<std::uint8_t> packed(const Json& document, const Blob& blob) {
    std::string text = document.dump(-1, ' ', false, Json::error_handler_t::replace);
    text.resize((text.size() + 3) / 4 * 4, ' ');
    std::vector<std::uint8_t> bytes;
    bytes.reserve(4 + text.size() + blob.bytes().size());
    for (int shift = 0; shift < 32; shift += 8)
        bytes.push_back(static_cast<std::uint8_t>(text.size() >> shift));
    bytes.insert(bytes.end(), text.begin(), text.end());
    bytes.insert(bytes.end(), blob.bytes().begin(), blob.bytes().end());
    return bytes;
}

}  // namespace

struct LiveReview::Parts {
    // What the characters and one pairing give.
    struct Result {
        Pairing pairing;
        std::vector<Clip> clips;
        std::vector<ClipReview> reviews;
        Stances stances;
        Json text;  // of the pairing, as its file has it
    };

    fs::path source_file;
    fs::path target_file;
    fs::path pairing_file;
    io::Rig source;
    io::Rig target;
    Result result;
    std::string cast_stamp;
    std::string pairing_stamp;
    State state;
    mutable std::mutex mutex;

    std::vector<fs::path> cast_files() const {
        std::vector<fs::path> files = files_of(source, source_file);
        const std::vector<fs::path> more = files_of(target, target_file);
        files.insert(files.end(), more.begin(), more.end());
        return files;
    }

    void load_cast() {
        io::Rig new_source = io::load_rig(source_file);
        io::Rig new_target = io::load_rig(target_file);
        if (new_source.character.clips.empty())
            throw Error(source_file.string(), "holds no clips", "",
                        "name the character whose clips are carried over");
        source = std::move(new_source);
        target = std::move(new_target);
    }

    void load_pairing() {
        Result made;
        std::error_code missing;
        if (!pairing_file.empty() && fs::exists(pairing_file, missing)) {
            const std::string text = io::read_text(pairing_file);
            made.pairing = io::pairing_of_text(pairing_file.string(), text, source, target);
            made.text = Json::parse(text);
        } else {
            made.pairing = pair(source.chart, target.chart);
            made.text = io::pairing_part(made.pairing);
        }
        const Transfer transfer(made.pairing);
        for (const Clip& clip : source.character.clips) {
            made.clips.push_back(transfer.apply(clip));
            made.reviews.push_back(review_clip(made.pairing, clip, made.clips.back()));
        }
        made.stances = stances_of(made.pairing);
        result = std::move(made);
    }

    Page page() const {
        std::vector<ShownClip> clips;
        for (std::size_t i = 0; i < result.clips.size(); ++i) {
            const Clip& clip = source.character.clips[i];
            clips.push_back({clip.name, {&clip, &result.clips[i]}, result.reviews[i]});
        }
        Page page =
            review_page(result.pairing, source.character, target.character, std::move(clips), result.stances);
        page.live = pairing_file.empty() ? "-" : pairing_file.string();
        page.made_by = "dendraxis serve";
        return page;
    }

    Json document_of(const Page& page, Blob& blob) const {
        Json json = detail::document_of(page, blob);
        json["pairing"] = result.text;
        json["state"] = {{"cast", state.cast}, {"pairing", state.pairing}};
        return json;
    }
};

LiveReview::LiveReview(fs::path source, fs::path target, fs::path pairing)
    : parts_(std::make_unique<Parts>()) {
    parts_->source_file = std::move(source);
    parts_->target_file = std::move(target);
    parts_->pairing_file = std::move(pairing);
    parts_->load_cast();
    parts_->load_pairing();
    parts_->cast_stamp = stamp_of_files(parts_->cast_files());
    parts_->pairing_stamp = stamp_of_files({parts_->pairing_file});
}

LiveReview::~LiveReview() = default;

LiveReview::State LiveReview::refresh() {
    Parts& parts = *parts_;
    const std::lock_guard lock(parts.mutex);
    const std::string cast = stamp_of_files(parts.cast_files());
    const std::string pairing = stamp_of_files({parts.pairing_file});
    const bool is_cast_new = cast != parts.cast_stamp;
    if (!is_cast_new && pairing == parts.pairing_stamp) return parts.state;
    parts.cast_stamp = cast;
    parts.pairing_stamp = pairing;
    try {
        if (is_cast_new) parts.load_cast();
        parts.load_pairing();
        ++(is_cast_new ? parts.state.cast : parts.state.pairing);
        parts.state.problem.clear();
    } catch (const Error& problem) {
        parts.state.problem = problem.what();
    }
    return parts.state;
}

std::string LiveReview::html() const {
    const std::lock_guard lock(parts_->mutex);
    Blob blob;
    const Page page = parts_->page();
    const Json document = parts_->document_of(page, blob);
    return detail::html_with(page, document, blob);
}

std::vector<std::uint8_t> LiveReview::data() const {
    const std::lock_guard lock(parts_->mutex);
    Blob blob;
    const Json document = parts_->document_of(parts_->page(), blob);
    return packed(document, blob);
}

std::vector<std::uint8_t> LiveReview::attempt(std::string_view name, const std::string& pairing) const {
    const std::lock_guard lock(parts_->mutex);
    const Parts& parts = *parts_;
    const Pairing tried = io::pairing_of_text("the pairing", pairing, parts.source, parts.target);
    Page page;
    page.actors = {{&parts.source.character, &tried.source, "source"},
                   {&parts.target.character, &tried.target, "result"}};
    page.pairing = &tried;
    // A clip of the source, or one of the stances.
    Clip result;
    Stances stances;
    const std::vector<ShownClip> known = shown_stances(stances);
    const auto stance =
        std::find_if(known.begin(), known.end(), [&](const ShownClip& s) { return s.name == name; });
    if (stance != known.end()) {
        stances = stances_of(tried);
        page.clips.push_back(*stance);
    } else {
        const Clip& clip = parts.source.character.clip(name);
        result = Transfer(tried).apply(clip);
        page.clips.push_back({clip.name, {&clip, &result}, review_clip(tried, clip, result)});
    }
    Blob blob;
    const Json document{{"clip", detail::clip_part(page, page.clips.front(), blob)}};
    return packed(document, blob);
}

void LiveReview::keep(const std::string& pairing) {
    const std::lock_guard lock(parts_->mutex);
    if (parts_->pairing_file.empty())
        throw Error("the pairing", "there is no file to keep it in", "",
                    "start `dendraxis serve` with --pairing FILE");
    io::pairing_of_text("the pairing", pairing, parts_->source, parts_->target);
    io::write_text(parts_->pairing_file, io::text_of(Json::parse(pairing)));
}

void LiveReview::keep_chain(bool of_target, const std::string& name, const std::vector<std::string>& bones) {
    const std::lock_guard lock(parts_->mutex);
    const io::Rig& rig = of_target ? parts_->target : parts_->source;
    const fs::path& sheet = of_target ? parts_->target_file : parts_->source_file;
    if (!io::is_sheet(sheet))
        throw Error(
            sheet.string(), "has no sheet to keep a chain in", "",
            fmt::format("write one with `dendraxis chart {} -o {}.rig.json`, and start `serve` with that",
                        sheet.string(), sheet.stem().string()));
    Choices choices;
    std::vector<int>& chosen = choices.chains[name];
    for (const std::string& label : bones) {
        const int bone = rig.chart.skeleton.find(label);
        if (bone == k_no_bone)
            throw Error(sheet.string(), "there is no bone '" + label + "'", "", "see `dendraxis survey`");
        chosen.push_back(bone);
    }
    Chart chart = rig.chart;
    apply_choices(chart, choices);
    if (std::find(chart.set.begin(), chart.set.end(), name) == chart.set.end()) chart.set.push_back(name);
    io::write_text(sheet, io::sheet_json(chart, sheet.parent_path(), rig.sheet));
}

}  // namespace dendraxis::page
