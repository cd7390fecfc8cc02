// SPDX-License-Identifier: GPL-3.0-or-later
// Whether something is going on, by its level, without fluttering near a threshold.
#pragma once

#include <algorithm>
#include <cstdint>
#include <span>
#include <vector>

namespace rivlen {

// Begins where the level reaches a threshold, ends where it falls more than `hysteresis_db` under it, or has
// not reached the threshold for `most_steps`: what came before that does not matter.
class Activity {
  public:
    // Of talk, whose level near a threshold is none after two seconds. steps_a_second > 0.
    [[nodiscard]] static Activity of_talk(double threshold_db, double hysteresis_db, double steps_a_second) {
        return {threshold_db, hysteresis_db, static_cast<std::int64_t>(kTalkSeconds * steps_a_second)};
    }
    static constexpr double kTalkSeconds = 2;
    Activity(double threshold_db, double hysteresis_db, std::int64_t most_steps)
        : begins_db_(threshold_db), ends_db_(threshold_db - hysteresis_db), most_steps_(most_steps) {}
    bool step(double level_db) {
        if (level_db >= begins_db_)
            left_ = most_steps_ + 1;
        else
            left_ = level_db >= ends_db_ ? std::max<std::int64_t>(0, left_ - 1) : 0;
        return left_ > 0;
    }

  private:
    double begins_db_, ends_db_;
    std::int64_t most_steps_, left_ = 0;
};

// Step by step whether somebody speaks, by the levels of the voice alone: within 25 dB of the loudest words
// (the level that 95 % of the steps stay under), never under least_dbfs. Common practice, no source.
// steps_a_second > 0.
[[nodiscard]] std::vector<bool> speaking_steps(std::span<const float> levels_dbfs, double steps_a_second,
                                               double least_dbfs = -90);

}  // namespace rivlen
