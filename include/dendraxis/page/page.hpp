// The page: one HTML file that needs no network, in which characters move and what was measured is shown.
#pragma once

#include <dendraxis/chart/pairing.hpp>
#include <dendraxis/page/outline.hpp>
#include <dendraxis/ragdoll/plan.hpp>
#include <dendraxis/review/review.hpp>
#include <dendraxis/skeleton/character.hpp>

#include <string>
#include <vector>

namespace dendraxis::page {

/// A character on the page. Its chart's floor is where it stands. Neither pointer is null.
struct Actor {
    const Character* character = nullptr;
    const Chart* chart = nullptr;
    std::string role;  ///< what people read beside its name: `source`, `result`; may be empty
    std::vector<Outline> outlines = {};
    const RagdollPlan* ragdoll = nullptr;  ///< whose joints' ranges count; null: those of the chart in force
};

/// What happens in a clip that people want to find: a window in which a volume is live, a touch, a thing that
/// changes its place.
struct ClipEvent {
    std::string words;
    float first = 0.0f;  ///< frames, with fractions
    float last = 0.0f;   ///< as `first` if it takes no time
};

/// A clip on the page. `played` has one clip for each of the page's actors; all have the same frames.
struct ShownClip {
    std::string name;
    std::vector<const Clip*> played;
    ClipReview review;       ///< without measures where nothing is compared
    bool is_stance = false;  ///< a pose that stands on its soles, whatever the floor of clips
    std::vector<ClipEvent> events = {};
};

/// The rest of a character, as a clip of one frame.
Clip rest_clip(const Skeleton& skeleton);

/// How source and target of a pairing stand, as clips of one frame: at rest, and where one is matched to the
/// other.
struct Stances {
    Clip source_rest;
    Clip target_rest;
    Clip source_matched;
    Clip target_matched;
};
Stances stances_of(const Pairing& pairing);

/// Both as shown clips, `both rests` and `matched stance`; they point into `stances`.
std::vector<ShownClip> shown_stances(const Stances& stances);

/// What a page shows. One actor, or two: a source and the result that is compared with it, or one character
/// before and after.
struct Page {
    std::string title;
    std::vector<Actor> actors;
    std::vector<ShownClip> clips;
    const Pairing* pairing = nullptr;  ///< of a source and its result; null for one character
    Findings findings = {};            ///< about the whole; what is over a gate comes from the reviews
    std::string made_by = {};          ///< the command that made the page; may be empty
    std::string live = {};  ///< of a page from a server: where its pairing is kept, `-` for nowhere
};

/// The page of a pairing's source and a result: reviewed clips, then the stances, which must outlive the
/// page.
Page review_page(const Pairing& pairing, const Character& source, const Character& result,
                 std::vector<ShownClip> clips, const Stances& stances);

/// The page as HTML: the library's own model matrices frame by frame, meshes, chains, measures, plots, and
/// the script that shows them. Bones stand within 0.05 mm of where the library puts them, for a
/// character 1.75 m tall. Throws `Error` if clips do not fit their actors or have different frames.
std::string html_of(const Page& page);

}  // namespace dendraxis::page
