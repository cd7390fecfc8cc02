// SPDX-License-Identifier: GPL-3.0-or-later
// Vectors of floats for one instruction set: kLanes of them, with the few operations that the units need.
// Only for the files that are compiled for that instruction set (CMakeLists.txt), each in a namespace of its
// own; nothing here may be shared between them, or the linker could take the code of the wider one for both.
#pragma once

#include <cstdint>
#include <cstring>

#if defined(__AVX__)
#include <immintrin.h>
#else
#include <emmintrin.h>
#endif

// NOLINTBEGIN(portability-simd-intrinsics)
namespace rivlen::units {
inline namespace RIVLEN_UNITS {

#if defined(__AVX512F__)
inline constexpr int kLanes = 16;
inline constexpr int kRegisters = 32;
using Saved =
    std::uint16_t;  // what the backward pass needs of the gates: float16, 11 bits of which are exact
#elif defined(__AVX2__)
inline constexpr int kLanes = 8;
inline constexpr int kRegisters = 16;
using Saved = std::uint16_t;
#else
inline constexpr int kLanes = 4;
inline constexpr int kRegisters = 16;
using Saved = float;
#endif

typedef float Vec __attribute__((vector_size(kLanes * sizeof(float))));  // NOLINT(modernize-use-using)
typedef std::int32_t IntVec
    __attribute__((vector_size(kLanes * sizeof(float))));  // NOLINT(modernize-use-using)

#define RIVLEN_INLINE [[gnu::always_inline]] inline

RIVLEN_INLINE Vec load(const float* from) {
    Vec v;
    __builtin_memcpy(&v, from, sizeof v);
    return v;
}
RIVLEN_INLINE void store(float* to, Vec v) {
    __builtin_memcpy(to, &v, sizeof v);
}
RIVLEN_INLINE Vec all(float x) {
    return Vec{} + x;
}
RIVLEN_INLINE Vec larger(Vec a, Vec b) {
    return a > b ? a : b;
}
RIVLEN_INLINE Vec smaller(Vec a, Vec b) {
    return a < b ? a : b;
}

#if defined(__AVX512F__)
RIVLEN_INLINE float sum_of(Vec v) {
    return _mm512_reduce_add_ps(v);
}
RIVLEN_INLINE Vec root_of(Vec v) {
    return _mm512_sqrt_ps(v);
}
// 1 / x to about 2^-28: an estimate of 14 bits and a step of Newton's, much faster than a division.
RIVLEN_INLINE Vec inverse_of(Vec x) {
    const Vec y = _mm512_rcp14_ps(x);
    return y * (2.0F - x * y);
}
RIVLEN_INLINE void save_activation(Saved* to, Vec v) {
    _mm256_storeu_si256(reinterpret_cast<__m256i*>(to),
                        _mm512_cvtps_ph(v, _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC));
}
RIVLEN_INLINE Vec saved(const Saved* from) {
    return _mm512_cvtph_ps(_mm256_loadu_si256(reinterpret_cast<const __m256i*>(from)));
}
#elif defined(__AVX2__)
RIVLEN_INLINE float sum_of(Vec v) {
    float sum = 0.0F;
    for (int i = 0; i < kLanes; ++i) sum += v[i];
    return sum;
}
RIVLEN_INLINE Vec root_of(Vec v) {
    return _mm256_sqrt_ps(v);
}
RIVLEN_INLINE Vec inverse_of(Vec x) {
    return 1.0F / x;
}
RIVLEN_INLINE void save_activation(Saved* to, Vec v) {
    _mm_storeu_si128(reinterpret_cast<__m128i*>(to),
                     _mm256_cvtps_ph(v, _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC));
}
RIVLEN_INLINE Vec saved(const Saved* from) {
    return _mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(from)));
}
#else
RIVLEN_INLINE float sum_of(Vec v) {
    return v[0] + v[1] + v[2] + v[3];
}
RIVLEN_INLINE Vec root_of(Vec v) {
    return _mm_sqrt_ps(v);
}
RIVLEN_INLINE Vec inverse_of(Vec x) {
    return 1.0F / x;
}
RIVLEN_INLINE void save_activation(Saved* to, Vec v) {
    store(to, v);
}
RIVLEN_INLINE Vec saved(const Saved* from) {
    return load(from);
}
#endif

