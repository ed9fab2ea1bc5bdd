// Own method: the skin and the piece are compared along lines that leave the middle of the part of the body
// (piece_shell.hpp), in coordinates in which that part is straight (body_part.hpp).
#include <dendraxis/base/rotation.hpp>
#include <dendraxis/equip/fit_piece.hpp>

#include "piece_skin.hpp"

#include <dendraxis/base/error.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dendraxis {
namespace {

using detail::body_part;
using detail::BodyPart;
using detail::PiecePlace;
using detail::PieceShell;
using detail::PieceSkin;
using detail::PlacedPiece;
using detail::ShellAround;

constexpr float k_longest = 0.9f;     // of its part, that a piece may cover
constexpr float k_squeeze = 0.7f;     // of its length in proportion: shorter than that it is not made
constexpr float k_uneven = 1.2f;      // how unevenly it may be sized across
constexpr float k_through = 0.005f;   // of the covered, at rest: grown or moved until no more pokes through
constexpr float k_all_around = 0.7f;  // of all directions, that a sleeve is met in
constexpr float k_most_growth = 1.6f;
constexpr int k_directions = 32;
constexpr int k_rings = 7;

float median(std::vector<float>& list) {
    const auto middle = list.begin() + static_cast<std::ptrdiff_t>(list.size() / 2);
    std::nth_element(list.begin(), middle, list.end());
    return *middle;
}

class Fitter {
 public:
    Fitter(const Prop& piece, const BodyPart& part, const PieceSkin& skin, const PieceOptions& options)
        : part_(part),
          skin_(skin),
          options_(options),
          shell_(piece, part.axis, options.mirrored),
          i_((part.axis + 1) % 3),
          j_((part.axis + 2) % 3) {}

    PiecePlace fit() {
        const Vec3 box = 0.5f * (shell_.low() + shell_.high());
        if (shell_.is_open_along(box) && met(box) >= k_all_around) {
            sleeve(box);
        } else if (met(Vec3::Zero()) >= k_all_around) {
            sleeve(Vec3::Zero());
        } else {
            plate();
        }
        return place_;
    }

    const PieceShell& shell() const { return shell_; }

 private:
    Vec3 direction(int d) const {
        const float angle = 2.0f * k_pi * static_cast<float>(d) / k_directions;
        return std::cos(angle) * Vec3::Unit(i_) + std::sin(angle) * Vec3::Unit(j_);
    }

    // The ring's position on a line along the axis through `through`.
    Vec3 ring(const Vec3& through, int r) const {
        Vec3 at = through;
        const float share = (static_cast<float>(r) + 0.5f) / k_rings;
        at[part_.axis] =
            shell_.low()[part_.axis] + share * (shell_.high()[part_.axis] - shell_.low()[part_.axis]);
        return at;
    }

    // In how many of all directions the piece is met from this line.
    float met(const Vec3& through) const {
        const ShellAround around(shell_, through);
        int hits = 0;
        for (int r = 0; r < k_rings; ++r) {
            for (int d = 0; d < k_directions; ++d) {
                hits += around.crossings(ring(through, r) + direction(d)) ? 1 : 0;
            }
        }
        return static_cast<float>(hits) / (k_rings * k_directions);
    }

    // How far its inside is from the line in a direction, the median; 0 where it is not met.
    float inside(const Vec3& through, const Vec3& direction) const {
        const ShellAround around(shell_, through);
        std::vector<float> distances;
        for (int r = 0; r < k_rings; ++r) {
            if (const auto found = around.crossings(ring(through, r) + direction))
                distances.push_back(found->first);
        }
        return distances.empty() ? 0.0f : median(distances);
    }

    float own_length() const { return shell_.high()[part_.axis] - shell_.low()[part_.axis]; }

    // Its length goes with its girth; within reason it is squeezed to stay on its part. One that is longer
    // begins where the part does and goes on beyond its end.
    void lay_along(float girth) {
        const float most = std::max(k_squeeze * girth, k_longest * part_.length / own_length());
        const float along = std::min(girth, most);
        place_.scale[part_.axis] = along;
        const float share = along * own_length() / part_.length;
        const float middle = share > 1.0f ? 0.5f * (1.0f - k_longest) + 0.5f * share : options_.middle;
        from_ = middle - 0.5f * share;
        to_ = middle + 0.5f * share;
        const float own_middle = 0.5f * (shell_.low()[part_.axis] + shell_.high()[part_.axis]);
        place_.offset[part_.axis] = part_.direction * middle * part_.length - along * own_middle;
    }

