#include "../json/json_text.hpp"
#include "sheet_parts.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/io/sheet/sheet.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace dendraxis::io {
namespace {

namespace fs = std::filesystem;

constexpr std::array k_root_motion_words{std::pair(RootMotion::scaled, "scaled"),
                                         std::pair(RootMotion::copied, "copied"),
                                         std::pair(RootMotion::in_place, "in-place")};
constexpr std::array k_position_words{std::pair(Positions::scaled, "scaled"),
                                      std::pair(Positions::carried, "carried"),
                                      std::pair(Positions::dropped, "dropped")};
constexpr std::array k_passes{
    std::pair("feet", &PairingSettings::feet), std::pair("hands", &PairingSettings::hands),
    std::pair("clearance", &PairingSettings::clearance), std::pair("ranges", &PairingSettings::ranges)};

// ------------------------------------------------------------------ writing

Json chain_pairs(const Pairing& pairing) {
    Json chains = Json::array();
    for (const ChainPair& entry : pairing.chains) {
        chains.push_back({{"source", entry.source}, {"target", entry.target}});
        if (entry.strength != 1.0f) chains.back()["strength"] = rounded(entry.strength);
        if (entry.reach != 0.0f) chains.back()["reach"] = rounded(entry.reach);
    }
    return chains;
}

template <class Words, class Value>
const char* word_for(const Words& words, Value wanted) {
    for (const auto& [value, word] : words) {
        if (value == wanted) return word;
    }
    return "";
}

// All settings, those that nobody set as well: what can be changed stands there to be changed.
void add_settings(Json& json, const PairingSettings& settings) {
    if (!settings.source_stance.clip.empty()) {
        json["source_stance"] = {{"clip", settings.source_stance.clip},
                                 {"frame", settings.source_stance.frame}};
    } else {
        json["source_stance"] = settings.source_stance.name.empty() ? "rest" : settings.source_stance.name;
    }
    json["target_stance"] = settings.target_stance.empty() ? "rest" : settings.target_stance;
    json["turns"] = Json::array();
    for (const BoneTurn& turn : settings.turns)
        json["turns"].push_back({{"bone", turn.bone}, {"degrees", json_of(turn.degrees)}});
    json["root_motion"] = Json::array();
    for (const RootMotionRule& rule : settings.root_motion)
        json["root_motion"].push_back(
            {{"clips", rule.clips}, {"how", word_for(k_root_motion_words, rule.root_motion)}});
    if (settings.root_motion.empty()) json["root_motion"].push_back({{"clips", "*"}, {"how", "scaled"}});
    json["positions"] = Json::array();
    for (const PositionRule& rule : settings.positions)
        json["positions"].push_back({{"clips", rule.clips},
                                     {"chains", rule.chains},
                                     {"how", word_for(k_position_words, rule.positions)}});
    if (settings.positions.empty())
        json["positions"].push_back({{"clips", "*"}, {"chains", "*"}, {"how", "scaled"}});
    json["contacts"] = Json::array();
    for (const ContactSpan& span : settings.contacts)
        json["contacts"].push_back(
            {{"clip", span.clip}, {"leg", span.leg}, {"from", span.first}, {"to", span.last}});
    json["offsets"] = Json::array();
    for (const EffectorOffset& offset : settings.offsets)
        json["offsets"].push_back({{"chain", offset.chain}, {"metres", json_of(offset.metres)}});
    json["passes"] = Json::object();
    for (const auto& [name, member] : k_passes) json["passes"][name] = settings.*member;
    json["gate"] = Json::object();
    for (const std::string_view measure : measure_names()) {
        const auto set = settings.gate.find(std::string(measure));
        const float most = set == settings.gate.end() ? default_gate(measure) : set->second;
        json["gate"][std::string(measure)] = most < 0.0f ? Json(nullptr) : Json(rounded(most));
    }
}

// ------------------------------------------------------------------ reading

class PairingReader {
 public:
    PairingReader(JsonDocument document, const Rig& source, const Rig& target)
        : document_(std::move(document)), json_(document_.json), source_(source) {
        pairing_.source = source.chart;
        pairing_.target = target.chart;
    }

