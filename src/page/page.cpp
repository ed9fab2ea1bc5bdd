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

Json events_json(const ShownClip& clip) {
    Json events = Json::array();
    for (const ClipEvent& event : clip.events)
        events.push_back(
            {{"words", event.words}, {"first", io::rounded(event.first)}, {"last", io::rounded(event.last)}});
    return events;
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
            {"measures",
             page.pairing == nullptr ? Json::array() : measures_part(judged(*page.pairing, clip.review))},
            {"events", events_json(clip)},
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
    Workspace workspace;
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
    return filled(page_template(), {{"@CONNECT@", page.live.empty() ? "'none'" : "'self'"},
                                    {"@TITLE@", safe_in_html(page.title)},
                                    {"@DOCUMENT@", safe_in_script(document)},
                                    {"@NUMBERS@", base64(blob.bytes())}});
}

}  // namespace dendraxis::page
