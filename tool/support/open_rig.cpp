#include "open_rig.hpp"

namespace dendraxis::tool {

io::Rig open_rig(const std::filesystem::path& character, const std::filesystem::path& sheet,
                 float height_metres) {
    io::Rig rig = sheet.empty() ? io::load_rig(character) : io::load_rig(sheet, 0.0f, character);
    if (height_metres > 0.0f) rig.chart.height_metres = height_metres;
    return rig;
}

}  // namespace dendraxis::tool
