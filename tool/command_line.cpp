#include "command_line.hpp"

namespace dendraxis::tool {

CLI::App* add_command(CLI::App& app, const char* name, const char* what, const char* example, bool& json,
                      std::function<int()>& chosen, std::function<int()> run) {
    CLI::App* command = app.add_subcommand(name, what);
    command->footer(std::string("Example:\n  dendraxis ") + example);
    command->add_flag("--json", json, "print one JSON document instead of text");
    command->callback([&chosen, run = std::move(run)] { chosen = run; });
    return command;
}

}  // namespace dendraxis::tool
