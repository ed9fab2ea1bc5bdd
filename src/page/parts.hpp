// The parts of a page's document.
#pragma once

#include "blob.hpp"

#include <dendraxis/page/page.hpp>

namespace dendraxis::page::detail {

/// One character: bones, chains, meshes, the way to its upright frame.
Json actor_part(const Actor& actor, Blob& blob);

/// Where the bones of an actor, which plays the clip as number `index`, are in each frame, in model space, and
/// where its floor is.
Json track_part(const Actor& actor, const ShownClip& shown, std::size_t index, Blob& blob);

/// What is plotted over a clip's frames, and the frames in which feet stand.
struct Plots {
    Json plots = Json::array();
    Json contacts = Json::array();
};
Plots plots_part(const Page& page, const ShownClip& clip, Blob& blob);

/// One clip: its tracks, measures and plots.
Json clip_part(const Page& page, const ShownClip& clip, Blob& blob);

/// All of a page.
Json document_of(const Page& page, Blob& blob);

/// The page with this document.
std::string html_with(const Page& page, const Json& document, const Blob& blob);

/// The files under page/, joined: the page but for its title and its data.
std::string_view page_template();

}  // namespace dendraxis::page::detail
