// Up, from where limbs hang and what names say; facing, from feet, knees, elbows and the head. All are votes
// with weights; the file format's own axes are one vote among them.
#include "body.hpp"

#include <dendraxis/base/rotation.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace dendraxis {
namespace {

constexpr float k_snap = 25.0f / k_degrees;

Vec3 without(const Vec3& vector, const Vec3& unit) {
    return vector - unit * unit.dot(vector);
}

Vec3 snapped(const Vec3& direction) {
    for (int axis = 0; axis < 3; ++axis) {
        const Vec3 unit = Vec3::Unit(axis) * (direction[axis] < 0.0f ? -1.0f : 1.0f);
        if (unit.dot(direction) > std::cos(k_snap)) return unit;
    }
    return direction;
}

// Mean place of the bones that have one of these parts; false where there is none.
bool mean_of(const Body& body, std::initializer_list<Part> parts, Vec3& mean) {
    Vec3 sum = Vec3::Zero();
    int found = 0;
    for (int bone = 0; bone < static_cast<int>(body.count()); ++bone) {
        if (!body.lives(bone) || std::find(parts.begin(), parts.end(), body.name(bone).part) == parts.end())
            continue;
        sum += body.at(bone);
        ++found;
    }
    if (found > 0) mean = sum / static_cast<float>(found);
    return found > 0;
}

// What points up: against the way that the paired limbs hang, the long ones most.
Vec3 hanging_vote(const Body& body) {
    Vec3 vote = Vec3::Zero();
    for (const Limb& limb : body.limbs) {
        if (limb.partner == -1) continue;
        const Vec3 along = without(limb.tip - body.at(limb.path.front()), body.lateral);
        vote -= along * (limb.length / std::max(body.size, 1e-9f));
    }
    return vote / std::max(body.size, 1e-9f);
}

struct FacingVotes {
    float geometry = 0.0f;
    float prior = 0.0f;
};

void vote_by_legs(const Body& body, const Vec3& forward, FacingVotes& votes) {
    for (const Limb& limb : body.limbs) {
        if (limb.role != "leg" || limb.path.size() < 2) continue;
        const Vec3 hip = body.at(limb.path.front());
        // Feet point forward: from where the leg comes down to where it ends.
        std::size_t ankle = limb.path.size() - 1;
        while (ankle > 1 && body.height(body.at(limb.path[ankle - 1])) < 0.11f) --ankle;
        const Vec3 foot = limb.tip - body.at(limb.path[ankle]);
        const bool seen =
            ankle + 1 < limb.path.size() || body.tip_known[static_cast<std::size_t>(limb.path.back())] != 0;
        if (seen) votes.geometry += 3.0f * std::clamp(foot.dot(forward) / (0.05f * limb.length), -1.0f, 1.0f);
        // Knees stand before the line from hip to ankle, on two legs.
        if (limb.path.size() < 3) continue;
        const Vec3 knee = body.at(limb.path[1]) - hip;
        const Vec3 line = (body.at(limb.path[2]) - hip).normalized();
        votes.geometry +=
            0.4f * std::clamp(without(knee, line).dot(forward) / (0.02f * limb.length), -1.0f, 1.0f);
    }
}

void vote_by_trunk(const Body& body, const Vec3& forward, FacingVotes& votes) {
    // A trunk that lies (four legs) leads from the hind legs to the head, which stands above the tail.
    std::vector<const Limb*> legs;
    for (const Limb& limb : body.limbs) {
        if (limb.role == "leg") legs.push_back(&limb);
    }
    float first = 1e30f;
    float last = -1e30f;
    for (const Limb* leg : legs) {
        first = std::min(first, body.at(leg->path.front()).dot(forward));
        last = std::max(last, body.at(leg->path.front()).dot(forward));
    }
    if (!legs.empty() && last - first > 0.15f * body.size) {
        Vec3 head = Vec3::Zero();
        Vec3 middle = Vec3::Zero();
        for (const Limb* leg : legs) middle += body.at(leg->path.front()) / static_cast<float>(legs.size());
        float highest = -1e30f;
        for (const int bone : body.trunk) {
            // Small pairs (ears, eyes) sit on the head; else it is what reaches highest.
            const bool has_small_pair =
                std::any_of(body.limbs.begin(), body.limbs.end(), [&](const Limb& limb) {
                    return limb.holder == bone && limb.partner != -1 && limb.role != "leg" &&
                           limb.length < 0.3f * body.size;
                });
            const float score =
                body.height(body.tip[static_cast<std::size_t>(bone)]) + (has_small_pair ? 0.5f : 0.0f);
            if (score > highest) {
                highest = score;
                head = body.at(bone);
            }
        }
        votes.geometry += 6.0f * std::clamp((head - middle).dot(forward) / (0.1f * body.size), -1.0f, 1.0f);
    }
    // On two legs a head far before the hips still tells (birds).
    if (!legs.empty() && last - first <= 0.15f * body.size && !body.trunk.empty()) {
        const int highest = *std::max_element(body.trunk.begin(), body.trunk.end(), [&](int a, int b) {
            return body.at(a).dot(body.up) < body.at(b).dot(body.up);
        });
        const float lead =
            (body.at(highest) - body.at(legs.front()->holder == k_no_bone ? highest : legs.front()->holder))
                .dot(forward);
        if (std::abs(lead) > 0.12f * body.size)
            votes.geometry += 3.0f * std::clamp(lead / (0.3f * body.size), -1.0f, 1.0f);
    }
    for (const Limb& limb : body.limbs) {
        if (limb.role == "eye") {
            const Vec3 way = body.at(limb.path.front()) - body.at(limb.holder);
            votes.geometry += 1.0f * std::clamp(way.dot(forward) / (0.02f * body.size), -1.0f, 1.0f);
        }
        if (limb.role != "arm" || limb.path.size() < 3) continue;
        for (std::size_t i = 1; i + 1 < limb.path.size() && i < 4; ++i) {
            const Vec3 from = body.at(limb.path[i - 1]);
            const Vec3 bend = body.at(limb.path[i]) - from;
            const Vec3 line = (body.at(limb.path[i + 1]) - from).normalized();
            votes.geometry -=
                0.1f * std::clamp(without(bend, line).dot(forward) / (0.01f * limb.length), -1.0f, 1.0f);
        }
    }
}

float vote_by_names(const Body& body, const Vec3& forward) {
    const Vec3 left = body.up.cross(forward);
    float vote = 0.0f;
    for (const Limb& limb : body.limbs) {
        if (limb.partner == -1) continue;
        const Limb& other = body.limbs[static_cast<std::size_t>(limb.partner)];
        int said = 0;
        for (const int bone : limb.path)
            said += body.name(bone).side == Side::left ? 1 : body.name(bone).side == Side::right ? -1 : 0;
        if (said == 0) continue;
        const Vec3 across =
            0.5f * (limb.tip + body.at(limb.path.back()) - other.tip - body.at(other.path.back()));
        if (std::abs(across.dot(left)) < 0.01f * body.size) continue;
        vote += (said > 0) == (across.dot(left) > 0.0f) ? limb.length : -limb.length;
    }
    return std::clamp(vote / std::max(body.size, 1e-9f), -1.0f, 1.0f);
}

void name_sides(Body& body) {
    const Vec3 left = body.up.cross(body.facing);
    for (Limb& limb : body.limbs) {
        const auto sideways = [&](const Limb& l) {
            return 0.5f * (l.tip + body.at(l.path.front())).dot(left);
        };
        int said = 0;
        for (const int bone : limb.path)
            said += body.name(bone).side == Side::left ? 1 : body.name(bone).side == Side::right ? -1 : 0;
        if (limb.partner == -1) {
            limb.side = said > 0                ? Side::left
                        : said < 0              ? Side::right
                        : sideways(limb) > 0.0f ? Side::left
                                                : Side::right;
            continue;
        }
        const Limb& other = body.limbs[static_cast<std::size_t>(limb.partner)];
        const float across = sideways(limb) - sideways(other);
        if (std::abs(across) > 0.01f * body.size) {
            limb.side = across > 0.0f ? Side::left : Side::right;
        } else if (said != 0) {
            limb.side = said > 0 ? Side::left : Side::right;
        } else {
            limb.side = &limb < &other ? Side::left : Side::right;
        }
    }
}

}  // namespace

