// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/units/kernels.h"

#include <atomic>

namespace rivlen::units {

#if defined(__x86_64__)
extern const Kernels kAvx512Kernels;
const Kernels& vnni_kernels();
extern const Kernels kAvx2Kernels;
#endif
extern const Kernels kPlainKernels;

namespace {

std::atomic<const Kernels*> chosen_kernels{nullptr};

bool windowed(const Sequences& sequences, const Reach& reach) {
    return reach.window > 0 && reach.window < sequences.steps;
}

}  // namespace

Size state_floats(const Sequences& sequences, const Reach& reach, Size hidden) {
    // Two directions; in windows, the state that warms up beside the one that gives the output.
    return (windowed(sequences, reach) ? 4 : 2) * sequences.count() * sequences.steps * hidden;
}
Size saved_values(const Sequences& sequences, const Reach& reach, Size hidden) {
    return 4 * state_floats(sequences, reach, hidden);
}

std::vector<const Kernels*> available_kernels() {
    std::vector<const Kernels*> found;
#if defined(__x86_64__)
    // Exactly what CMakeLists.txt lets the compiler use.
    if (__builtin_cpu_supports("avx512f") != 0 && __builtin_cpu_supports("avx512vl") != 0 &&
        __builtin_cpu_supports("avx512bw") != 0 && __builtin_cpu_supports("avx512dq") != 0) {
        if (__builtin_cpu_supports("avx512vnni") != 0) found.push_back(&vnni_kernels());
        found.push_back(&kAvx512Kernels);
    }
    if (__builtin_cpu_supports("avx2") != 0 && __builtin_cpu_supports("fma") != 0 &&
        __builtin_cpu_supports("f16c") != 0)
        found.push_back(&kAvx2Kernels);
#endif
    found.push_back(&kPlainKernels);
    return found;
}

const Kernels& kernels() {
    if (const Kernels* chosen = chosen_kernels.load(std::memory_order_relaxed); chosen != nullptr)
        return *chosen;
    static const Kernels* const fastest = available_kernels().front();
    return *fastest;
}

void use_kernels(const Kernels* chosen) {
    chosen_kernels.store(chosen, std::memory_order_relaxed);
}

}  // namespace rivlen::units
