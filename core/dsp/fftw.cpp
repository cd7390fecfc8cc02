#include "core/dsp/fftw.h"

namespace rivlen {

std::mutex& fftw_planner_mutex() {
    static std::mutex mutex;
    return mutex;
}

}  // namespace rivlen
