#include "page.hpp"

#include "outputs.hpp"

#include <dendraxis/io/write_file.hpp>

#include <fmt/core.h>

namespace dendraxis::tool {

void check_page(const fs::path& out, const std::vector<fs::path>& inputs) {
    if (out.empty()) return;
    if (out.extension() != ".html") throw UsageError(out.string() + ": the page must end in .html");
    check_not_input(out, inputs);
}

void write_page(const fs::path& out, const page::Page& page) {
    io::write_text(out, page::html_of(page));
}

void add_windows(ClipEvents& events, std::span<const ClipWindow> windows, std::span<const Clip> clips) {
    for (const ClipWindow& window : windows) {
        for (const Clip& clip : clips) {
            if (clip.name != window.clip) continue;
            const LiveWindow live = live_window(window, clip);
            events[clip.name].push_back({window.volume + " is live", live.first(), live.last()});
        }
    }
}

void write_character_page(const fs::path& out, const page::Actor& actor, std::span<const Clip> clips,
                          const Findings& findings, const std::string& command, const ClipEvents& events) {
    const Clip rest = page::rest_clip(actor.chart->skeleton);
    page::Page page{
        actor.character->name, {actor}, {{rest.name, {&rest}, {}, true}}, nullptr, findings, command};
    for (const Clip& clip : clips) {
        if (clip.frame_count() == 0) continue;
        const auto own = events.find(clip.name);
        page.clips.push_back({clip.name,
                              {&clip},
                              {},
                              false,
                              own == events.end() ? std::vector<page::ClipEvent>() : own->second});
    }
    write_page(out, page);
}

void tell_of_page(const fs::path& out) {
    if (!out.empty()) fmt::print("\n  open {} in a browser\n", out.string());
}

void add_page_option(CLI::App* command, fs::path& out, const char* what) {
    command->add_option("--page", out, what)->option_text("FILE.html");
}

}  // namespace dendraxis::tool
