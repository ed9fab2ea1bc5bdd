#include "outfit.hpp"

#include "../support/positions.hpp"

#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/equip/close_hand.hpp>
#include <dendraxis/equip/second_hand.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/gltf/ground.hpp>
#include <dendraxis/io/sheet/ragdoll_sheet.hpp>
#include <dendraxis/io/sheet/socket_sheet.hpp>
#include <dendraxis/sim/loose_prop.hpp>
#include <dendraxis/skeleton/skin_surface.hpp>

#include <fmt/core.h>

#include <algorithm>

namespace dendraxis::tool {
namespace {

std::size_t socket_index(std::span<const Socket> sockets, const std::string& name, const char* option) {
    std::vector<std::string> names;
    for (std::size_t i = 0; i < sockets.size(); ++i) {
        if (sockets[i].name == name) return i;
        names.push_back(sockets[i].name);
    }
    throw UsageError(std::string(option) + ": there is no socket '" + name + "'; " +
                     did_you_mean(name, names, "see `dendraxis socket list`"));
}

}  // namespace

Outfit::Outfit(const EquipArguments& arguments, const io::Rig& rig)
    : arguments_(arguments), rig_(rig), sockets_(io::sockets_of(rig, report.findings)) {
    for (const std::string& words : arguments.fit_words) fit(read_fit(words));
    // Sockets of pieces stand behind the sheet's own.
    binding_.emplace(sockets_, rig.chart);
    for (const std::string& words : arguments.put_words) put(read_put(words));
    for (const std::string& words : arguments.switch_words) change(read_switch(words));
    tell_changes();
    if (!arguments.let_go_words.empty()) let_go();
    std::vector<std::string> taken;
    for (const io::MountedProp& one : io::mounted_props(rig.character.file)) taken.push_back(one.socket);
    for (Finding& finding : check_mounts(rig.character, rig.chart, *binding_, mounts_, carried_, taken))
        report.findings.push_back(std::move(finding));
}

std::vector<std::uint8_t> Outfit::glb() const {
    return io::glb_with_props(rig_.character, *binding_, mounts_, carried_, clips_, flights_);
}

void Outfit::put(const Put& put) {
    if (!props_.contains(put.file.string())) props_[put.file.string()] = io::load_prop(put.file);
    const Prop& prop = props_[put.file.string()];
    inputs.push_back(put.file);
    std::vector<std::size_t> places;
    for (const std::string& socket : put.sockets) places.push_back(socket_index(sockets_, socket, "--put"));
    PropFit fit = put.fit;
    fit.scale = put.scale.value_or(usual_scale(prop, rig_.chart));
    if (!put.scale && fit.scale != 1.0f)
        report.findings.push_back(
            {Severity::note, "prop.in-metres", prop.name,
             fmt::format("its file is taken to be in metres, the character in {:.3g} m: "
                         "scaled by {:.4g}",
                         1.0f / fit.scale, fit.scale),
             "if both are in one unit, say scale=1"});
    if (places.size() > 1) {
        carried_.push_back({&prop, places, fit, {}});
        return;
    }
    mounts_.push_back({&prop, places.front(), fit});
    if (!put.second.empty()) second_hand(put, prop, mounts_.back());
    if (put.closed) close_hands(put, prop, mounts_.back());
}

// Around the thing, in the clips in which it is held: of both hands if it takes two.
void Outfit::close_hands(const Put& put, const Prop& prop, const PropMount& mount) {
    std::vector<PropMount> holds{mount};
    if (!put.second.empty()) {
        holds.push_back({mount.prop, socket_index(sockets_, put.second, "--put"), mount.fit});
        holds.back().fit.grip = "grip.second";
    }
    for (const PropMount& hold : holds) {
        const ClosedHand hand = close_hand(rig_.character, rig_.chart, *binding_, hold, *put.closed);
        for (Finding& finding : check_closed_hand(hand, prop, sockets_[hold.socket]))
            report.findings.push_back(std::move(finding));
        if (rig_.character.clips.empty()) {
            report.findings.push_back({Severity::warning, "prop.no-clips", prop.name,
                                       "the file holds no clips in which fingers could close around it",
                                       "carry clips to it first: dendraxis retarget"});
            return;
        }
        const bool is_second = hold.socket != mount.socket;
        for (const Clip& own : rig_.character.clips) {
            const bool in_it = !is_second || put.clips.empty() ||
                               std::find(put.clips.begin(), put.clips.end(), own.name) != put.clips.end();
            if (!in_it) continue;
            Clip closed = with_closed_hand(clip_to_write(own.name), hand);
            std::erase_if(clips_, [&](const Clip& known) { return known.name == own.name; });
            clips_.push_back(std::move(closed));
        }
    }
}

void Outfit::second_hand(const Put& put, const Prop& prop, const PropMount& mount) {
    const std::size_t second = socket_index(sockets_, put.second, "--put");
    if (prop.grips.empty())
        throw UsageError("--put " + put.file.string() +
                         ": it has no grip.second; name where it is held in its .prop.json");
    const TwoHanded held{mount.socket, placement_of(prop, mount.fit), second, prop.grip("grip.second")};
    for (const std::string& name : put.clips) (void)rig_.character.clip(name);  // throws where there is none
    for (const Clip& own : rig_.character.clips) {
        if (!put.clips.empty() && std::find(put.clips.begin(), put.clips.end(), own.name) == put.clips.end())
            continue;
        TwoHandedClip done = bring_second_hand(rig_.chart, *binding_, held, clip_to_write(own.name));
        for (Finding& finding : check_second_hand(done, prop, sockets_[second]))
            report.findings.push_back(std::move(finding));
        std::erase_if(clips_, [&](const Clip& known) { return known.name == own.name; });
        clips_.push_back(std::move(done.clip));
    }
}

void Outfit::fit(const Fit& wanted) {
    inputs.push_back(wanted.file);
    const std::vector<std::string> parts = parts_of_body(rig_.chart);
    const std::vector<std::string> nodes = io::names_in_prop(wanted.file);
    const auto is_in = [](const std::vector<std::string>& list, const std::string& name) {
        return std::find(list.begin(), list.end(), name) != list.end();
    };
    const auto fit_sides = [&](const std::string& node, const std::string& part) {
        fit_one(wanted.file, node, part, wanted.options);
        const std::string other = other_side(part);
        // A side that has its own in the file gets that one.
        if (!wanted.both_sides || other == part || !is_in(parts, other) || is_in(nodes, other)) return;
        PieceOptions options = wanted.options;
        options.mirrored = !options.mirrored;
        fit_one(wanted.file, node, other, options);
    };
    if (!wanted.part.empty()) {
        fit_sides(wanted.node, wanted.part);
        return;
    }
    std::size_t count = 0;
    for (const std::string& name : nodes) {
        if (!is_in(parts, name) || (!wanted.node.empty() && name != wanted.node)) continue;
        fit_sides(name, name);
        ++count;
    }
    if (count == 0)
        throw UsageError("--fit " + wanted.file.string() +
                         ": no node is named like a part of this body; say which: @PART");
}

void Outfit::fit_one(const fs::path& file, const std::string& node, const std::string& part,
                     const PieceOptions& options) {
    Prop& piece = props_[file.string() + "#" + node + "@" + part] = io::load_piece(file, node);
    // Two of one name could not be told apart when they are taken off.
    if (!node.empty() || options.mirrored) piece.name = part;
    const FittedPiece fitted = fit_piece(piece, part, rig_.character, rig_.chart, options);
    mounts_.push_back({&piece, sockets_.size(), fitted.fit});
    sockets_.push_back(fitted.socket);
    const InClips motion = in_clips(piece, fitted);
    report.pieces.push_back({piece.name, part, rig_.chart.skeleton.bone(fitted.socket.bone).label,
                             fitted.covered.size(), fitted.through_at_rest, motion.through, motion.covered});
    for (Finding& finding : check_piece(piece, fitted, motion.clips))
        report.findings.push_back(std::move(finding));
}

Outfit::InClips Outfit::in_clips(const Prop& piece, const FittedPiece& fitted) const {
    InClips motion;
    float frames = 0.0f;
    float through = 0.0f;
    float covered = 0.0f;
    for (const Clip& clip : rig_.character.clips) {
        motion.clips.push_back(piece_in_clip(piece, fitted, rig_.character, rig_.chart, clip));
        const auto count = static_cast<float>(clip.frame_count());
        through += motion.clips.back().through * count;
        covered += motion.clips.back().covered * count;
        frames += count;
    }
    if (frames > 0.0f) motion.through = through / frames, motion.covered = covered / frames;
    return motion;
}

void Outfit::change(const Switch& wanted) {
    std::vector<std::string> names;
    for (CarriedProp& one : carried_) {
        names.push_back(one.prop->name);
        if (one.prop->name != wanted.prop) continue;
        const std::size_t socket = socket_index(sockets_, wanted.socket, "--switch");
        const auto place = std::find(one.sockets.begin(), one.sockets.end(), socket);
        if (place == one.sockets.end())
            throw UsageError("--switch: '" + wanted.prop + "' has no place '" + wanted.socket +
                             "'; name it: --put FILE@SOCKET+" + wanted.socket);
        CarrySwitch switched = wanted.change;
        switched.place = static_cast<std::size_t>(place - one.sockets.begin());
        const Clip& clip = rig_.character.clip(wanted.clip);
        if (switched.frame + switched.over > static_cast<float>(clip.frame_count()) - 1.0f)
            throw UsageError(
                fmt::format("--switch: '{}' ends at frame {}", clip.name, clip.frame_count() - 1));
        one.switches[wanted.clip].push_back(switched);
        return;
    }
    throw UsageError("--switch: nothing named '" + wanted.prop + "' has several places; " +
                     did_you_mean(wanted.prop, names, "give them: --put FILE@SOCKET+SOCKET"));
}

// As it is written, second hands and all.
const Clip& Outfit::clip_to_write(const std::string& name) const {
    for (const Clip& clip : clips_) {
        if (clip.name == name) return clip;
    }
    return rig_.character.clip(name);
}

std::size_t Outfit::mount_of(const std::string& prop, const char* option) const {
    std::vector<std::string> names;
    for (std::size_t m = 0; m < mounts_.size(); ++m) {
        if (mounts_[m].prop->name == prop) return m;
        names.push_back(mounts_[m].prop->name);
    }
    const std::string nearest = nearest_name(prop, names);
    throw UsageError(
        std::string(option) + ": nothing named '" + prop + "' is put into one socket" +
        (nearest.empty() ? "; give it: --put FILE@SOCKET" : "; did you mean '" + nearest + "'?"));
}

void Outfit::let_go() {
    std::map<std::size_t, Vec3> pushes;
    for (const std::string& words : arguments_.push_words) {
        const NamedPosition push = named_position(words, "--push");
        pushes[mount_of(push.name, "--push")] = Vec3(push.position.data());
    }
    const RagdollBinding wearer(io::ragdoll_of(rig_), rig_.chart);
    sim::DropGround ground;
    if (!arguments_.terrain.empty()) {
        Surface surface = surface_of(io::load_terrain(arguments_.terrain, rig_.chart));
        ground = {std::move(surface.positions), std::move(surface.triangles)};
        inputs.push_back(arguments_.terrain);
    }
    for (const std::string& words : arguments_.let_go_words) {
        const LetGo wanted = read_let_go(words);
        const std::size_t m = mount_of(wanted.prop, "--let-go");
        for (const io::PropFlight& known : flights_) {
            if (known.mount == m && known.clip == wanted.clip)
                throw UsageError("--let-go " + words + ": it is gone since frame " +
                                 std::to_string(known.frame) + " of this clip");
        }
        const Clip& clip = clip_to_write(wanted.clip);
        sim::LooseProp loose{mounts_[m].prop, mounts_[m].fit, mounts_[m].socket, wanted.frame};
        if (pushes.contains(m)) loose.push = pushes[m];
        sim::LooseFall fall = sim::fall_in_clip(loose, *binding_, wearer, rig_.chart, clip, ground);
        report.falls.push_back({wanted.prop, wanted.clip, wanted.frame, fall.speed, fall.ends, fall.lies});
        flights_.push_back({m, wanted.clip, wanted.frame, std::move(fall.frames)});
    }
    for (const auto& pushed : pushes) {
        const bool goes = std::any_of(flights_.begin(), flights_.end(),
                                      [&](const io::PropFlight& one) { return one.mount == pushed.first; });
        if (!goes)
            throw UsageError("--push: say when '" + mounts_[pushed.first].prop->name +
                             "' is let go: --let-go CLIP:FRAME=NAME");
    }
}

void Outfit::tell_changes() {
    for (CarriedProp& one : carried_) {
        std::vector<CarryPlace> places;
        for (const std::size_t socket : one.sockets)
            places.push_back({socket, placement_of(*one.prop, one.fit)});
        for (auto& [clip, switches] : one.switches) {
            std::stable_sort(switches.begin(), switches.end(),
                             [](const CarrySwitch& a, const CarrySwitch& b) { return a.frame < b.frame; });
            const CarryPlan plan(places, switches);
            for (std::size_t i = 0; i < switches.size(); ++i)
                report.changes.push_back(
                    {one.prop->name, clip, switches[i].frame, sockets_[one.sockets[switches[i].place]].name,
                     switches[i].over,
                     jump_of(plan, i, *binding_, rig_.character.skeleton, rig_.character.clip(clip))});
        }
    }
}

}  // namespace dendraxis::tool
