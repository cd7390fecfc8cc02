// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/activity.h"

#include <iterator>

namespace rivlen {

std::vector<bool> speaking_steps(std::span<const float> levels_dbfs, double steps_a_second,
                                 double least_dbfs) {
    constexpr double kBelowLoudestDb = 25, kHysteresisDb = 5, kLoudestShare = 0.95;
    std::vector<float> heard;
    std::ranges::copy_if(levels_dbfs, std::back_inserter(heard),
                         [&](float level) { return static_cast<double>(level) > least_dbfs; });
    std::vector<bool> speaks(levels_dbfs.size());
    if (heard.empty()) return speaks;
    const auto place = static_cast<std::ptrdiff_t>(kLoudestShare * static_cast<double>(heard.size() - 1));
    std::ranges::nth_element(heard, heard.begin() + place);
    const double loudest = static_cast<double>(heard[static_cast<std::size_t>(place)]);
    const double ends_at = std::max(loudest - kBelowLoudestDb, least_dbfs);
    auto talk = Activity::of_talk(ends_at + kHysteresisDb, kHysteresisDb, steps_a_second);
    for (std::size_t k = 0; k < speaks.size(); ++k)
        speaks[k] = talk.step(static_cast<double>(levels_dbfs[k]));
    return speaks;
}

}  // namespace rivlen
