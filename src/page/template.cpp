// The page's own files, joined by the build and put into the program as they are.
#include "parts.hpp"

// clang-format off
asm(R"(
    .pushsection .rodata
    .global dendraxis_page_begin
    .global dendraxis_page_end
dendraxis_page_begin:
    .incbin ")" DENDRAXIS_PAGE_TEMPLATE R"("
dendraxis_page_end:
    .byte 0
    .popsection
)");
// clang-format on

extern "C" {
extern const char dendraxis_page_begin[];  // NOLINT(modernize-avoid-c-arrays)
extern const char dendraxis_page_end[];    // NOLINT(modernize-avoid-c-arrays)
}

namespace dendraxis::page::detail {

std::string_view page_template() {
    return {dendraxis_page_begin, static_cast<std::size_t>(dendraxis_page_end - dendraxis_page_begin)};
}

}  // namespace dendraxis::page::detail