    std::vector<Vec3> skin_below() const {
        std::vector<Vec3> places;
        for (const PieceSkin::Point& point : skin_.points) {
            const float share = part_.share(point.place);
            if (point.own && share >= from_ && share <= to_) places.push_back(point.place);
        }
        if (places.size() < 6)
            throw Error(part_.name, "has no skin where the piece lies", "",
                        "move it along the part (at=0.4), or name another part");
        return places;
    }

    // Sized to what it goes around, then grown until nothing pokes through.
    void sleeve(const Vec3& through) {
        const float own_i = 0.5f * (inside(through, Vec3::Unit(i_)) + inside(through, -Vec3::Unit(i_)));
        const float own_j = 0.5f * (inside(through, Vec3::Unit(j_)) + inside(through, -Vec3::Unit(j_)));
        float girth = part_.length * k_longest / own_length();
        Vec3 center = Vec3::Zero();
        Vec3 scale = Vec3::Ones();
        for (int pass = 0; pass < 3; ++pass) {
            lay_along(girth);
            const std::vector<Vec3> places = skin_below();
            for (const auto& [axis, own] : {std::pair(i_, own_i), {j_, own_j}}) {
                std::vector<float> values;
                for (const Vec3& place : places) values.push_back(place[axis]);
                std::sort(values.begin(), values.end());
                const float low = values[values.size() / 50];
                const float high = values[values.size() - 1 - values.size() / 50];
                center[axis] = 0.5f * (low + high);
                scale[axis] = (0.5f * (high - low) + options_.clearance) / std::max(1e-6f, own);
            }
            girth = std::sqrt(scale[i_] * scale[j_]);
        }
        for (float grown = 1.0f; grown < k_most_growth; grown *= 1.02f) {
            for (const int axis : {i_, j_}) {
                place_.scale[axis] = grown * std::clamp(scale[axis], girth / k_uneven, girth * k_uneven);
                place_.offset[axis] = center[axis] - place_.scale[axis] * through[axis];
            }
            if (skin_.gaps(part_, PlacedPiece(shell_, place_), options_.clearance).through <= k_through)
                break;
        }
        // What was asked for on top is not grown away again.
        for (const int axis : {i_, j_}) {
            place_.scale[axis] *= options_.scale;
            place_.offset[axis] = center[axis] - place_.scale[axis] * through[axis];
        }
    }

    // Sized to how far it stands off from its middle line, then moved in until its inside meets the skin or
    // something would poke through.
    void plate() {
        Vec3 direction = shell_.middle();
        direction[part_.axis] = 0.0f;
        const Vec3 size = shell_.high() - shell_.low();
        if (direction.norm() < 0.02f * size.maxCoeff()) direction = Vec3::Unit(part_.axis == 2 ? 1 : 2);
        direction.normalize();
        const Vec3 across = Vec3::Unit(part_.axis).cross(direction);
        const float width = across.cwiseAbs().dot(size);
        lay_along(part_.length * k_longest / own_length());
        std::vector<float> off;
        std::vector<float> sideways;
        for (const Vec3& place : skin_below()) {
            const Vec3 out = place - part_.on_axis(place);
            if (out.normalized().dot(direction) > 0.75f) off.push_back(out.norm());
            sideways.push_back(2.0f * std::abs(across.dot(out)));
        }
        const float skin_width = *std::max_element(sideways.begin(), sideways.end());
        const float skin_off = off.empty() ? 0.5f * skin_width : median(off);
        const float own_off = inside(Vec3::Zero(), direction);
        const float girth = own_off > 0.2f * width ? skin_off / own_off : std::min(1.0f, skin_width / width);
        place_.scale = Vec3::Constant(options_.scale * girth);
        lay_along(options_.scale * girth);
        slide_in(direction, skin_off + 0.5f * width * girth);
    }

    // In coarse steps, then in fine ones from the last that was good.
    void slide_in(const Vec3& direction, float reach) {
        const Vec3 middle = place_.offset;
        float best = reach;
        for (const float step : {0.05f * reach, 0.002f * reach}) {
            const float from = best;
            for (float t = from; t > -reach; t -= step) {
                place_.offset = middle + t * direction;
                const PieceSkin::Gaps gaps =
                    skin_.gaps(part_, PlacedPiece(shell_, place_), options_.clearance);
                if (gaps.covered == 0) continue;
                if (gaps.inside < 0.0f || gaps.through > k_through) break;
                best = t;
            }
        }
        place_.offset = middle + best * direction;
    }

