// How a command adds itself to the command line, and how the command line is run.
#pragma once

#include <CLI/CLI.hpp>

#include <filesystem>
#include <functional>
#include <memory>
#include <stdexcept>
#include <string>

namespace dendraxis::tool {

namespace fs = std::filesystem;

/// Exit statuses.
enum Status { k_done = 0, k_gate_failed = 1, k_wrong_usage = 2, k_bad_input = 3 };

/// The call itself makes no sense; exit status 2.
class UsageError : public std::runtime_error {
 public:
    using std::runtime_error::runtime_error;
};

/// The command line while the commands are added to it.
class CommandLine {
 public:
    CommandLine();

    /// A command: its name, what it does, an example for people. `function` is called if the command is.
    /// `Arguments` has a `bool json`; they live as long as the command.
    template <class Arguments>
    CLI::App* add(const char* name, const char* what, const char* example,
                  const std::shared_ptr<Arguments>& arguments, int (*function)(const Arguments&)) {
        return add_to(app_, name, what, example, arguments->json, [=] { return function(*arguments); });
    }

    /// A command of a group (`socket add`), likewise.
    template <class Arguments>
    CLI::App* add_to(const char* group, const char* name, const char* what, const char* example,
                     const std::shared_ptr<Arguments>& arguments, int (*function)(const Arguments&)) {
        return add_to(*app_.get_subcommand(group), name, what, example, arguments->json,
                      [=] { return function(*arguments); });
    }

    /// A group of commands.
    void add_group(const char* name, const char* what);

    /// Takes a command line apart, the program's name first, and runs its command; returns the exit status.
    /// Throws `UsageError` and `Error`.
    int run(int count, const char* const* words);

 private:
    CLI::App* add_to(CLI::App& parent, const char* name, const char* what, const char* example, bool& json,
                     std::function<int()> function);

    CLI::App app_;
    std::function<int()> chosen_;
};

/// A command registers itself with a constant of this type in its file. `order` says where the help lists it.
class Registration {
 public:
    Registration(int order, void (*add)(CommandLine&));
};

/// A command line with all commands that registered themselves.
std::unique_ptr<CommandLine> full_command_line();

/// A required file.
CLI::Option* add_file(CLI::App* command, const char* name, fs::path& file, const char* what);

/// Adds `--fps N` to a command: 1 to 960 frames a second.
void add_rate_option(CLI::App* command, float& fps, const char* what);

/// Adds `--height-metres N` to a command.
void add_height_option(CLI::App* command, float& metres);

}  // namespace dendraxis::tool
