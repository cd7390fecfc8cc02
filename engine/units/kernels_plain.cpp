// SPDX-License-Identifier: GPL-3.0-or-later
// The units for one instruction set; CMakeLists.txt has the compiler's options that belong to it.
#define RIVLEN_UNITS plain
#include "engine/units/dense.h"
#include "engine/units/recurrent.h"

namespace rivlen::units {

extern const Kernels kPlainKernels;
const Kernels kPlainKernels = {
    "plain", sizeof(Saved),    false, &recurrent, &recurrent_gradients, &perceptron, &perceptron_gradients,
    &embed,  &embed_gradients, &head, &head_loss, &orthogonalise};

}  // namespace rivlen::units
