// How commands are added to the command line.
#pragma once

#include "commands.hpp"

#include <CLI/CLI.hpp>

#include <functional>

namespace dendraxis::tool {

/// Takes a command line apart, the program's name first, and runs its command; returns the exit status.
/// Throws `UsageError` and `Error`.
int run_command_line(int count, const char* const* words);

/// A command: its name, what it does, an example for people. `chosen` is set to `run` where it is called.
CLI::App* add_command(CLI::App& app, const char* name, const char* what, const char* example, bool& json,
                      std::function<int()>& chosen, std::function<int()> run);

/// `socket` and its commands. The arguments must live until the command has run.
void add_socket_commands(CLI::App& app, SocketArguments& arguments, std::function<int()>& chosen);

/// `equip` and `sweep`, likewise.
void add_equip_command(CLI::App& app, EquipArguments& arguments, std::function<int()>& chosen);
void add_sweep_command(CLI::App& app, SweepArguments& arguments, std::function<int()>& chosen);

}  // namespace dendraxis::tool
