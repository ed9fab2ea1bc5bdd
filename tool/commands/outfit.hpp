// All that `equip` puts on: from words to mounts.
#pragma once

#include "equip_words.hpp"

#include <dendraxis/io/props/props.hpp>
#include <dendraxis/io/sheet/sheet.hpp>

#include <map>
#include <optional>

namespace dendraxis::tool {

struct EquipArguments {
    fs::path character;
    fs::path sheet;
    std::vector<std::string> put_words;
    std::vector<std::string> fit_words;
    std::vector<std::string> switch_words;
    std::vector<std::string> let_go_words;
    std::vector<std::string> push_words;
    fs::path terrain;
    std::vector<std::string> take;
    bool take_all = false;
    fs::path page;
    fs::path out;
    bool json = false;
};

/// What `equip` did.
struct EquipReport {
    struct Piece {
        std::string piece;
        std::string part;
        std::string bone;
        std::size_t covered = 0;
        float through_at_rest = 0.0f;
        std::optional<float> through_in_clips;  ///< none without clips
        std::optional<float> covered_in_clips;  ///< of what it covers at rest
    };
    struct Change {
        std::string prop;
        std::string clip;
        float frame = 0.0f;
        std::string socket;
        float over = 0.0f;
        float jump = 0.0f;  ///< metres
    };
    struct Fall {
        std::string prop;
        std::string clip;
        std::size_t frame = 0;
        float speed = 0.0f;        ///< m/s as it is let go, after the push
        Vec3 ends = Vec3::Zero();  ///< of its middle, left, up and forward of the character's origin
        bool lies = false;         ///< still at the clip's end
    };
    std::vector<io::MountedProp> mounted;
    std::vector<Piece> pieces;
    std::vector<Change> changes;
    std::vector<Fall> falls;
    Findings findings;
};

/// Reads what the arguments name, finds its places and fits it. Throws `UsageError` and `Error`. The rig and
/// the arguments must outlive it.
class Outfit {
 public:
    Outfit(const EquipArguments& arguments, const io::Rig& rig);

    std::vector<std::uint8_t> glb() const;

    EquipReport report;
    std::vector<fs::path> inputs;  ///< every file that was read

 private:
    struct InClips {
        std::optional<float> through;  // over all frames of all clips
        std::optional<float> covered;
        std::vector<PieceInClip> clips;
    };

    const Clip& clip_to_write(const std::string& name) const;
    std::size_t mount_of(const std::string& prop, const char* option) const;

    void put(const Put& put);
    void second_hand(const Put& put, const Prop& prop, const PropMount& mount);
    void close_hands(const Put& put, const Prop& prop, const PropMount& mount);
    void fit(const Fit& wanted);
    void fit_one(const fs::path& file, const std::string& node, const std::string& part,
                 const PieceOptions& options);
    InClips in_clips(const Prop& piece, const FittedPiece& fitted) const;
    void change(const Switch& wanted);
    void tell_changes();
    void let_go();

    const EquipArguments& arguments_;
    const io::Rig& rig_;
    std::vector<Socket> sockets_;
    std::optional<SocketBinding> binding_;
    std::map<std::string, Prop> props_;
    std::vector<PropMount> mounts_;
    std::vector<CarriedProp> carried_;
    std::vector<io::PropFlight> flights_;
    std::vector<Clip> clips_;  // changed for second hands and closed ones
};

}  // namespace dendraxis::tool
