#include "../support/command_line.hpp"
#include "../support/json.hpp"
#include "../support/open_rig.hpp"
#include "../support/outputs.hpp"
#include "../support/page.hpp"
#include "../support/positions.hpp"
#include "../support/print.hpp"

#include <io/sheet/sheet_parts.hpp>

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/chart/unit.hpp>
#include <dendraxis/ik/body_setup.hpp>
#include <dendraxis/io/props/props.hpp>
#include <dendraxis/io/sheet/ragdoll_sheet.hpp>
#include <dendraxis/io/sheet/windows.hpp>
#include <dendraxis/io/write_file.hpp>
#include <dendraxis/ragdoll/binding.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <fmt/core.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <memory>
#include <optional>

namespace dendraxis::tool {
namespace {

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
    fs::path page;
    fs::path out;
    bool json = false;
};

/// What a volume touched in one window, in metres; points and normals to the character's left, up from its
/// soles, forward.
struct WindowReport {
    ClipWindow window;
    float fps = 0.0f;
    std::vector<WindowTouch> touches;
};

Json touches_json(std::span<const WindowReport> reports, const Skeleton& target, const Findings& findings) {
    Json list = Json::array();
    for (const WindowReport& report : reports) {
        Json touches = Json::array();
        for (const WindowTouch& touch : report.touches)
            touches.push_back({{"target", touch.target},
                               {"bone", touch.bone == k_no_bone ? Json() : bone_json(target, touch.bone)},
                               {"frame", rounded(touch.frame)},
                               {"seconds", rounded(touch.frame / report.fps)},
                               {"point", json_of(touch.point)},
                               {"normal", json_of(touch.normal)},
                               {"speed", rounded(touch.speed)}});
        Json entry = io::window_part(report.window);
        entry["touches"] = std::move(touches);
        list.push_back(std::move(entry));
    }
    return {{"windows", list}, {"findings", json_of(findings)}};
}

// `20..40` or `0.6s..1.3s`.
void read_window(const std::string& words, ClipWindow& window) {
    const auto fail = [&]() -> void {
        throw UsageError("--window " + words + ": give two times, as in 20..40 (frames) or 0.6s..1.3s");
    };
    const std::size_t dots = words.find("..");
    if (dots == std::string::npos) fail();
    const auto number = [&](std::string text, float& value) {
        const bool seconds = text.ends_with('s');
        if (seconds) text.pop_back();
        const auto [next, problem] = std::from_chars(text.data(), text.data() + text.size(), value);
        if (problem != std::errc() || next != text.data() + text.size() || !(value >= 0.0f)) fail();
        return seconds;
    };
    window.in_seconds = number(words.substr(0, dots), window.from);
    if (number(words.substr(dots + 2), window.to) != window.in_seconds) fail();
    if (window.from > window.to)
        throw UsageError("--window " + words + ": it ends before it starts; write the earlier time first");
}

SweptVolume find_volume(const io::Rig& rig, const std::vector<io::MountedProp>& mounted,
                        const std::string& wanted) {
    std::vector<std::string> names;
    for (const io::MountedProp& prop : mounted) {
        for (const SweepVolume& volume : prop.volumes) {
            names.push_back(prop.prop + "." + volume.name);
            if (names.back() != wanted) continue;
            const auto& nodes = rig.character.nodes;
            const auto bone = std::find(nodes.begin(), nodes.end(), prop.node_above);
            if (bone != nodes.end()) return {volume, static_cast<int>(bone - nodes.begin()), prop.at};
        }
    }
    throw Error(ErrorCode::unknown_name, rig.character.file, "carries no volume '" + wanted + "'", "",
                names.empty() ? "mount a prop whose .prop.json names volumes: `dendraxis equip`"
                              : did_you_mean(wanted, names, "it carries '" + names.front() + "'"));
}

bool is_a_body(const Chart& chart) {
    return chart.hips != k_no_bone && std::any_of(chart.chains.begin(), chart.chains.end(),
                                                  [](const Chain& chain) { return is_limb(chain.role()); });
}

// What may be touched: the bodies of a character's ragdoll as its clip moves them, or a mesh that stands.
class Other {
 public:
    Other(const SweepArguments& arguments, const Chart& swinger) : rig_(io::load_rig(arguments.against)) {
        const Vec3 at = arguments.at_words.empty() ? Vec3(Vec3::Zero())
                                                   : Vec3(plain_position(arguments.at_words, "--at").data());
        const bool is_body = is_a_body(rig_.chart);
        const float unit = (is_body ? metres_in_unit(rig_.chart) : 1.0f) / metres_in_unit(swinger);
        placement_.rotation = swinger.to_upright().conjugate() * rig_.chart.to_upright();
        placement_.translation = position_in_model(swinger, at);
        if (is_body) {
            const RagdollPlan plan = scaled(io::ragdoll_of(rig_), unit);
            rig_.chart = scaled(rig_.chart, unit);
            placement_.translation -= placement_.rotation * (rig_.chart.floor * rig_.chart.up);
            targets_ = targets_of(plan);
            binding_ = std::make_unique<RagdollBinding>(plan, rig_.chart);
            states_.resize(targets_.size());
            if (!arguments.against_clip.empty()) clip_ = &rig_.character.clip(arguments.against_clip);
        } else {
            if (!arguments.against_clip.empty())
                throw UsageError("--against-clip: " + arguments.against.string() + " is no body");
            surface_ = surface_of(rig_.character);
            for (Vec3& position : surface_.positions) position *= unit;
            if (surface_.triangles.empty())
                throw Error(arguments.against.string(), "shows nothing that could be touched", "",
                            "name a file with a mesh");
            targets_ = {{rig_.character.name, "mesh", k_no_bone, {}, &surface_}};
        }
    }

