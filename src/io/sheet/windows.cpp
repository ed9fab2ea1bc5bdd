#include <dendraxis/io/sheet/windows.hpp>

#include "../json/json_text.hpp"
#include "sheet_parts.hpp"

#include <fmt/format.h>

namespace dendraxis::io {
Json window_part(const ClipWindow& window) {
    Json entry{{"clip", window.clip},
               {"volume", window.volume},
               {"from", rounded(window.from)},
               {"to", rounded(window.to)},
               {"unit", window.in_seconds ? "seconds" : "frames"}};
    if (!window.groups.empty()) entry["groups"] = window.groups;
    return entry;
}

std::vector<ClipWindow> read_windows(const Rig& rig) {
    std::vector<ClipWindow> windows;
    if (!holds(rig.sheet, "windows")) return windows;
    const JsonDocument& document = *rig.sheet.document;
    const Json& list = document.json["windows"];
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Json& entry = list[i];
        ClipWindow window;
        window.clip = entry["clip"].get<std::string>();
        window.volume = entry["volume"].get<std::string>();
        window.from = entry["from"].get<float>();
        window.to = entry["to"].get<float>();
        window.in_seconds = entry.value("unit", "frames") == "seconds";
        window.groups = entry.value("groups", std::vector<std::string>{});
        if (window.from > window.to)
            document.fail("the window ends before it starts", fmt::format("/windows/{}/to", i),
                          "write the earlier time as 'from'");
        windows.push_back(std::move(window));
    }
    return windows;
}

void set_windows(RigSheet& sheet, std::span<const ClipWindow> windows) {
    Json list = Json::array();
    for (const ClipWindow& window : windows) list.push_back(window_part(window));
    put(sheet, "windows", std::move(list));
}

}  // namespace dendraxis::io