void find_up(Body& body) {
    const Vec3 hanging = hanging_vote(body);
    Vec3 named = Vec3::Zero();
    Vec3 top = Vec3::Zero();
    Vec3 bottom = Vec3::Zero();
    if (mean_of(body, {Part::head, Part::neck}, top) &&
        mean_of(body, {Part::foot, Part::toes, Part::hub}, bottom)) {
        named = without(top - bottom, body.lateral) / std::max(body.size, 1e-9f);
    }
    Vec3 best = Vec3::UnitY();
    float best_score = -1e30f;
    const Vec3 feeling = hanging + 0.7f * named;
    const auto propose = [&](const Vec3& up, float prior) {
        if (std::abs(up.dot(body.lateral)) > 0.5f) return;
        const float score = feeling.dot(up) + prior;
        if (score > best_score) {
            best_score = score;
            best = up;
        }
    };
    for (int axis = 0; axis < 3; ++axis) {
        propose(Vec3::Unit(axis), axis == 1 ? 0.12f : axis == 2 ? 0.05f : 0.0f);
        propose(-Vec3::Unit(axis), 0.0f);
    }
    if (feeling.norm() > 0.3f && feeling.normalized().dot(best) < std::cos(1.3f * k_snap))
        best = snapped(feeling.normalized());
    body.up = best;
    body.low = 1e30f;
    body.high = -1e30f;
    for (int bone = 0; bone < static_cast<int>(body.count()); ++bone) {
        if (!body.lives(bone)) continue;
        const bool ends = body.next(bone) == k_no_bone;
        for (const Vec3& point :
             {body.at(bone), ends ? body.tip[static_cast<std::size_t>(bone)] : body.at(bone)}) {
            body.low = std::min(body.low, point.dot(body.up));
            body.high = std::max(body.high, point.dot(body.up));
        }
    }
    if (!body.lateral.isZero()) body.lateral = without(body.lateral, body.up).normalized();
}

