// Which way a body faces, from feet, knees, elbows, the head and what sits on it; then which branch is left
// and which right. All are votes with weights; names and the format's own axes are among them.
#include "facing.hpp"

#include <dendraxis/base/rotation.hpp>

#include <algorithm>
#include <cmath>

namespace dendraxis::detail {
namespace {

constexpr float k_snap = 25.0f / k_degrees;
constexpr float k_low = 0.11f;         // of the body's height: what is lower belongs to the foot
constexpr float k_low_of_leg = 0.35f;  // or of where the leg begins, on a body of short legs

Vec3 without(const Vec3& vector, const Vec3& unit) {
    return vector - unit * unit.dot(vector);
}

Vec3 snapped(const Vec3& direction) {
    for (int axis = 0; axis < 3; ++axis) {
        Vec3 unit = Vec3::Unit(axis) * (direction[axis] < 0.0f ? -1.0f : 1.0f);
        if (unit.dot(direction) > std::cos(k_snap)) return unit;
    }
    return direction;
}

class FacingVoter {
 public:
    FacingVoter(const Body& body, const Reading& reading, const Vec3& forward)
        : body_(body), reading_(reading), forward_(forward) {}

    float by_shape() const {
        float vote = 0.0f;
        for (std::size_t i = 0; i < body_.branches.size(); ++i) {
            if (reading_.roles[i] == Role::leg) vote += by_leg(body_.branches[i]);
            if (reading_.roles[i] == Role::arm) vote += by_arm(body_.branches[i]);
        }
        return vote + by_trunk() + by_face();
    }

    float by_names() const {
        const Vec3 left = body_.up.cross(forward_);
        float vote = 0.0f;
        float all = 0.0f;
        for (const Branch& branch : body_.branches) {
            if (branch.partner == -1) continue;
            const Branch& other = body_.branches[static_cast<std::size_t>(branch.partner)];
            const int said = said_side(body_, branch);
            if (said == 0) continue;
            const Vec3 across =
                0.5f * (branch.tip + body_.at(branch.path.back()) - other.tip - body_.at(other.path.back()));
            if (std::abs(across.dot(left)) < 0.01f * body_.size) continue;
            const float weight = branch.length + 0.02f * body_.size;
            vote += (said > 0) == (across.dot(left) > 0.0f) ? weight : -weight;
            all += weight;
        }
        return all > 0.0f ? vote / all : 0.0f;
    }

 private:
    float by_leg(const Branch& leg) const {
        if (leg.path.size() < 2) return 0.0f;
        float vote = 0.0f;
        // Feet point forward: from where the leg comes down to where it ends.
        std::size_t ankle = leg.path.size() - 1;
        const float low = std::min(k_low, k_low_of_leg * body_.height(body_.at(leg.path.front())));
        while (ankle > 1 && body_.height(body_.at(leg.path[ankle - 1])) < low) --ankle;
        const Vec3 foot = leg.tip - body_.at(leg.path[ankle]);
        const bool seen =
            ankle + 1 < leg.path.size() || body_.tip_known[static_cast<std::size_t>(leg.path.back())] != 0;
        if (seen) vote += 3.0f * std::clamp(foot.dot(forward_) / (0.05f * leg.length), -1.0f, 1.0f);
        // Knees stand before the line from hip to ankle, on two legs; on four the fore knees bend either way.
        if (reading_.legs.size() > 1) return 0.2f * vote;
        std::size_t hip = 0;
        while (hip + 2 < ankle && body_.distance(leg.path[hip], leg.path[hip + 1]) < 0.12f * leg.length)
            ++hip;
        if (hip + 2 > leg.path.size() - 1) return vote;
        const Vec3 knee = body_.at(leg.path[hip + 1]) - body_.at(leg.path[hip]);
        const Vec3 line = (body_.at(leg.path[hip + 2]) - body_.at(leg.path[hip])).normalized();
        return vote +
               0.4f * std::clamp(without(knee, line).dot(forward_) / (0.02f * leg.length), -1.0f, 1.0f);
    }

