#include <dendraxis/page/page.hpp>

#include "parts.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/draw/bone_groups.hpp>
#include <dendraxis/retarget/transfer.hpp>
#include <dendraxis/skeleton/pose.hpp>
#include <dendraxis/version.hpp>

#include <fmt/format.h>

#include <cmath>

namespace dendraxis::page {
namespace {

using detail::Blob;
using detail::Json;

void check(const Page& page) {
    for (const ShownClip& clip : page.clips) {
        if (clip.played.size() != page.actors.size())
            throw Error(page.title, "a clip is not played by every character", clip.name);
        for (std::size_t a = 0; a < page.actors.size(); ++a) {
            if (clip.played[a]->bone_count != page.actors[a].chart->skeleton.size())
                throw Error(page.title, "a clip is of another skeleton", clip.name);
            if (clip.played[a]->frame_count() != clip.played[0]->frame_count() ||
                clip.played[a]->frame_count() == 0)
                throw Error(page.title, "two clips that are shown together differ in their frames",
                            clip.name);
        }
    }
}

Json groups_json() {
    Json groups = Json::array();
    for (const draw::BoneGroup& group : draw::bone_groups()) {
        const auto part = [&](std::size_t i) {
            return static_cast<int>(std::lround(255.0f * group.color[i]));
        };
        groups.push_back(
            {{"name", group.name}, {"color", fmt::format("#{:02x}{:02x}{:02x}", part(0), part(1), part(2))}});
    }
    return groups;
}

Json pairs_json(const Pairing& pairing) {
    Json pairs = Json::array();
    for (const ChainPair& entry : pairing.chains) {
        pairs.push_back({{"source", entry.source},
                         {"target", entry.target},
                         {"strength", io::rounded(entry.strength)},
                         {"reach", io::rounded(entry.reach)},
                         {"how", how_paired(pairing, entry)}});
    }
    for (const Leftover& leftover : pairing.leftovers) {
        pairs.push_back({{"source", leftover.of_source ? leftover.chain : ""},
                         {"target", leftover.of_source ? "" : leftover.chain},
                         {"how", leftover.reason}});
    }
    return pairs;
}

Json measures_json(const Page& page, const ClipReview& review) {
    Json measures = Json::array();
    for (const Measure& measure : review.measures) {
        if (measure.frame < 0) continue;
        Json json{{"name", measure.name},
                  {"value", io::rounded(measure.value)},
                  {"frame", measure.frame},
                  {"where", measure.where}};
        if (page.pairing != nullptr) {
            const float gate = gate_of(*page.pairing, measure.name);
            if (gate >= 0.0f) json["gate"] = io::rounded(gate);
            if (const auto finding = over_gate(*page.pairing, review, measure))
                json["finding"] = io::json_of(*finding);
        }
        measures.push_back(std::move(json));
    }
    return measures;
}

}  // namespace

namespace detail {

Json clip_part(const Page& page, const ShownClip& clip, Blob& blob) {
    Json tracks = Json::array();
    for (std::size_t a = 0; a < page.actors.size(); ++a)
        tracks.push_back(track_part(page.actors[a], clip, a, blob));
    Plots plots = plots_part(page, clip, blob);
    return {{"name", clip.name},
            {"fps", io::rounded(clip.played[0]->fps)},
            {"frames", clip.played[0]->frame_count()},
            {"measures", measures_json(page, clip.review)},
            {"tracks", std::move(tracks)},
            {"plots", std::move(plots.plots)},
            {"contacts", std::move(plots.contacts)}};
}

Json document_of(const Page& page, Blob& blob) {
    check(page);
    Json actors = Json::array();
    for (const Actor& actor : page.actors) actors.push_back(actor_part(actor, blob));
    Json clips = Json::array();
    for (const ShownClip& clip : page.clips) clips.push_back(clip_part(page, clip, blob));
    Json document{{"format", "dendraxis-page"},
                  {"version", 1},
                  {"made_with", fmt::format("Dendraxis {}", k_version)},
                  {"made_by", page.made_by},
                  {"title", page.title},
                  {"groups", groups_json()},
                  {"actors", std::move(actors)},
                  {"clips", std::move(clips)},
                  {"findings", io::json_of(page.findings)}};
    if (page.pairing != nullptr) {
        document["pairs"] = pairs_json(*page.pairing);
        document["leg_ratio"] = io::rounded(leg_ratio(*page.pairing));
    }
    if (!page.live.empty()) document["live"] = page.live;
    return document;
}

}  // namespace detail

namespace {

// So that no text of a file ends the script that holds it (HTML standard, section 4.12.1.3).
std::string safe_in_script(const std::string& text) {
    std::string safe;
    for (const char letter : text) safe += letter == '<' ? "\\u003c" : std::string(1, letter);
    return safe;
}

std::string safe_in_html(const std::string& text) {
    std::string safe;
    for (const char letter : text) {
        safe += letter == '<'   ? "&lt;"
                : letter == '>' ? "&gt;"
                : letter == '&' ? "&amp;"
                                : std::string(1, letter);
    }
    return safe;
}

}  // namespace

Clip rest_clip(const Skeleton& skeleton) {
    Clip clip;
    clip.name = "rest";
    clip.bone_count = skeleton.size();
    clip.transforms = rest_pose(skeleton);
    return clip;
}

Stances stances_of(const Pairing& pairing) {
    Stances stances{rest_clip(pairing.source.skeleton), rest_clip(pairing.target.skeleton),
                    rest_clip(pairing.source.skeleton), rest_clip(pairing.target.skeleton)};
    if (!pairing.source_stance.empty()) {
        stances.source_matched.transforms = pairing.source_stance;
    } else {
        stances.source_matched.transforms = stance_pose(pairing.source, pairing.settings.source_stance.name);
    }
    Transfer::Workspace workspace;
    Transfer(pairing).apply(stances.source_matched.frame(0), stances.target_matched.frame(0), workspace);
    return stances;
}

std::vector<ShownClip> shown_stances(const Stances& stances) {
    return {{"matched stance", {&stances.source_matched, &stances.target_matched}, {}, true},
            {"both rests", {&stances.source_rest, &stances.target_rest}, {}, true}};
}

Page review_page(const Pairing& pairing, const Character& source, const Character& result,
                 std::vector<ShownClip> clips, const Stances& stances) {
    Page page{fmt::format("{} → {}", source.name, result.name),
              {{&source, &pairing.source, "source"}, {&result, &pairing.target, "result"}},
              std::move(clips),
              &pairing};
    std::vector<ClipReview> reviews;
    for (const ShownClip& clip : page.clips) reviews.push_back(clip.review);
    // What is about a clip stands with its measures.
    for (const Finding& finding : judge(pairing, std::move(reviews)).findings) {
        if (finding.code == "review.doubtful-chart") page.findings.push_back(finding);
    }
    page.findings.insert(page.findings.end(), pairing.findings.begin(), pairing.findings.end());
    for (ShownClip& stance : shown_stances(stances)) page.clips.push_back(std::move(stance));
    return page;
}

std::string html_of(const Page& page) {
    Blob blob;
    const Json document = detail::document_of(page, blob);
    return detail::html_with(page, document, blob);
}

std::string detail::html_with(const Page& page, const Json& document, const Blob& blob) {
    std::string html;
    std::string_view rest = page_template();
    const auto put = [&](std::string_view mark, const std::string& text) {
        const std::size_t at = rest.find(mark);
        html += rest.substr(0, at);
        html += text;
        rest.remove_prefix(at + mark.size());
    };
    put("@CONNECT@", page.live.empty() ? "'none'" : "'self'");
    put("@TITLE@", safe_in_html(page.title));
    put("@DOCUMENT@", safe_in_script(document.dump(-1, ' ', false, Json::error_handler_t::replace)));
    put("@NUMBERS@", blob.base64());
    html += rest;
    return html;
}

}  // namespace dendraxis::page
