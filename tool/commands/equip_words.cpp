#include "equip_words.hpp"

#include <charconv>
#include <cmath>

namespace dendraxis::tool {
namespace {

std::vector<std::string> parts_at(const std::string& text, char mark) {
    std::vector<std::string> parts;
    std::size_t from = 0;
    for (std::size_t at = text.find(mark); at != std::string::npos; at = text.find(mark, from)) {
        parts.push_back(text.substr(from, at - from));
        from = at + 1;
    }
    parts.push_back(text.substr(from));
    return parts;
}

bool read_number(const std::string& text, float& value) {
    const auto [next, problem] = std::from_chars(text.data(), text.data() + text.size(), value);
    return problem == std::errc() && next == text.data() + text.size();
}

// The word behind `key=`, or nothing.
bool starts(const std::string& part, const std::string& key, std::string& value) {
    if (!part.starts_with(key + "=")) return false;
    value = part.substr(key.size() + 1);
    return true;
}

// `CLIP:FRAME=` and what stands behind it.
struct Moment {
    std::string clip;
    float frame = 0.0f;
    std::string rest;
};

Moment moment_of(const std::string& words, const std::string& all, const char* wanted) {
    const std::size_t equals = words.find('=');
    const std::size_t colon = words.rfind(':', equals);
    if (equals == std::string::npos || colon == std::string::npos)
        throw UsageError(all + ": give a clip, a frame and " + wanted);
    Moment moment{words.substr(0, colon), 0.0f, words.substr(equals + 1)};
    if (!read_number(words.substr(colon + 1, equals - colon - 1), moment.frame) || !(moment.frame >= 0.0f))
        throw UsageError(all + ": the frame must be a number, 0 or more");
    return moment;
}

float scale_of(const std::string& text, const std::string& all) {
    float scale = 0.0f;
    if (!read_number(text, scale) || !(scale > 0.0f))
        throw UsageError(all + ": the scale must be a number above 0");
    return scale;
}

float share_of(const std::string& text, const std::string& all) {
    float share = 0.0f;
    if (!read_number(text, share) || !(share >= 0.0f) || !(share <= 1.0f))
        throw UsageError(all + ": closed=N must be a number from 0 to 1");
    return share;
}

}  // namespace

Put read_put(const std::string& words) {
    const std::string all = "--put " + words;
    const std::size_t at = words.rfind('@');
    if (at == std::string::npos || at == 0 || at + 1 == words.size())
        throw UsageError(all + ": give a file and a socket, as in lantern.glb@hand.left");
    const std::vector<std::string> parts = parts_at(words.substr(at + 1), ',');
    Put put{words.substr(0, at), parts_at(parts.front(), '+'), {}, {}, {}, {}, {}};
    for (std::size_t i = 1; i < parts.size(); ++i) {
        std::string value;
        if (parts[i] == "mirrored")
            put.fit.mirrored = true;
        else if (parts[i] == "closed")
            put.closed = 1.0f;
        else if (starts(parts[i], "closed", value))
            put.closed = share_of(value, all);
        else if (starts(parts[i], "grip", value))
            put.fit.grip = value;
        else if (starts(parts[i], "second", value))
            put.second = value;
        else if (starts(parts[i], "in", value))
            put.clips = parts_at(value, '+');
        else if (starts(parts[i], "scale", value))
            put.scale = scale_of(value, all);
        else
            throw UsageError(all + ": '" + parts[i] +
                             "' is none of scale=N, grip=NAME, second=SOCKET, in=CLIP, closed, mirrored");
    }
    if (!put.second.empty() && put.sockets.size() > 1)
        throw UsageError(all + ": a thing with several places has no second hand");
    if (put.closed && put.sockets.size() > 1)
        throw UsageError(all + ": fingers close around a thing that stays in one place");
    if (!put.clips.empty() && put.second.empty())
        throw UsageError(all + ": in=CLIP says in which clips the second hand comes; give second=SOCKET");
    return put;
}

Fit read_fit(const std::string& words) {
    const std::string all = "--fit " + words;
    const std::vector<std::string> parts = parts_at(words, ',');
    const std::string& place = parts.front();
    const std::size_t at = place.rfind('@');
    Fit fit;
    if (at != std::string::npos) fit.part = place.substr(at + 1);
    const std::string file = place.substr(0, at);
    const std::size_t hash = file.rfind('#');
    if (hash != std::string::npos) fit.node = file.substr(hash + 1);
    fit.file = file.substr(0, hash);
    if (fit.file.empty() || (at != std::string::npos && fit.part.empty()))
        throw UsageError(all + ": give a file and a part of the body, as in guard.glb@shin.left");
    for (std::size_t i = 1; i < parts.size(); ++i) {
        std::string value;
        if (parts[i] == "mirrored") {
            fit.options.mirrored = true;
        } else if (parts[i] == "both-sides") {
            fit.both_sides = true;
        } else if (starts(parts[i], "scale", value)) {
            fit.options.scale = scale_of(value, all);
        } else if (starts(parts[i], "at", value)) {
            if (!read_number(value, fit.options.middle) ||
                !(fit.options.middle >= 0.0f && fit.options.middle <= 1.0f))
                throw UsageError(all + ": 'at' is a share of the part's length, 0 to 1");
        } else {
            throw UsageError(all + ": '" + parts[i] + "' is none of scale=N, at=SHARE, mirrored, both-sides");
        }
    }
    const auto sides = [&](const char* own, const char* other) {
        return fit.node.ends_with(own) && fit.part.ends_with(other);
    };
    if (sides(".left", ".right") || sides(".right", ".left")) fit.options.mirrored = true;
    if (fit.part.empty() && fit.options.mirrored)
        throw UsageError(all + ": mirrored onto which part? Name it: @PART; or both-sides");
    return fit;
}

Switch read_switch(const std::string& words) {
    const std::string all = "--switch " + words;
    const Moment moment = moment_of(words, all, "a place, as in chop:50=axe@belt.left");
    const std::size_t at = moment.rest.find('@');
    if (at == std::string::npos)
        throw UsageError(all + ": give a clip, a frame and a place, as in chop:50=axe@belt.left");
    const std::vector<std::string> parts = parts_at(moment.rest.substr(at + 1), ',');
    Switch one{moment.clip, moment.rest.substr(0, at), parts.front(), {}};
    one.change.frame = moment.frame;
    for (std::size_t i = 1; i < parts.size(); ++i) {
        std::string value;
        if (!starts(parts[i], "over", value) || !read_number(value, one.change.over) ||
            !(one.change.over >= 0.0f))
            throw UsageError(all + ": '" + parts[i] + "' is not over=FRAMES");
    }
    return one;
}

LetGo read_let_go(const std::string& words) {
    const std::string all = "--let-go " + words;
    const Moment moment = moment_of(words, all, "a prop, as in walk:20=cap");
    if (moment.frame != std::floor(moment.frame)) throw UsageError(all + ": the frame must be a whole one");
    return {moment.clip, moment.rest, static_cast<std::size_t>(moment.frame)};
}

}  // namespace dendraxis::tool
