// Guards for arms and legs, modeled once, fitted to whoever comes: sized to each limb, mirrored for the right
// side, and measured over the clips. Usage: 11_guards_that_fit CHARACTER...
#include <dendraxis/base/error.hpp>
#include <dendraxis/equip/fit_piece.hpp>
#include <dendraxis/io/gltf/gltf.hpp>
#include <dendraxis/io/props/props.hpp>

#include <fmt/core.h>

namespace dx = dendraxis;

int main(int count, char** words) {
    if (count < 2) {
        fmt::print(stderr, "usage: {} CHARACTER...\n", words[0]);
        return 2;
    }
    try {
        for (int i = 1; i < count; ++i) {
            const dx::Character character = dx::io::load_character(words[i]);
            const dx::Chart chart = dx::chart(character);
            fmt::print("{}\n", character.name);
            for (const char* limb : {"upper-arm", "forearm", "thigh", "shin"}) {
                const dx::Prop guard =
                    dx::io::load_piece(DENDRAXIS_DEMO_FOLDER "/guards.glb", std::string(limb) + ".left");
                for (const char* side : {".left", ".right"}) {
                    dx::PieceOptions options;
                    options.mirrored = side == std::string(".right");
                    const dx::FittedPiece fitted =
                        dx::fit_piece(guard, std::string(limb) + side, character, chart, options);
                    std::vector<dx::PieceInClip> clips;
                    float worst = 0.0f;
                    for (const dx::Clip& clip : character.clips) {
                        clips.push_back(dx::piece_in_clip(guard, fitted, character, chart, clip));
                        worst = std::max(worst, clips.back().through);
                    }
                    const dx::Vec3& size = fitted.fit.stretch;
                    fmt::print(
                        "  {:<16} on {:<14} sized {:.2f} {:.2f} {:.2f}; through {:.1f} % at rest, "
                        "{:.1f} % in its worst clip\n",
                        fitted.part, chart.skeleton.bone(fitted.socket.bone).label, size.x(), size.y(),
                        size.z(), 100.0f * fitted.through_at_rest, 100.0f * worst);
                    for (const dx::Finding& finding : dx::check_piece(guard, fitted, clips))
                        fmt::print("    {}: {}; {}\n", finding.code, finding.message, finding.advice);
                }
            }
        }
        return 0;
    } catch (const dx::Error& problem) {
        fmt::print(stderr, "11_guards_that_fit: {}\n", problem.what());
        return 3;
    }
}