    float by_arm(const Branch& arm) const {
        float vote = 0.0f;
        for (std::size_t i = 1; i + 1 < arm.path.size() && i < 4; ++i) {
            const Vec3 from = body_.at(arm.path[i - 1]);
            const Vec3 bend = body_.at(arm.path[i]) - from;
            const Vec3 line = body_.at(arm.path[i + 1]) - from;
            if (line.norm() < 0.01f * body_.size) continue;
            vote -= 0.1f * std::clamp(without(bend, line.normalized()).dot(forward_) / (0.01f * arm.length),
                                      -1.0f, 1.0f);
        }
        return vote;
    }

    // A body on four legs leads from the hind legs to the head; on two, a head far before the hips still
    // tells.
    float by_trunk() const {
        if (reading_.legs.empty() || reading_.head_end == k_no_bone) return 0.0f;
        const Vec3 head = body_.end(reading_.head_end);
        const auto start = [&](int branch) {
            return body_.at(body_.branches[static_cast<std::size_t>(branch)].path.front());
        };
        const Vec3 hind = start(reading_.legs.front());
        if (reading_.legs.size() > 1) {
            const float lead = (start(reading_.legs.back()) - hind).dot(forward_);
            return 6.0f * std::clamp(lead / (0.1f * body_.size), -1.0f, 1.0f);
        }
        const float lead = (head - hind).dot(forward_);
        const float head_vote = std::abs(lead) > 0.12f * body_.size
                                    ? 3.0f * std::clamp(lead / (0.3f * body_.size), -1.0f, 1.0f)
                                    : 0.0f;
        return head_vote + by_tail(hind);
    }

    // What leads away level from where the legs begin, and is not the head, is a tail.
    float by_tail(const Vec3& hind) const {
        float vote = 0.0f;
        for (const int end : trunk_ends(body_)) {
            const Vec3 path = body_.end(end) - hind;
            if (end == reading_.head_end || path.norm() < 0.15f * body_.size ||
                std::abs(path.dot(body_.up)) > 0.6f * path.norm())
                continue;
            const std::vector<int> row = path_between(body_, reading_.hind, end);
            const bool from_hips = std::find(row.begin(), row.end(), reading_.fore) == row.end() ||
                                   reading_.fore == reading_.hind;
            if (from_hips) vote -= 1.0f * std::clamp(path.dot(forward_) / (0.15f * body_.size), -1.0f, 1.0f);
        }
        return std::clamp(vote, -1.5f, 1.5f);
    }

    // What sits in small pairs on the head (eyes), and its flesh, lie before its joint.
    float by_face() const {
        if (reading_.head_end == k_no_bone || !body_.has_skin) return 0.0f;
        float vote = 0.0f;
        int heavy = reading_.head_end;
        const int from = reading_.fore != k_no_bone ? reading_.fore : reading_.hind;
        for (const int bone : path_between(body_, from, reading_.head_end)) {
            if (bone != from && body_.mass_of(bone) > body_.mass_of(heavy)) heavy = bone;
        }
        const Vec3 flesh = body_.middle[static_cast<std::size_t>(heavy)];
        vote +=
            0.6f * std::clamp((flesh - body_.at(heavy)).dot(forward_) / (0.04f * body_.size), -1.0f, 1.0f);
        for (const Branch& branch : body_.branches) {
            if (branch.holder != heavy || branch.partner == -1 || branch.length > 0.06f * body_.size)
                continue;
            const Vec3 path = body_.at(branch.path.front()) - flesh;
            vote += 0.4f * std::clamp(path.dot(forward_) / (0.02f * body_.size), -1.0f, 1.0f);
        }
        return vote;
    }

