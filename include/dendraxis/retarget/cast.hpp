// One source, many bodies: a cast whose members are exchanged while it plays.
#pragma once

#include <dendraxis/retarget/transfer.hpp>

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace dendraxis {

/// A body that members can have: the pairing of the cast's source with it.
struct CastBody {
    std::string id;
    Pairing pairing;
};

/// A member of a cast while it plays.
enum class CastMember : std::uint32_t { none = 0xffffffff };

/// Gives every pose of one source to all its members. All bodies are compiled beforehand and kept ready, so
/// that a member gets another one between two poses, whatever the others do. Members of one body have the
/// same pose, which is found once. Not for several threads at once, but `play` hands out work to as many as
/// wanted.
class Cast {
 public:
    /// Runs `work(i)` for every i below `count`, in any order, on any threads, and returns when all is done.
    using ForEach = std::function<void(std::size_t count, const std::function<void(std::size_t)>& work)>;

    /// Throws `Error` if there is no body, two have one id, one cannot be followed, or their sources differ
    /// in their number of bones. `most_members` can play at once.
    Cast(std::vector<CastBody> bodies, std::size_t most_members);

    /// The bodies' ids, in the order given; and the number of one in it. Throws `Error`, naming the nearest,
    /// if there is none of that id.
    std::span<const std::string> ids() const noexcept { return ids_; }
    std::size_t body(std::string_view id) const;

    /// Puts a body that was changed in the place of one: what its members play next is the new one's pose, at
    /// once; nothing changes for the others. Compiles and allocates, so not for the middle of a frame. Throws
    /// `Error`, and changes nothing, if it cannot be followed.
    void replace(std::size_t body, const Pairing& pairing);

    // Nothing below allocates.

    /// A member that has this body from the next pose on; `CastMember::none` if the cast is full.
    CastMember add(std::size_t body) noexcept;
    void remove(CastMember member) noexcept;

    /// Gives a member another body. What it plays next is that body's pose, and for `seconds` from its old
    /// pose over to it if both bodies have as many bones; else at once. False if there is no such member.
    bool swap(CastMember member, std::size_t body, float seconds = 0.0f) noexcept;

    /// Everybody's pose for a pose of the source, `seconds` after the one before. The caller may show or hide
    /// members as it likes; a hidden one moves on. Poses of the wrong size are passed over.
    void play(std::span<const Transform> source, float seconds = 0.0f);
    void play(std::span<const Transform> source, float seconds, const ForEach& for_each);

    /// The local pose of a member's body; empty if there is no such member. Good until the next call.
    std::span<const Transform> pose(CastMember member) const noexcept;
    /// Which body a member has; the number of bodies if there is no such member.
    std::size_t body_of(CastMember member) const noexcept;
    std::size_t size() const noexcept { return playing_; }

 private:
    struct Body {
        std::unique_ptr<Transfer> transfer;
        Workspace workspace;
        std::vector<Transform> pose;
        std::size_t members = 0;
    };
    struct Member {
        std::size_t body = 0;
        std::uint32_t round = 0;  // counts who had this place, so that an old handle finds nobody
        bool plays = false;
        float left = 0.0f;  // seconds of a blend
        float whole = 0.0f;
    };

    Body compiled(const Pairing& pairing) const;
    const Member* find(CastMember handle) const noexcept;
    Member* find(CastMember handle) noexcept;
    std::span<Transform> blended(std::size_t member) noexcept;
    void ease(std::size_t member, float seconds) noexcept;

    std::vector<std::string> ids_;
    std::vector<Body> bodies_;
    std::vector<Member> members_;
    std::vector<std::size_t> free_;
    std::vector<std::size_t> wanted_;  // bodies that have members
    std::vector<Transform> blends_;    // a place for each member, as large as the largest body
    std::size_t source_bones_ = 0;
    std::size_t most_bones_ = 0;
    std::size_t playing_ = 0;
};

}  // namespace dendraxis
