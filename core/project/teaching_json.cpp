// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/teaching_json.h"

#include "core/project/json_reading.h"

namespace rivlen {

using nlohmann::json;

json marks_to_json(const std::vector<TeachingMark>& marks) {
    json out = json::array();
    for (const auto& mark : marks) {
        out.push_back({{"stem", kSoundNames[mark.sound()]}, {"frames", {mark.first, mark.last}}});
    }
    return out;
}

std::vector<TeachingMark> marks_from_json(const json& entry) {
    std::vector<TeachingMark> marks;
    for (std::size_t i = 0; entry.is_array() && i < entry.size(); ++i) {
        if (!entry[i].is_object()) continue;
        const auto sound = sound_named(json_reading::text(entry[i], "stem"));
        const json& frames = json_reading::part(entry[i], "frames");
        const bool whole = frames.is_array() && frames.size() == 2 && frames[0].is_number_unsigned() &&
                           frames[1].is_number_unsigned();
        if (sound == kSounds || sound == static_cast<std::size_t>(Stem::Reverb) || !whole) continue;
        const auto mark =
            TeachingMark::of(sound, frames[0].get<std::int64_t>(), frames[1].get<std::int64_t>());
        if (mark.first >= 0 && mark.last > mark.first) marks.push_back(mark);
    }
    return marks;
}

}  // namespace rivlen
