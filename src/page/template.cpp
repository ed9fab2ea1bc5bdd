// The page's own files, joined by the build and put into the program as they are.
#include "parts.hpp"

// clang-format off
asm(R"(
    .pushsection .rodata
    .global dendraxis_page_begin
    .global dendraxis_page_end
    .global dendraxis_overview_begin
    .global dendraxis_overview_end
dendraxis_page_begin:
    .incbin ")" DENDRAXIS_PAGES R"(/page.html"
dendraxis_page_end:
    .byte 0
dendraxis_overview_begin:
    .incbin ")" DENDRAXIS_PAGES R"(/overview.html"
dendraxis_overview_end:
    .byte 0
    .popsection
)");
// clang-format on

// NOLINTBEGIN(modernize-avoid-c-arrays)
extern "C" {
extern const char dendraxis_page_begin[];
extern const char dendraxis_page_end[];
extern const char dendraxis_overview_begin[];
extern const char dendraxis_overview_end[];
}
// NOLINTEND(modernize-avoid-c-arrays)

namespace dendraxis::page::detail {

std::string_view page_template() {
    return {dendraxis_page_begin, static_cast<std::size_t>(dendraxis_page_end - dendraxis_page_begin)};
}

std::string_view overview_template() {
    return {dendraxis_overview_begin,
            static_cast<std::size_t>(dendraxis_overview_end - dendraxis_overview_begin)};
}

std::string filled(std::string_view text,
                   const std::vector<std::pair<std::string_view, std::string>>& parts) {
    std::string all;
    for (const auto& [mark, part] : parts) {
        const std::size_t at = text.find(mark);
        all += text.substr(0, at);
        all += part;
        text.remove_prefix(at + mark.size());
    }
    return all += text;
}

std::string safe_in_script(const Json& document) {
    std::string safe;
    for (const char letter : document.dump(-1, ' ', false, Json::error_handler_t::replace))
        safe += letter == '<' ? "\\u003c" : std::string(1, letter);
    return safe;
}

std::string safe_in_html(const std::string& text) {
    std::string safe;
    for (const char letter : text) {
        safe += letter == '<'   ? "&lt;"
                : letter == '>' ? "&gt;"
                : letter == '&' ? "&amp;"
                                : std::string(1, letter);
    }
    return safe;
}

}  // namespace dendraxis::page::detail
