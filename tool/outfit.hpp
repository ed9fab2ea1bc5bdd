// All that `equip` puts on: from words to mounts.
#pragma once

#include "equip_words.hpp"

#include <dendraxis/io/props.hpp>
#include <dendraxis/io/sheet.hpp>

#include <map>
#include <optional>

namespace dendraxis::tool {

/// Reads what the arguments name, finds its places and fits it. Throws `UsageError` and `Error`. The rig and
/// the arguments must outlive it.
class Outfit {
 public:
    Outfit(const EquipArguments& arguments, const io::Rig& rig);

    std::vector<std::uint8_t> glb() const;

    io::EquipReport report;
    std::vector<fs::path> inputs;  ///< every file that was read

 private:
    struct InClips {
        std::optional<float> through;  // over all frames of all clips
        std::optional<float> covered;
        std::vector<PieceInClip> clips;
    };

    const fs::path& sheet_or_character() const;
    const Clip& clip_to_write(const std::string& name) const;
    std::size_t mount_of(const std::string& prop, const char* option) const;

    void put(const Put& put);
    void second_hand(const Put& put, const Prop& prop, const io::PropMount& mount);
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
    std::vector<io::PropMount> mounts_;
    std::vector<io::CarriedProp> carried_;
    std::vector<io::PropFlight> flights_;
    std::vector<Clip> clips_;  // changed for second hands
};

}  // namespace dendraxis::tool
