#include "command_line.hpp"

#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/version.hpp>

#include <fmt/core.h>

#include <algorithm>
#include <cstdlib>

namespace dendraxis::tool {
namespace {

struct Registered {
    int order;
    void (*add)(CommandLine&);
};

std::vector<Registered>& registered() {
    static std::vector<Registered> all;
    return all;
}

std::vector<std::string> commands_of(const CLI::App& app) {
    std::vector<std::string> names;
    for (const CLI::App* command : app.get_subcommands([](const CLI::App*) { return true; }))
        names.push_back(command->get_name());
    return names;
}

// A command that does not exist, alone or in a group, is named with the nearest one.
void check_command(const CLI::App& app, int count, const char* const* words) {
    const CLI::App* group = &app;
    std::string path;
    for (int i = 1; i < count && words[i][0] != '-'; ++i) {
        const std::vector<std::string> names = commands_of(*group);
        if (names.empty()) return;
        if (std::find(names.begin(), names.end(), words[i]) == names.end()) {
            throw UsageError(
                fmt::format("there is no command '{}{}'; {}", path, words[i],
                            did_you_mean(words[i], names, fmt::format("see `dendraxis {}--help`", path))));
        }
        group = group->get_subcommand(words[i]);
        path += std::string(words[i]) + " ";
    }
}

// The command that was called, its group's name first, with a space before each.
std::string called(const CLI::App& app) {
    const auto commands = app.get_subcommands();
    return commands.empty() ? "" : " " + commands.front()->get_name() + called(*commands.front());
}

}  // namespace

Registration::Registration(int order, void (*add)(CommandLine&)) {
    registered().push_back({order, add});
}

std::unique_ptr<CommandLine> full_command_line() {
    std::vector<Registered> all = registered();
    std::sort(all.begin(), all.end(),
              [](const Registered& a, const Registered& b) { return a.order < b.order; });
    auto line = std::make_unique<CommandLine>();
    for (const Registered& one : all) one.add(*line);
    return line;
}

CommandLine::CommandLine()
    : app_(
          "Carries animation from one character to another. A character is a .glb or .gltf file\n"
          "or a flat one's .puppet.json; a rig sheet (.rig.json) that `chart -o` wrote may stand for it.",
          "dendraxis") {
    app_.set_version_flag("--version", fmt::format("dendraxis {}", k_version));
    app_.require_subcommand(1);
    app_.footer(
        "First steps:\n"
        "  dendraxis demo                                       the whole example\n"
        "  dendraxis survey HERO.glb                            what is in your file\n"
        "  dendraxis retarget --source A.glb --target B.glb -o C.glb\n"
        "Exit status: 0 done, 1 a check failed, 2 wrong usage, 3 bad input.");
}

void CommandLine::add_group(const char* name, const char* what) {
    app_.add_subcommand(name, what)->require_subcommand(1);
}

CLI::App* CommandLine::add_to(CLI::App& parent, const char* name, const char* what, const char* example,
                              bool& json, std::function<int()> function) {
    CLI::App* command = parent.add_subcommand(name, what);
    command->footer(std::string("Example:\n  dendraxis ") + example);
    command->add_flag("--json", json, "print one JSON document instead of text");
    command->callback([this, function = std::move(function)] { chosen_ = function; });
    return command;
}

int CommandLine::run(int count, const char* const* words) {
    check_command(app_, count, words);
    try {
        app_.parse(count, words);
    } catch (const CLI::CallForHelp&) {
        fmt::print("{}", app_.help());
        return k_done;
    } catch (const CLI::Success& asked) {
        return app_.exit(asked);
    } catch (const CLI::ParseError& problem) {
        std::string line = problem.what();
        for (char& letter : line) letter = letter == '\n' ? ' ' : letter;
        const std::string where = called(app_);
        fmt::print(stderr, "dendraxis{}: {}; see `dendraxis{} --help`\n", where, line, where);
        return k_wrong_usage;
    }
    return chosen_();
}

CLI::Option* add_file(CLI::App* command, const char* name, fs::path& file, const char* what) {
    return command->add_option(name, file, what)->option_text("FILE REQUIRED")->required();
}

void add_rate_option(CLI::App* command, float& fps, const char* what) {
    command->add_option("--fps", fps, what)
        ->check([](const std::string& text) -> std::string {
            const double rate = std::strtod(text.c_str(), nullptr);
            return rate >= 1.0 && rate <= 960.0 ? "" : text + " is no rate from 1 to 960 frames a second";
        })
        ->option_text("N");
}

void add_height_option(CLI::App* command, float& metres) {
    command
        ->add_option("--height-metres", metres,
                     "how tall the character is, if its unit is not the metre: metres, weights, falls and "
                     "swings go by it")
        ->check(CLI::Range(0.01, 1000.0))
        ->option_text("N");
}

}  // namespace dendraxis::tool