#if defined(__AVX512VNNI__)
RIVLEN_INLINE IntVec load_whole(const std::int32_t* from) {
    IntVec v;
    __builtin_memcpy(&v, from, sizeof v);
    return v;
}
// sums + the products of both pairs of int16 that lie in every int32 of a and b, without saturation.
RIVLEN_INLINE IntVec dot_pairs(IntVec sums, IntVec a, IntVec b) {
    return reinterpret_cast<IntVec>(_mm512_dpwssd_epi32(
        reinterpret_cast<__m512i>(sums), reinterpret_cast<__m512i>(a), reinterpret_cast<__m512i>(b)));
}
// a b + c, rounded once, wherever the compiler puts it.
RIVLEN_INLINE Vec fused(Vec a, Vec b, Vec c) {
    return _mm512_fmadd_ps(a, b, c);
}
RIVLEN_INLINE float largest_of(Vec v) {
    return _mm512_reduce_max_ps(v);
}
// To the nearest whole numbers that int16 holds.
RIVLEN_INLINE void store_rounded(std::int16_t* to, Vec v) {
    _mm256_storeu_si256(reinterpret_cast<__m256i*>(to), _mm512_cvtsepi32_epi16(_mm512_cvtps_epi32(v)));
}
#endif

#if defined(__AVX512F__)
// e^x: x = k ln 2 + r, |r| <= ln 2 / 2, and the Taylor series of e^r to the fifth power, to about 2^-18 of
// the value: finer than anything that is decided by it, and the gates take a third of a recurrence's time.
RIVLEN_INLINE Vec exp_of(Vec x) {
    x = _mm512_min_ps(_mm512_max_ps(x, all(-87.0F)), all(88.0F));
    const Vec k = _mm512_roundscale_ps(x * 1.44269504F, _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC);
    const Vec r = (x - k * 0.693359375F) + k * 2.12194440e-4F;
    Vec p = all(1.0F / 120.0F);
    p = p * r + 1.0F / 24.0F;
    p = p * r + 1.0F / 6.0F;
    p = p * r + 0.5F;
    p = p * r + 1.0F;
    p = p * r + 1.0F;
    return _mm512_scalef_ps(p, k);
}
#else
// e^x to about one unit in the last place: x = k ln 2 + r, |r| <= ln 2 / 2, and the Taylor series of e^r to
// the sixth power. Adding 1.5 * 2^23 rounds to a whole number.
RIVLEN_INLINE Vec exp_of(Vec x) {
    constexpr float kRound = 12582912.0F;
    x = smaller(larger(x, all(-87.0F)), all(88.0F));
    const Vec k = (x * 1.44269504F + kRound) - kRound;
    const Vec r = (x - k * 0.693359375F) + k * 2.12194440e-4F;
    Vec p = all(1.0F / 720.0F);
    p = p * r + 1.0F / 120.0F;
    p = p * r + 1.0F / 24.0F;
    p = p * r + 1.0F / 6.0F;
    p = p * r + 0.5F;
    p = p * r + 1.0F;
    p = p * r + 1.0F;
    const IntVec power = (__builtin_convertvector(k, IntVec) + 127) << 23;
    Vec scale;
    __builtin_memcpy(&scale, &power, sizeof scale);
    return p * scale;
}
#endif
RIVLEN_INLINE Vec sigmoid_of(Vec x) {
    return inverse_of(1.0F + exp_of(-x));
}
RIVLEN_INLINE Vec tanh_of(Vec x) {
    return 1.0F - 2.0F * inverse_of(1.0F + exp_of(x + x));
}

}  // namespace RIVLEN_UNITS
}  // namespace rivlen::units
// NOLINTEND(portability-simd-intrinsics)
