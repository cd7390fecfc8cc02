// SPDX-License-Identifier: GPL-3.0-or-later
// What splits with AVX-512 VNNI; what learns is as for AVX-512.
#define RIVLEN_UNITS avx512_vnni
#include "engine/units/whole_recurrent.h"

namespace rivlen::units {

extern const Kernels kAvx512Kernels;

namespace {

void recurrent_or_learned(const Sequences& sequences, const Reach& reach, const Steps& wanted,
                          const Recurrent<const float>& unit, const float* x, float* out,
                          const RecurrentMemory* memory) {
    if (memory != nullptr) {
        kAvx512Kernels.recurrent(sequences, reach, wanted, unit, x, out, memory);
    } else {
        run_recurrent<WholeProducts>(sequences, reach, wanted, unit, x, out, nullptr);
    }
}
void perceptron_or_learned(Size rows, const Perceptron<const float>& unit, const float* x, float* out,
                           float* hidden) {
    if (hidden != nullptr) {
        kAvx512Kernels.perceptron(rows, unit, x, out, hidden);
    } else {
        whole_perceptron(rows, unit, x, out);
    }
}

}  // namespace

const Kernels& vnni_kernels();
const Kernels& vnni_kernels() {
    static const Kernels all = [] {
        Kernels kernels = kAvx512Kernels;
        kernels.name = "vnni";
        kernels.whole = true;
        kernels.recurrent = &recurrent_or_learned;
        kernels.perceptron = &perceptron_or_learned;
        return kernels;
    }();
    return all;
}

}  // namespace rivlen::units