void find_facing(Body& body, Chart& chart) {
    Vec3 axis = body.lateral.isZero() ? Vec3(std::abs(body.up.z()) > 0.5f ? Vec3::UnitY() : Vec3::UnitZ())
                                      : Vec3(body.lateral.cross(body.up));
    axis = snapped(without(axis, body.up).normalized());
    FacingVotes votes;
    vote_by_legs(body, axis, votes);
    vote_by_trunk(body, axis, votes);
    const float named = vote_by_names(body, axis);
    // glTF's characters face +Z; data with Z up most often -Y.
    const Vec3 usual = std::abs(body.up.z()) > 0.5f ? Vec3(-Vec3::UnitY()) : Vec3(Vec3::UnitZ());
    const float prior = 0.6f * axis.dot(usual) + 0.01f;
    const float sum = votes.geometry + 1.5f * named + prior;
    body.facing = sum >= 0.0f ? axis : Vec3(-axis);
    body.facing = without(body.facing, body.up).normalized();
    body.facing_certainty = std::clamp(std::abs(votes.geometry) / 4.0f, 0.0f, 1.0f);
    name_sides(body);
    const float toward = sum >= 0.0f ? 1.0f : -1.0f;
    if (named * toward < -0.4f) {
        chart.findings.push_back({Severity::warning, "chart.sides-swapped", chart.character,
                                  "the names' left and right are the wrong way around for where the feet and "
                                  "head point; the shape was believed",
                                  "rename them, or set the chains' bones in the sheet"});
    }
    if (body.lateral.isZero() || (std::abs(votes.geometry) < 0.5f && std::abs(named) < 0.3f)) {
        chart.findings.push_back({Severity::warning, "chart.facing-unknown", chart.character,
                                  "nothing tells which way it faces; the file's usual axis is taken",
                                  "check left and right in the chart"});
    }
}

}  // namespace dendraxis
