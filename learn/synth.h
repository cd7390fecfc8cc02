// Sustained ambience that recordings lack, synthesised with slow random modulation; levels are arbitrary.
#pragma once

#include <string>
#include <vector>

#include "learn/rooms.h"

namespace rivlen::learn {

// wind, traffic, rain, ventilation, hum, machine, bangs
[[nodiscard]] const std::vector<std::string>& synthetic_ambiences();
[[nodiscard]] Stereo synthesise_ambience(const std::string& kind, std::size_t frames, Rng& rng);

}  // namespace rivlen::learn