    const BodyPart& part_;
    const PieceSkin& skin_;
    const PieceOptions& options_;
    PieceShell shell_;
    int i_;
    int j_;
    float from_ = 0.0f;  // shares of the part between which it lies
    float to_ = 1.0f;
    PiecePlace place_;
};

// The bone of the part that moves most of what is covered.
int welded_to(const BodyPart& part, const Skeleton& skeleton, const PieceSkin& skin,
              const std::vector<std::size_t>& covered) {
    std::vector<std::size_t> counts(part.bones.size(), 0);
    for (const std::size_t point : covered) {
        for (int bone = skin.points[point].bone; bone != k_no_bone; bone = skeleton.parent(bone)) {
            const auto found = std::find(part.bones.begin(), part.bones.end(), bone);
            if (found == part.bones.end()) continue;
            ++counts[static_cast<std::size_t>(found - part.bones.begin())];
            break;
        }
    }
    return part
        .bones[static_cast<std::size_t>(std::max_element(counts.begin(), counts.end()) - counts.begin())];
}

void note_other_parts(const PieceSkin& skin, const std::vector<std::size_t>& covered, const Chart& chart,
                      FittedPiece& fitted) {
    const std::vector<std::string> names = parts_of_body(chart);
    std::vector<std::size_t> counts(names.size(), 0);
    for (const std::size_t point : covered) {
        if (!skin.points[point].own && skin.points[point].part >= 0)
            ++counts[static_cast<std::size_t>(skin.points[point].part)];
    }
    const auto most = std::max_element(counts.begin(), counts.end());
    if (most == counts.end() || *most == 0) return;
    fitted.also_covers = names[static_cast<std::size_t>(most - counts.begin())];
    fitted.also_share = static_cast<float>(*most) / static_cast<float>(covered.size());
}

}  // namespace

FittedPiece fit_piece(const Prop& piece, const std::string& part_name, const Character& character,
                      const Chart& chart, const PieceOptions& options) {
    if (!(options.scale > 0.0f) || !std::isfinite(options.scale) || !std::isfinite(options.middle))
        throw Error(piece.name, fmt::format("cannot be scaled by {:g}", options.scale), "",
                    "give a scale above 0");
    const BodyPart part = body_part(part_name, character, chart);
    const PieceSkin skin(part, character, chart);
    Fitter fitter(piece, part, skin, options);
    const PiecePlace place = fitter.fit();
    const PlacedPiece placed(fitter.shell(), place);
    const std::vector<std::size_t> covered = skin.covered(placed);
    if (covered.empty())
        throw Error(piece.name, "covers nothing of '" + part_name + "'", "",
                    "a piece is modeled with its part of the body running through its origin");

    FittedPiece fitted;
    fitted.part = part_name;
    std::size_t through = 0;
    for (const std::size_t point : covered) {
        fitted.covered.push_back(skin.points[point].spot);
        const auto met = placed.crossings(skin.points[point].place);
        through += met->last < 1.0f ? 1 : 0;
    }
    fitted.through_at_rest = static_cast<float>(through) / static_cast<float>(covered.size());
    note_other_parts(skin, covered, chart, fitted);
    fitted.fit.grip.clear();
    fitted.fit.mirrored = options.mirrored;
    fitted.fit.stretch = place.scale;
    // A prop is mirrored front to back; half a turn about up makes that left to right.
    const Quat half_turn = options.mirrored ? Quat(Eigen::AngleAxisf(k_pi, Vec3::UnitY())) : Quat::Identity();
    fitted.socket.name = "on " + part_name;
    fitted.socket.kind = SocketKind::worn;
    fitted.socket.bone = welded_to(part, chart.skeleton, skin, covered);
    const Vec3 bone_head =
        chart.to_upright() *
        rest_in_model_space(chart.skeleton)[static_cast<std::size_t>(fitted.socket.bone)].translation;
    fitted.socket.at = part.head + part.turn * place.offset - bone_head;
    fitted.socket.turn = (part.turn * half_turn).normalized();
    return fitted;
}

}  // namespace dendraxis