    Pairing read() {
        read_chains();
        read_stances();
        read_lists();
        const Json passes = json_.value("passes", Json::object());
        for (const auto& [name, member] : k_passes) pairing_.settings.*member = passes.value(name, true);
        read_gate();
        match_builds(pairing_);
        review_leftovers(pairing_);
        for (const std::string& key : unknown_keys(document_, Schema::pairing)) {
            pairing_.findings.push_back({Severity::warning, "pair.unknown-key", key,
                                         "the pairing holds a key that this program does not know",
                                         "check its spelling"});
        }
        return std::move(pairing_);
    }

 private:
    [[noreturn]] void no_such(const std::string& problem, const std::string& name,
                              const std::vector<std::string>& names, const std::string& pointer,
                              const std::string& otherwise) const {
        document_.fail(problem, pointer, did_you_mean(name, names, otherwise), ErrorCode::unknown_name);
    }

    void check_chain(const Chart& chart, const std::string& name, const std::string& pointer) const {
        if (chart.find(name) != nullptr) return;
        std::vector<std::string> names;
        for (const Chain& chain : chart.chains) names.push_back(chain.name);
        no_such(chart.character + " has no chain '" + name + "'", name, names, pointer,
                "see `dendraxis chart`");
    }

    void read_chains() {
        const Json& list = json_["chains"];
        for (std::size_t i = 0; i < list.size(); ++i) {
            const std::string pointer = fmt::format("/chains/{}", i);
            ChainPair entry{list[i]["source"].get<std::string>(), list[i]["target"].get<std::string>(),
                            list[i].value("strength", 1.0f), list[i].value("reach", 0.0f)};
            check_chain(pairing_.source, entry.source, pointer + "/source");
            check_chain(pairing_.target, entry.target, pointer + "/target");
            const bool twice =
                std::any_of(pairing_.chains.begin(), pairing_.chains.end(),
                            [&](const ChainPair& other) { return other.target == entry.target; });
            if (twice)
                document_.fail("the target chain '" + entry.target + "' is paired twice",
                               pointer + "/target");
            pairing_.chains.push_back(std::move(entry));
        }
    }

    void check_stance(const Chart& chart, const std::string& name, const std::string& pointer) const {
        if (name == "rest" || chart.stances.contains(name)) return;
        std::vector<std::string> names{"rest"};
        for (const auto& [known, turns] : chart.stances) names.push_back(known);
        no_such(chart.character + " has no stance '" + name + "'", name, names, pointer,
                "add it to \"stances\" in its sheet");
    }

    void read_stances() {
        PairingSettings& settings = pairing_.settings;
        if (json_.contains("source_stance")) {
            const Json& value = json_["source_stance"];
            if (value.is_object()) {
                settings.source_stance.clip = value["clip"].get<std::string>();
                settings.source_stance.frame = value["frame"].get<int>();
                read_stance_frame();
            } else if (value == "bind") {
                settings.source_stance.name = "bind";
                pairing_.source_stance = bind_pose(source_.character);
            } else {
                settings.source_stance.name = value.get<std::string>();
                check_stance(pairing_.source, settings.source_stance.name, "/source_stance");
            }
        }
        settings.target_stance = json_.value("target_stance", std::string());
        if (!settings.target_stance.empty())
            check_stance(pairing_.target, settings.target_stance, "/target_stance");
    }

