// The commands of the tool: one function a command, one file each. Arguments come parsed; what is wrong is
// thrown.
#pragma once

#include <dendraxis/base/finding.hpp>

#include <array>
#include <filesystem>
#include <stdexcept>
#include <string>
#include <vector>

namespace dendraxis::tool {

namespace fs = std::filesystem;

/// Exit statuses.
enum Status { k_done = 0, k_gate_failed = 1, k_wrong_usage = 2, k_bad_input = 3 };

/// The call itself makes no sense; exit status 2.
class UsageError : public std::runtime_error {
 public:
    using std::runtime_error::runtime_error;
};

struct SurveyArguments {
    fs::path character;
    bool json = false;
};

struct CompareArguments {
    fs::path a;
    fs::path b;
    bool json = false;
};

struct RebindArguments {
    fs::path visual;
    fs::path onto;
    fs::path out;
    bool json = false;
};

struct ChartArguments {
    fs::path character;
    fs::path sheet;
    fs::path out;
    std::string ranges;   // `usual`, `learned` or empty
    std::string explain;  // a bone, or empty
    bool json = false;
};

struct PairArguments {
    fs::path source;
    fs::path target;
    fs::path out;
    bool json = false;
};

struct RetargetArguments {
    fs::path source;
    fs::path target;
    fs::path pairing;
    std::vector<fs::path> motions;
    std::vector<std::string> clips;
    fs::path out;
    fs::path out_dir;
    std::string prefix;
    std::string suffix;
    float fps = 0.0f;
    int jobs = 0;
    bool json = false;
};

struct ReviewArguments {
    fs::path source;
    fs::path result;
    fs::path target;
    fs::path pairing;
    std::vector<std::string> clips;
    std::string prefix;
    std::string suffix;
    bool gate = false;
    bool json = false;
};

struct ConvertArguments {
    fs::path in;
    fs::path out;
    std::string clip;
    float fps = 0.0f;
    bool json = false;
};

/// `NAME=X,Y,Z`: metres to the character's left, up, forward.
struct NamedPlace {
    std::string name;
    std::array<float, 3> position{};
};

struct SolveArguments {
    fs::path character;
    std::string clip;
    std::vector<std::string> reach_words;
    std::vector<std::string> aim_words;
    fs::path terrain;
    float hips_freedom = 0.0f;
    bool no_ranges = false;
    std::string name;
    fs::path out;
    bool json = false;
};

struct DrawArguments {
    fs::path character;
    fs::path terrain;
    std::vector<std::string> target_words;
    bool ranges = false;
    fs::path beside;
    std::string clip;
    std::vector<int> frames;
    bool chart = false;
    int readings = 0;  // how many; 0: none
    bool ragdoll = false;
    bool sockets = false;
    std::string view = "quarter";
    fs::path out;
    bool json = false;
};

/// `ragdoll build`, `check` and `export`.
struct RagdollArguments {
    fs::path character;
    fs::path sheet;
    fs::path learn;
    std::string mirror;  // `left`, `right` or empty
    bool anew = false;
    fs::path out;
    bool json = false;
};

/// `socket list`, `add`, `move`, `mirror`, `bring` and `remove`.
struct SocketArguments {
    fs::path character;
    fs::path sheet;
    fs::path from;
    std::vector<std::string> names;
    std::string bone;
    std::string kind;
    std::string at_words;
    std::string turn_words;
    bool suggest = false;
    bool move = false;
    bool as_it_was = false;
    fs::path out;
    bool json = false;
};

struct SweepArguments {
    fs::path character;
    fs::path sheet;
    std::string clip;
    std::string volume;
    std::string window_words;
    std::vector<std::string> groups;
    fs::path against;
    std::string against_clip;
    std::string at_words;
    fs::path out;
    bool json = false;
};

struct EquipArguments {
    fs::path character;
    fs::path sheet;
    std::vector<std::string> put_words;
    std::vector<std::string> fit_words;
    std::vector<std::string> switch_words;
    std::vector<std::string> let_go_words;
    std::vector<std::string> push_words;
    fs::path terrain;
    std::vector<std::string> take;
    bool take_all = false;
    fs::path out;
    bool json = false;
};

struct RagdollDropArguments {
    fs::path character;
    fs::path sheet;
    std::string clip;
    int frame = 0;
    float seconds = 4.0f;
    float fps = 60.0f;
    float height = 0.0f;
    std::string speed_words;
    std::string push_words;
    std::vector<unsigned> seeds;
    fs::path terrain;
    std::string name = "drop";
    fs::path picture;
    fs::path out;
    bool json = false;
};

struct DemoArguments {
    fs::path out = "demo-out";
    bool json = false;
};

int run_survey(const SurveyArguments& arguments);
int run_compare(const CompareArguments& arguments);
int run_rebind(const RebindArguments& arguments);
int run_chart(const ChartArguments& arguments);
int run_pair(const PairArguments& arguments);
int run_retarget(const RetargetArguments& arguments);
int run_review(const ReviewArguments& arguments);
int run_convert(const ConvertArguments& arguments);
int run_solve(const SolveArguments& arguments);
int run_draw(const DrawArguments& arguments);
int run_ragdoll_build(const RagdollArguments& arguments);
int run_ragdoll_check(const RagdollArguments& arguments);
int run_ragdoll_drop(const RagdollDropArguments& arguments);
int run_ragdoll_export(const RagdollArguments& arguments);
int run_socket_list(const SocketArguments& arguments);
int run_socket_add(const SocketArguments& arguments);
int run_socket_remove(const SocketArguments& arguments);
int run_socket_mirror(const SocketArguments& arguments);
int run_socket_bring(const SocketArguments& arguments);
int run_equip(const EquipArguments& arguments);
int run_sweep(const SweepArguments& arguments);
int run_demo(const DemoArguments& arguments);

// ------------------------------------------------------------------ shared by the commands (print.cpp)

/// Text for people in bold or dim, on a terminal that shows it and where NO_COLOR is not set.
std::string bold(const std::string& text);
std::string dim(const std::string& text);

/// One line a finding, worst first.
void print_findings(const Findings& findings);

/// Takes `NAME=X,Y,Z` apart. Throws `UsageError`.
NamedPlace named_place(const std::string& words, const std::string& option);
/// The same without a name.
std::array<float, 3> plain_position(const std::string& words, const std::string& option);

/// Throws `UsageError` where `out` is one of the files that are read.
void check_not_input(const fs::path& out, const std::vector<fs::path>& inputs);

/// The same for a sheet that is to be written of the character in this file; also where `out` is the sheet of
/// another character.
void check_sheet_place(const fs::path& out, const fs::path& character);

}  // namespace dendraxis::tool
