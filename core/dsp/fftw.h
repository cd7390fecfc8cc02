// SPDX-License-Identifier: GPL-3.0-or-later
// FFTW's planner is the one part of it that is not thread-safe: whoever makes or destroys a plan holds this
// lock.
#pragma once

#include <mutex>

namespace rivlen {

[[nodiscard]] std::mutex& fftw_planner_mutex();

}  // namespace rivlen
