#include <dendraxis/base/error.hpp>
#include <dendraxis/base/nearest_name.hpp>
#include <dendraxis/retarget/cast.hpp>
#include <dendraxis/skeleton/blend.hpp>
#include <dendraxis/skeleton/pose.hpp>

#include <algorithm>
#include <utility>

namespace dendraxis {
namespace {

constexpr std::uint32_t k_places = 1u << 16;  // a handle: the place, and above it the round

float eased_share(float t) {
    t = std::clamp(t, 0.0f, 1.0f);
    return t * t * (3.0f - 2.0f * t);
}

}  // namespace

Cast::Cast(std::vector<CastBody> bodies, std::size_t most_members) {
    if (bodies.empty()) throw Error("cast", "has no bodies", "", "name at least one");
    if (most_members == 0 || most_members >= k_places)
        throw Error("cast", "must have room for 1 to 65535 members");
    source_bones_ = bodies.front().pairing.source.skeleton.size();
    for (CastBody& one : bodies) {
        if (std::find(ids_.begin(), ids_.end(), one.id) != ids_.end())
            throw Error("cast", "two bodies have the id '" + one.id + "'", "", "give each an id of its own");
        const Body& body = bodies_.emplace_back(compiled(one.pairing));
        most_bones_ = std::max(most_bones_, body.pose.size());
        ids_.push_back(std::move(one.id));
    }
    members_.resize(most_members);
    for (std::size_t place = most_members; place-- > 0;) free_.push_back(place);
    wanted_.reserve(bodies_.size());
    blends_.resize(most_members * most_bones_);
}

Cast::Body Cast::compiled(const Pairing& pairing) const {
    if (pairing.source.skeleton.size() != source_bones_)
        throw Error("cast", "the body '" + pairing.target.character + "' is paired with another source", "",
                    "pair all bodies with one source");
    Body body;
    body.transfer = std::make_unique<Transfer>(pairing);
    body.pose = rest_pose(pairing.target.skeleton);
    // Until the first frame it stands as the source does at rest.
    body.transfer->apply(rest_pose(pairing.source.skeleton), body.pose, body.workspace);
    return body;
}

void Cast::replace(std::size_t body, const Pairing& pairing) {
    if (body >= bodies_.size()) throw Error("cast", "has no body " + std::to_string(body));
    Body made = compiled(pairing);
    if (made.pose.size() > most_bones_) {
        // Each place for a blend grows; what blends goes on from where it is.
        std::vector<Transform> blends(members_.size() * made.pose.size());
        for (std::size_t place = 0; place < members_.size(); ++place)
            std::copy_n(blends_.begin() + static_cast<std::ptrdiff_t>(place * most_bones_), most_bones_,
                        blends.begin() + static_cast<std::ptrdiff_t>(place * made.pose.size()));
        blends_ = std::move(blends);
        most_bones_ = made.pose.size();
    }
    made.members = bodies_[body].members;
    bodies_[body] = std::move(made);
    for (Member& member : members_) {
        if (member.body == body) member.left = 0.0f;
    }
}

std::size_t Cast::body(std::string_view id) const {
    const auto found = std::find(ids_.begin(), ids_.end(), id);
    if (found != ids_.end()) return static_cast<std::size_t>(found - ids_.begin());
    throw Error(ErrorCode::unknown_name, "cast", "has no body '" + std::string(id) + "'", "",
                did_you_mean(id, ids_, "it has '" + ids_.front() + "'"));
}

const Cast::Member* Cast::find(CastMember handle) const noexcept {
    const auto number = static_cast<std::uint32_t>(handle);
    const std::size_t place = number % k_places;
    if (handle == CastMember::none || place >= members_.size()) return nullptr;
    const Member& member = members_[place];
    return member.plays && member.round % k_places == number / k_places ? &member : nullptr;
}

Cast::Member* Cast::find(CastMember handle) noexcept {
    return const_cast<Member*>(std::as_const(*this).find(handle));
}

CastMember Cast::add(std::size_t body) noexcept {
    if (free_.empty() || body >= bodies_.size()) return CastMember::none;
    const std::size_t place = free_.back();
    free_.pop_back();
    Member& member = members_[place];
    member = {body, member.round + 1, true};
    ++bodies_[body].members;
    ++playing_;
    return static_cast<CastMember>((member.round % k_places) * k_places + static_cast<std::uint32_t>(place));
}

void Cast::remove(CastMember handle) noexcept {
    Member* member = find(handle);
    if (member == nullptr) return;
    member->plays = false;
    --bodies_[member->body].members;
    --playing_;
    free_.push_back(static_cast<std::size_t>(member - members_.data()));
}

bool Cast::swap(CastMember handle, std::size_t body, float seconds) noexcept {
    Member* member = find(handle);
    if (member == nullptr || body >= bodies_.size()) return false;
    const std::span<const Transform> now = pose(handle);
    const bool blends = seconds > 0.0f && now.size() == bodies_[body].pose.size() && body != member->body;
    if (blends) {
        const std::span<Transform> kept = blended(static_cast<std::size_t>(member - members_.data()));
        if (now.data() != kept.data()) std::copy(now.begin(), now.end(), kept.begin());
    }
    member->left = member->whole = blends ? seconds : 0.0f;
    --bodies_[member->body].members;
    ++bodies_[body].members;
    member->body = body;
    return true;
}

void Cast::play(std::span<const Transform> source, float seconds) {
    play(source, seconds, [](std::size_t count, const std::function<void(std::size_t)>& work) {
        for (std::size_t i = 0; i < count; ++i) work(i);
    });
}

void Cast::play(std::span<const Transform> source, float seconds, const ForEach& for_each) {
    if (source.size() != source_bones_) return;
    wanted_.clear();
    for (std::size_t b = 0; b < bodies_.size(); ++b) {
        if (bodies_[b].members > 0) wanted_.push_back(b);
    }
    // One reference each, so that a function object holds them without memory of its own.
    const auto find_pose = [this, &source](std::size_t i) {
        Body& body = bodies_[wanted_[i]];
        body.transfer->apply(source, body.pose, body.workspace);
    };
    for_each(wanted_.size(), std::cref(find_pose));
    for (std::size_t m = 0; m < members_.size(); ++m) {
        if (members_[m].plays && members_[m].left > 0.0f) ease(m, seconds);
    }
}

// What was shown last comes nearer to what the body does, and is there when the time is over.
void Cast::ease(std::size_t place, float seconds) noexcept {
    Member& member = members_[place];
    const float before = eased_share(1.0f - member.left / member.whole);
    member.left = std::max(0.0f, member.left - std::max(0.0f, seconds));
    const float now = eased_share(1.0f - member.left / member.whole);
    const std::vector<Transform>& body = bodies_[member.body].pose;
    const float share = before < 1.0f ? (now - before) / (1.0f - before) : 1.0f;
    blend_poses(blended(place), body, share);
}

std::span<Transform> Cast::blended(std::size_t place) noexcept {
    const std::size_t bones = bodies_[members_[place].body].pose.size();
    return std::span(blends_).subspan(place * most_bones_, bones);
}

std::span<const Transform> Cast::pose(CastMember handle) const noexcept {
    const Member* member = find(handle);
    if (member == nullptr) return {};
    const std::vector<Transform>& pose = bodies_[member->body].pose;
    if (member->left <= 0.0f) return pose;
    const auto place = static_cast<std::size_t>(member - members_.data());
    return std::span(blends_).subspan(place * most_bones_, pose.size());
}

std::size_t Cast::body_of(CastMember handle) const noexcept {
    const Member* member = find(handle);
    return member == nullptr ? bodies_.size() : member->body;
}

}  // namespace dendraxis
