// The command line: arguments in, exit status out.
#include "support/command_line.hpp"

#include <fmt/core.h>

#include <new>

int main(int count, char** words) {
    using namespace dendraxis::tool;
    try {
        return full_command_line()->run(count, words);
    } catch (const UsageError& problem) {
        fmt::print(stderr, "dendraxis: {}\n", problem.what());
        return k_wrong_usage;
    } catch (const std::bad_alloc&) {
        fmt::print(stderr,
                   "dendraxis: there is not enough memory for these files; export shorter clips or fewer "
                   "vertices\n");
        return k_bad_input;
    } catch (const std::exception& problem) {
        fmt::print(stderr, "dendraxis: {}\n", problem.what());
        return k_bad_input;
    }
}