    const std::vector<SweepTarget>& targets() const { return targets_; }
    const Skeleton& skeleton() const { return rig_.chart.skeleton; }

    // As lines, where all of it is in a frame; in the model space of the one that swings.
    std::vector<page::Outline> outlines(std::size_t frame) {
        std::vector<Transform> placements(targets_.size());
        frames(frame, placements);
        if (binding_ != nullptr) return page::outlines_of(binding_->plan(), placements);
        Surface moved = surface_;
        for (Vec3& point : moved.positions) point = to_affine(placement_) * point;
        return {page::terrain_outline(rig_.character.name, moved)};
    }

    void frames(std::size_t frame, std::span<Transform> frames) {
        if (binding_ == nullptr) {
            frames[0] = placement_;
            return;
        }
        std::vector<Transform> model = rest_in_model_space(skeleton());
        if (clip_ != nullptr)
            to_model_space(skeleton(), clip_->frame(std::min(frame, clip_->frame_count() - 1)), model);
        binding_->bodies_of(model, placement_, states_);
        for (std::size_t b = 0; b < states_.size(); ++b)
            frames[b] = {states_[b].turn, states_[b].position, Vec3::Ones()};
    }

 private:
    io::Rig rig_;
    Transform placement_;
    std::vector<SweepTarget> targets_;
    std::unique_ptr<RagdollBinding> binding_;
    std::vector<BodyState> states_;
    const Clip* clip_ = nullptr;
    Surface surface_;
};

std::vector<ClipWindow> wanted_windows(const SweepArguments& arguments, std::vector<ClipWindow> kept) {
    if (arguments.window_words.empty()) {
        std::erase_if(kept, [&](const ClipWindow& w) {
            return (!arguments.clip.empty() && w.clip != arguments.clip) ||
                   (!arguments.volume.empty() && w.volume != arguments.volume);
        });
        if (kept.empty()) throw UsageError("no window: give --window A..B, or a sheet that holds one");
        return kept;
    }
    if (arguments.clip.empty() || arguments.volume.empty())
        throw UsageError("--window: say of which --clip and which --volume");
    ClipWindow window{arguments.clip, arguments.volume, 0.0f, 0.0f, false, arguments.groups};
    read_window(arguments.window_words, window);
    return {window};
}

void keep_window(const SweepArguments& arguments, const io::Rig& rig, std::vector<ClipWindow> kept,
                 const ClipWindow& window) {
    check_not_input(arguments.out, {arguments.against});
    check_sheet_place(arguments.out, rig.character.file);
    kept.push_back(window);
    io::RigSheet sheet = rig.sheet;
    io::set_windows(sheet, kept);
    io::write_text(arguments.out,
                   io::sheet_json(rig.chart, fs::absolute(arguments.out).parent_path(), sheet));
}

// The clips with windows: when they are live, what is touched, and the other one where it is touched first.
void write_sweep_page(const SweepArguments& arguments, const io::Rig& rig,
                      const std::vector<WindowReport>& reports, Other& other, const Findings& findings) {
    page::Actor actor{&rig.character, &rig.chart, ""};
    ClipEvents events;
    std::vector<Clip> clips;
    std::optional<std::size_t> met;
    for (const WindowReport& report : reports) {
        const std::string& name = report.window.clip;
        if (std::none_of(clips.begin(), clips.end(), [&](const Clip& clip) { return clip.name == name; }))
            clips.push_back(rig.character.clip(name));
        add_windows(events, {&report.window, 1}, {&clips.back(), 1});
        for (const WindowTouch& touch : report.touches) {
            events[name].push_back(
                {fmt::format("{} touches {} at {:.1f} m/s", report.window.volume, touch.target, touch.speed),
                 touch.frame, touch.frame});
            actor.outlines.push_back(
                page::target_outline(touch.target, position_in_model(rig.chart, touch.point), rig.chart));
            if (!met) met = static_cast<std::size_t>(touch.frame);
        }
    }
    for (page::Outline& outline : other.outlines(met.value_or(0)))
        actor.outlines.push_back(std::move(outline));
    write_character_page(arguments.page, actor, clips, findings,
                         "dendraxis sweep " + arguments.character.string(), events);
}

// No minus before what is rounded to 0.
float plain(float value, float step) {
    return std::abs(value) < 0.5f * step ? 0.0f : value;
}

std::string three(const Vec3& v, int digits) {
    const float step = std::pow(10.0f, -static_cast<float>(digits));
    return fmt::format("{:.{}f}, {:.{}f}, {:.{}f}", plain(v.x(), step), digits, plain(v.y(), step), digits,
                       plain(v.z(), step), digits);
}

void print_report(const WindowReport& report, const Skeleton& touched) {
    const ClipWindow& window = report.window;
    const char* unit = window.in_seconds ? " s" : "";
    fmt::print("\n{}\n", bold(fmt::format("{} in {}, {:g}{}..{:g}{}", window.volume, window.clip, window.from,
                                          unit, window.to, unit)));
    if (report.touches.empty()) {
        fmt::print("  touches nothing\n");
        return;
    }
    fmt::print("  {:<16} {:<18} {:>7} {:>9} {:>9}   {:<22} {}\n", "target", "bone", "frame", "seconds", "m/s",
               "point", "normal");
    for (const WindowTouch& touch : report.touches)
        fmt::print("  {:<16} {:<18} {:>7.2f} {:>9.3f} {:>9.2f}   {:<22} {}\n", touch.target,
                   touch.bone == k_no_bone ? "-" : touched.bone(touch.bone).label, touch.frame,
                   touch.frame / report.fps, touch.speed, three(touch.point, 3), three(touch.normal, 2));
}

int run_sweep(const SweepArguments& arguments) {
    const io::Rig rig = open_rig(arguments.character, arguments.sheet);
    const std::vector<ClipWindow> kept = io::read_windows(rig);
    const std::vector<ClipWindow> windows = wanted_windows(arguments, kept);
    Findings findings = check_windows(windows, rig.character.clips);
    check_page(arguments.page, {arguments.character, arguments.sheet, rig.character.file, arguments.against});
    if (!arguments.page.empty() && arguments.against.empty())
        throw UsageError("--page: say with --against what may be touched");
    if (!arguments.out.empty() && !arguments.window_words.empty())
        keep_window(arguments, rig, kept, windows.front());

    std::vector<WindowReport> reports;
    if (arguments.against.empty() && arguments.out.empty())
        throw UsageError("--against: say what may be touched");
    if (arguments.against.empty()) {
        fmt::print("wrote {}\n", arguments.out.string());
        return k_done;
    }
    const std::vector<io::MountedProp> mounted = io::mounted_props(rig.character.file);
    Other other(arguments, rig.chart);
    for (const ClipWindow& window : windows) {
        const auto known = std::find_if(rig.character.clips.begin(), rig.character.clips.end(),
                                        [&](const Clip& c) { return c.name == window.clip; });
        if (known == rig.character.clips.end() && arguments.window_words.empty()) continue;  // it is told
        const Clip& clip = rig.character.clip(window.clip);
        LiveWindow live = live_window(window, clip);
        sweep_clip(live, rig.character.skeleton, clip, find_volume(rig, mounted, window.volume),
                   other.targets(),
                   [&](std::size_t frame, std::span<Transform> frames) { other.frames(frame, frames); });
        reports.push_back({window, clip.fps, {live.touches().begin(), live.touches().end()}});
        for (WindowTouch& touch : reports.back().touches) {
            const float metres = metres_in_unit(rig.chart);
            touch.point = metres * (rig.chart.to_upright() * (touch.point - rig.chart.floor * rig.chart.up));
            touch.normal = rig.chart.to_upright() * touch.normal;
            touch.speed *= metres;
        }
    }
    if (!arguments.page.empty()) write_sweep_page(arguments, rig, reports, other, findings);
    if (arguments.json) {
        print_json(touches_json(reports, other.skeleton(), findings));
        return k_done;
    }
    fmt::print("{} against {}\n", bold(rig.character.name), arguments.against.stem().string());
    for (const WindowReport& report : reports) print_report(report, other.skeleton());
    print_findings(findings);
    tell_of_page(arguments.page);
    if (!arguments.out.empty()) fmt::print("\nwrote {}\n", arguments.out.string());
    return k_done;
}

void add_sweep(CommandLine& line) {
    auto arguments = std::make_shared<SweepArguments>();
    CLI::App* c =
        line.add("sweep", "Report what a prop's volume touches in a window of a clip, at any speed",
                 "sweep hero-equipped.glb --clip chop --volume axe.blade --window 20..40 --against log.glb",
                 arguments, run_sweep);
    add_file(c, "CHARACTER", arguments->character,
             "the character's file with its props mounted, or its sheet");
    c->add_option("--sheet", arguments->sheet, "the sheet whose windows count")->option_text("FILE");
    c->add_option("--clip", arguments->clip, "the clip; default: every clip with a window in the sheet")
        ->option_text("NAME");
    c->add_option("--volume", arguments->volume, "the prop's name and the volume's: mallet.head")
        ->option_text("NAME");
    c->add_option(
         "--window", arguments->window_words,
         "when it is live: frames, 20..40, or seconds, 0.6s..1.3s; default: the windows in the sheet")
        ->option_text("A..B");
    c->add_option("--group", arguments->groups,
                  "only what belongs to these: trunk, head, arm, leg, tail; mesh")
        ->option_text("NAME ...");
    c->add_option("--against", arguments->against,
                  "what it can touch: a character (the bodies of its ragdoll) or any mesh, in metres")
        ->option_text("FILE");
    c->add_option("--against-clip", arguments->against_clip, "the clip that the other one plays meanwhile")
        ->option_text("NAME");
    c->add_option("--at", arguments->at_words,
                  "where the other one stands: metres to the character's left, up from its soles, forward")
        ->option_text("X,Y,Z");
    add_page_option(c, arguments->page, "write a page that plays the clips with their windows and touches");
    c->add_option("-o,--out", arguments->out, "save the window in this sheet (.rig.json)")
        ->option_text("FILE");
}

const Registration k_sweep(150, add_sweep);

}  // namespace
}  // namespace dendraxis::tool
