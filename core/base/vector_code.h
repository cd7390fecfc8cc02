// SPDX-License-Identifier: GPL-3.0-or-later
// Marks a function whose loops are worth compiling for several instruction sets; the program takes the widest
// that the machine has. Inside, plain loops over floats without branches are what compilers make vector code
// of.
#pragma once

// (Not under the thread sanitizer, which is not there yet when the loader asks which one it is to be.)
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_THREAD__)
#define RIVLEN_VECTOR_CODE __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define RIVLEN_VECTOR_CODE
#endif

// For loops that sum: the parts may be added up in any order, or they could not be vectors. Other compilers
// than GCC do it one by one.
#if defined(__GNUC__) && !defined(__clang__)
#define RIVLEN_ANY_ORDER __attribute__((optimize("associative-math", "no-signed-zeros", "no-trapping-math")))
#else
#define RIVLEN_ANY_ORDER
#endif
