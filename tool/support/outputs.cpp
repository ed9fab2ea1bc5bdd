#include "outputs.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/io/write_file.hpp>

namespace dendraxis::tool {

void check_sheet_place(const fs::path& out, const fs::path& character) {
    check_not_input(out, {character});
    try {
        io::refuse_other_sheet(out, character);
    } catch (const Error& problem) {
        throw UsageError(problem.what());
    }
}

void check_not_input(const fs::path& out, const std::vector<fs::path>& inputs) {
    try {
        io::ReadFiles(inputs).refuse_to_replace(out);
    } catch (const Error& problem) {
        throw UsageError(problem.what());
    }
}

}  // namespace dendraxis::tool
