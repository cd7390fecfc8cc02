// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/fftw.h"

namespace rivlen {

std::mutex& fftw_planner_mutex() {
    static std::mutex mutex;
    return mutex;
}

}  // namespace rivlen