    void read_stance_frame() {
        const SourceStance& stance = pairing_.settings.source_stance;
        const auto& clips = source_.character.clips;
        const auto clip =
            std::find_if(clips.begin(), clips.end(), [&](const Clip& c) { return c.name == stance.clip; });
        if (clip == clips.end()) {
            std::vector<std::string> names;
            for (const Clip& known : clips) names.push_back(known.name);
            no_such(source_.chart.character + " has no clip '" + stance.clip + "'", stance.clip, names,
                    "/source_stance/clip", "see `dendraxis survey`");
        }
        if (stance.frame < 0 || stance.frame >= static_cast<int>(clip->frame_count()))
            document_.fail(fmt::format("the clip '{}' has no frame {}", stance.clip, stance.frame),
                           "/source_stance/frame",
                           fmt::format("its frames are 0 to {}", clip->frame_count() - 1));
        const auto pose = clip->frame(static_cast<std::size_t>(stance.frame));
        pairing_.source_stance.assign(pose.begin(), pose.end());
    }

    template <class Read>
    void each(const char* key, const Read& read) {
        const Json list = json_.value(key, Json::array());
        for (std::size_t i = 0; i < list.size(); ++i) read(list[i], fmt::format("/{}/{}", key, i));
    }

    void read_lists() {
        PairingSettings& settings = pairing_.settings;
        each("turns", [&](const Json& item, const std::string& pointer) {
            bone_named(document_, pairing_.target.skeleton, item["bone"], pointer + "/bone");
            settings.turns.push_back({item["bone"].get<std::string>(), vector_of(item["degrees"])});
        });
        each("root_motion", [&](const Json& item, const std::string&) {
            for (const auto& [value, word] : k_root_motion_words) {
                if (item["how"] == word)
                    settings.root_motion.push_back({item["clips"].get<std::string>(), value});
            }
        });
        each("positions", [&](const Json& item, const std::string&) {
            for (const auto& [value, word] : k_position_words) {
                if (item["how"] == word)
                    settings.positions.push_back(
                        {item["clips"].get<std::string>(), item.value("chains", std::string("*")), value});
            }
        });
        each("contacts", [&](const Json& item, const std::string& pointer) {
            ContactSpan span{item["clip"].get<std::string>(), item["leg"].get<std::string>(),
                             item["from"].get<int>(), item["to"].get<int>()};
            check_chain(pairing_.source, span.leg, pointer + "/leg");
            if (span.last < span.first) document_.fail("'to' is before 'from'", pointer + "/to");
            settings.contacts.push_back(std::move(span));
        });
        each("offsets", [&](const Json& item, const std::string& pointer) {
            const std::string chain = item["chain"].get<std::string>();
            check_chain(pairing_.target, chain, pointer + "/chain");
            if (!is_limb(role_of(chain)))
                document_.fail("only arms and legs have an end that can be moved", pointer + "/chain",
                               "use \"turns\" for other bones");
            settings.offsets.push_back({chain, vector_of(item["metres"])});
        });
    }

    void read_gate() {
        const Json gate = json_.value("gate", Json::object());
        for (const auto& [name, most] : gate.items()) {
            const auto& names = measure_names();
            if (std::find(names.begin(), names.end(), name) == names.end())
                no_such("there is no measure '" + name + "'", name, {names.begin(), names.end()},
                        "/gate/" + name, "see `dendraxis review`");
            pairing_.settings.gate[name] = most.is_null() ? -1.0f : most.get<float>();
        }
    }

    JsonDocument document_;
    const Json& json_;
    const Rig& source_;
    Pairing pairing_;
};

}  // namespace

Json pairing_part(const Pairing& pairing) {
    Json json{{"format", "dendraxis-pairing"},
              {"version", 1},
              {"source", pairing.source.character},
              {"target", pairing.target.character},
              {"chains", chain_pairs(pairing)}};
    add_settings(json, pairing.settings);
    return json;
}

Pairing read_pairing(const fs::path& file, const Rig& source, const Rig& target) {
    return PairingReader(open_document(file, Schema::pairing), source, target).read();
}

Pairing pairing_of_text(const std::string& name, const std::string& text, const Rig& source,
                        const Rig& target) {
    return PairingReader(parse_document(name, text, Schema::pairing), source, target).read();
}

std::string pairing_json(const Pairing& pairing) {
    return text_of(pairing_part(pairing));
}

}  // namespace dendraxis::io
