// The parts of a page's document.
#pragma once

#include "blob.hpp"

#include <dendraxis/page/page.hpp>

#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace dendraxis::page::detail {

inline Json quat_json(const Quat& rotation) {
    return {rotation.x(), rotation.y(), rotation.z(), rotation.w()};
}

/// One character: bones, chains, meshes, the way to its upright frame.
Json actor_part(const Actor& actor, Blob& blob);

/// Where the bones of an actor, which plays the clip as number `index`, are in each frame, in model space,
/// and where its floor is.
Json track_part(const Actor& actor, const ShownClip& shown, std::size_t index, Blob& blob);

/// What is plotted over a clip's frames, and the frames in which feet stand.
struct Plots {
    Json plots = Json::array();
    Json contacts = Json::array();
};
Plots plots_part(const Page& page, const ShownClip& clip, Blob& blob);

/// Joints that have a range: the range in degrees, and what a script needs to measure the angles of a pose.
Json joints_part(const Actor& actor);

/// How far, in degrees, the worst joint of each frame is beyond its range; empty without ranges.
std::vector<float> beyond_ranges(const Actor& actor, const Clip& clip);

/// The joints that go beyond their range in a clip: when, how far at most, and in which frame that is.
Json beyond_part(const Actor& actor, const Clip& clip);

/// One clip: its tracks, measures and plots.
Json clip_part(const Page& page, const ShownClip& clip, Blob& blob);

/// All of a page.
Json document_of(const Page& page, Blob& blob);

/// The page with this document.
std::string html_with(const Page& page, const Json& document, const Blob& blob);

/// Measures with their gates and what is over them.
Json measures_part(const std::vector<JudgedMeasure>& measures);

/// The files under page/, joined: the page and the overview but for their data.
std::string_view page_template();
std::string_view overview_template();

/// A text with these marks replaced, which stand in it in this order.
std::string filled(std::string_view text, const std::vector<std::pair<std::string_view, std::string>>& parts);

/// A document so that no text in it ends the script that holds it (HTML standard, section 4.12.1.3).
std::string safe_in_script(const Json& document);
std::string safe_in_html(const std::string& text);

}  // namespace dendraxis::page::detail
