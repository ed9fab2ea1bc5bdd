// The body that swaying chains stay out of.
#pragma once

#include "sway_links.hpp"
#include "sway_program.hpp"

namespace dendraxis::detail {

/// The solids of the body, as the animation moves them, and the ground.
class SwayBody {
 public:
    explicit SwayBody(const SwayProgram& program);

    std::optional<SwayGround> ground;

    /// Where the solids are now that the bones stand at `world`; where they were is kept.
    void place(std::span<const Transform> world) noexcept;
    /// They were where they are.
    void start() noexcept { before_ = now_; }
    void teleport(const Quat& turn, const Vec3& from, const Vec3& to) noexcept;

    /// Chooses the solids that a row may meet, and how near its ends may come to each: as at rest, and as the
    /// animation has them as far as it moves the row itself. `ends`: of its links, as the animation has them.
    void choose(const SwayRow& row, std::span<const ShownLink> shown, const Vec3& head,
                std::span<const Vec3> ends) noexcept;

    /// The position nearby that is out of the chosen solids, at a share of the frame.
    Vec3 out_of(const Vec3& position, std::size_t link, float radius, float share) const noexcept;

 private:
    const SwayProgram& program_;
    std::vector<Capsule> now_;  // in the world
    std::vector<Capsule> before_;
    std::vector<float> grown_;  // their size, 1 at rest
    std::vector<float> sizes_;  // as far as they reach from their middles
    std::vector<std::size_t> near_;
    std::size_t near_count_ = 0;
    std::vector<float> gaps_;  // of the links of the row and the solids
};

}  // namespace dendraxis::detail
