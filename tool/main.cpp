// The command line: arguments in, exit status out.
#include "support/command_line.hpp"
#include "support/print.hpp"

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <new>
#include <optional>
#include <string>

namespace {

// Standard error may be closed: then nobody hears, and nothing else happens.
void tell(const std::string& words) {
    (void)std::fputs(("dendraxis: " + words + "\n").c_str(), stderr);
}

// What was printed may not have arrived, on a full disk say.
int arrived(int status) {
    if (std::fflush(stdout) == 0 && std::ferror(stdout) == 0) return status;
    tell(std::string("the output cannot be written: ") + std::strerror(errno) + "; see where it goes");
    return dendraxis::tool::k_bad_input;
}

}  // namespace

int main(int count, char** words) {
    using namespace dendraxis::tool;
    try {
        const std::string command = count > 1 ? words[1] : "";
        std::optional<WorkingNotice> notice;
        if (command != "serve" && command != "demo") notice.emplace();  // these print as they go
        const int status = full_command_line()->run(count, words);
        notice.reset();
        return arrived(status);
    } catch (const UsageError& problem) {
        tell(problem.what());
        return k_wrong_usage;
    } catch (const std::bad_alloc&) {
        tell("there is not enough memory for these files; export shorter clips or fewer vertices");
        return k_bad_input;
    } catch (const std::exception& problem) {
        tell(problem.what());
        return k_bad_input;
    }
}
