// One thing and several places to carry it: in the hand, at the belt, on the back.
#pragma once

#include <dendraxis/equip/prop.hpp>

#include <span>
#include <vector>

namespace dendraxis {

/// A socket and how the thing lies in it (`placement_of`).
struct CarryPlace {
    std::size_t socket = 0;  ///< of the binding
    Transform placement;
};

/// From `frame` on the thing is in another place. It gets there at once, or glides there in `over` frames
/// from where the place before would have it, starting and ending gently: then nothing jumps.
struct CarrySwitch {
    float frame = 0.0f;
    std::size_t place = 0;
    float over = 0.0f;
};

/// Where a thing is carried through a clip. Immutable; shared by threads.
class CarryPlan {
 public:
    /// It starts in the first place. Throws `Error` where there is no place, a switch names none, or one
    /// starts before the one before it has ended.
    CarryPlan(std::vector<CarryPlace> places, std::vector<CarrySwitch> switches);

    struct Now {
        std::size_t from = 0;  ///< place
        std::size_t to = 0;    ///< place; the same where it is at rest there
        float share = 1.0f;    ///< of the way
    };
    Now at(float frame) const noexcept;

    /// Where the thing's own space is in a frame in which the bones stand at `model` (model space). Never
    /// allocates or throws.
    Transform frame(const SocketBinding& sockets, float frame,
                    std::span<const Transform> model) const noexcept;

    std::span<const CarryPlace> places() const noexcept { return places_; }
    std::span<const CarrySwitch> switches() const noexcept { return switches_; }

 private:
    std::vector<CarryPlace> places_;
    std::vector<CarrySwitch> switches_;
};

/// How far the thing jumps at a switch in a clip, metres: 0 where it glides.
float jump_of(const CarryPlan& plan, std::size_t change, const SocketBinding& sockets,
              const Skeleton& skeleton, const Clip& clip);

}  // namespace dendraxis
