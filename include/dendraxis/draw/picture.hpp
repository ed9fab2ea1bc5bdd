// Pictures of characters: the shaded surface half transparent over the bones, on a floor grid.
#pragma once

#include <dendraxis/chart/chart.hpp>
#include <dendraxis/ragdoll/plan.hpp>

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace dendraxis::draw {

/// Where the eye is, seen from the character: before it, before it to its left, beside it, behind it. What is
/// flat is always seen as it is drawn, or from behind.
enum class View { front, quarter, side, back };

/// Something that is brought to a position: a ring where it is, a cross where it is to be, a line between
/// them.
struct Mark {
    std::string label;
    Vec3 position = Vec3::Zero();  ///< in model space
    Vec3 target = Vec3::Zero();    ///< in model space
};

/// A socket: its name and its frame in model space.
struct SocketMark {
    std::string label;
    Transform frame;
};

/// One field of a picture: a character in a pose.
struct Panel {
    const Character* character = nullptr;
    const Chart* chart = nullptr;
    std::vector<Transform> pose;  ///< local; one a bone
    std::string title;
    std::string subtitle;
    View view = View::quarter;
    bool chart_labels = false;  ///< names the chains, with how sure they are, beside the bones
    bool ranges = false;        ///< a cone at each limb's joints: how far they may swing
    std::vector<Mark> marks{};
    const RagdollPlan* ragdoll =
        nullptr;  ///< its shapes take the place of the bones, its ranges of the chart's
    std::vector<std::string> marked_bodies{};  ///< those in the warning color
    float headroom = 0.0f;                     ///< metres above the figure that are to show too
    std::vector<SocketMark> sockets{};         ///< three short axes each: red X, green Y, blue Z
    const Character* terrain = nullptr;        ///< what it stands on, in the same model space
    std::optional<float> floor{};      ///< along the chart's up; where it stands at rest, if not given
    std::vector<SkinnedMesh> props{};  ///< in place of the character's, where a clip moves or switches them
};

struct PictureOptions {
    int width = 1280;    ///< pixels
    int height = 800;    ///< pixels
    bool plain = false;  ///< figures alone, each as large as fits: no ruler, letters and legend
    int columns = 0;     ///< of panels; 0: one row, or one column where long figures come out larger so
};

/// How far above its height at rest the highest bone of these panels is, metres: what `Panel::headroom` must
/// be for all of them to show.
float headroom_for(std::span<const Panel> panels);

/// Draws all panels to one scale (unless their sizes differ over four times) and returns a PNG. Bones are
/// colored by chain with the palette of M. Okabe and K. Ito, "Color Universal Design" (2008), which people
/// with any kind of color vision can tell apart. What is below the floor is marked. Throws `Error` for a
/// picture without panels or size.
std::vector<std::uint8_t> draw_png(std::span<const Panel> panels, const PictureOptions& options = {});

}  // namespace dendraxis::draw
