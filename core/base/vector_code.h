// SPDX-License-Identifier: GPL-3.0-or-later
// Marks a function whose loops are worth compiling for several instruction sets; the program takes the widest
// that the machine has. Inside, plain loops over floats without branches are what compilers make vector code
// of.
#pragma once

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__)
#define RIVLEN_VECTOR_CODE __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define RIVLEN_VECTOR_CODE
#endif