    const Body& body_;
    const Reading& reading_;
    Vec3 forward_;
};

void name_sides(Body& body) {
    const Vec3 left = body.up.cross(body.facing);
    for (Branch& branch : body.branches) {
        const auto sideways = [&](const Branch& b) {
            return 0.5f * (b.tip + body.at(b.path.front())).dot(left);
        };
        const int said = said_side(body, branch);
        if (branch.partner == -1) {
            const float off = sideways(branch) - body.middle_plane * body.lateral.dot(left);
            branch.side = std::abs(off) < 0.01f * body.size && said != 0
                              ? (said > 0 ? Side::left : Side::right)
                          : off > 0.0f ? Side::left
                                       : Side::right;
            continue;
        }
        const Branch& other = body.branches[static_cast<std::size_t>(branch.partner)];
        const float across = sideways(branch) - sideways(other);
        if (std::abs(across) > 0.01f * body.size)
            branch.side = across > 0.0f ? Side::left : Side::right;
        else if (said != 0)
            branch.side = said > 0 ? Side::left : Side::right;
        else
            branch.side = &branch < &other ? Side::left : Side::right;
    }
}

}  // namespace

std::vector<Vec3> up_directions(const Body& body) {
    std::vector<Vec3> directions;
    for (int axis = 0; axis < 3; ++axis) {
        for (const float sign : {1.0f, -1.0f}) {
            const Vec3 up = sign * Vec3::Unit(axis);
            if (std::abs(up.dot(body.lateral)) < 0.5f) directions.push_back(up);
        }
    }
    return directions;
}

void stand_up(Body& body, const Vec3& up) {
    body.up = up;
    body.low = 1e30f;
    body.high = -1e30f;
    for (int bone = 0; bone < static_cast<int>(body.count()); ++bone) {
        if (!body.lives(bone) || (body.has_skin && body.mass_of(bone) <= 0.0f)) continue;
        // Without skin a root may as well stand on the floor, with the feet ending above it: it does not
        // count.
        if (!body.has_skin && body.hangs_on(bone) == k_no_bone && !body.branches.empty()) continue;
        const bool ends = body.hanging(bone).empty();
        for (const Vec3& point : {body.at(bone), ends ? body.end(bone) : body.at(bone)}) {
            body.low = std::min(body.low, point.dot(up));
            body.high = std::max(body.high, point.dot(up));
        }
    }
}

void find_facing(Body& body, const Reading& reading, Chart& chart) {
    Vec3 axis = body.lateral.isZero() ? Vec3(std::abs(body.up.z()) > 0.5f ? Vec3::UnitY() : Vec3::UnitZ())
                                      : Vec3(body.lateral.cross(body.up));
    axis = snapped(without(axis, body.up).normalized());
    const FacingVoter voter(body, reading, axis);
    const float shape = voter.by_shape();
    const float named = voter.by_names();
    // glTF's characters face +Z; data with Z up most often -Y.
    const Vec3 usual = std::abs(body.up.z()) > 0.5f ? Vec3(-Vec3::UnitY()) : Vec3(Vec3::UnitZ());
    const float sum = shape + 1.5f * named + 0.3f * axis.dot(usual) + 0.01f;
    const float toward = sum >= 0.0f ? 1.0f : -1.0f;
    body.facing = without(toward * axis, body.up).normalized();
    name_sides(body);
    if (named * toward < -0.4f) {
        chart.findings.push_back({Severity::warning, "chart.sides-swapped", chart.character,
                                  "the names' left and right are the wrong way around for where the feet and "
                                  "head point; the shape was believed",
                                  "rename them, or set the chains' bones in the sheet"});
    }
    if (body.lateral.isZero() || (std::abs(shape) < 0.5f && std::abs(named) < 0.3f)) {
        chart.findings.push_back({Severity::warning, "chart.facing-unknown", chart.character,
                                  "nothing tells which way it faces; the file's usual axis is taken",
                                  "check left and right in the chart"});
    }
}

}  // namespace dendraxis::detail
