#include "engine/gates.h"

#include <bit>

#include "core/base/vector_code.h"

namespace rivlen {

namespace {

// e^x to about one unit in the last place: x = k ln 2 + r, |r| <= ln 2 / 2, and the Taylor series of e^r to
// the sixth power. Adding 1.5 * 2^23 rounds to a whole number.
[[gnu::always_inline]] inline float exp_of(float x) {
    constexpr float kRound = 12582912.0F;
    x = x < -87.0F ? -87.0F : x;
    x = x > 88.0F ? 88.0F : x;
    const float k = (x * 1.44269504F + kRound) - kRound;
    const float r = (x - k * 0.693359375F) + k * 2.12194440e-4F;
    float p = 1.0F / 720.0F;
    p = p * r + 1.0F / 120.0F;
    p = p * r + 1.0F / 24.0F;
    p = p * r + 1.0F / 6.0F;
    p = p * r + 0.5F;
    p = p * r + 1.0F;
    p = p * r + 1.0F;
    return p * std::bit_cast<float>((static_cast<std::int32_t>(k) + 127) << 23);
}
[[gnu::always_inline]] inline float sigmoid_of(float x) {
    return 1.0F / (1.0F + exp_of(-x));
}
[[gnu::always_inline]] inline float tanh_of(float x) {
    return 1.0F - 2.0F / (exp_of(2.0F * x) + 1.0F);
}

}  // namespace

RIVLEN_VECTOR_CODE void gates(const Rows rows, const std::int64_t hidden, const float* __restrict gx,
                              const float* __restrict gh, const float* __restrict before,
                              float* __restrict kept, float* __restrict h, float* __restrict out,
                              const std::int64_t out_width) {
    for (std::int64_t g = 0; g < rows.groups; ++g) {
        for (std::int64_t i = 0; i < rows.inner; ++i) {
            const std::int64_t row = g * rows.inner + i;
            const float* __restrict a = gx + (g * rows.stride + i) * 3 * hidden;
            const float* __restrict b = gh + row * 3 * hidden;
            const float* __restrict old = before + row * hidden;
            float* __restrict k = kept + row * 4 * hidden;
            float* __restrict now = h + row * hidden;
            float* __restrict y = out + (g * rows.stride + i) * out_width;
            for (std::int64_t j = 0; j < hidden; ++j) {
                const float r = sigmoid_of(a[j] + b[j]);
                const float z = sigmoid_of(a[hidden + j] + b[hidden + j]);
                const float u = b[2 * hidden + j];
                const float n = tanh_of(a[2 * hidden + j] + r * u);
                k[j] = r;
                k[hidden + j] = z;
                k[2 * hidden + j] = n;
                k[3 * hidden + j] = u;
                now[j] = n + z * (old[j] - n);
                y[j] = now[j];
            }
        }
    }
}

RIVLEN_VECTOR_CODE void gate_slopes(const Rows rows, const std::int64_t hidden, const float* __restrict dout,
                                    const std::int64_t out_width, const float* __restrict before,
                                    const float* __restrict kept, float* __restrict carry,
                                    float* __restrict dgh, float* __restrict dgx) {
    for (std::int64_t g = 0; g < rows.groups; ++g) {
        for (std::int64_t i = 0; i < rows.inner; ++i) {
            const std::int64_t row = g * rows.inner + i;
            const float* __restrict dy = dout + (g * rows.stride + i) * out_width;
            const float* __restrict old = before + row * hidden;
            const float* __restrict k = kept + row * 4 * hidden;
            float* __restrict c = carry + row * hidden;
            float* __restrict b = dgh + row * 3 * hidden;
            float* __restrict a = dgx + (g * rows.stride + i) * 3 * hidden;
            for (std::int64_t j = 0; j < hidden; ++j) {
                const float r = k[j];
                const float z = k[hidden + j];
                const float n = k[2 * hidden + j];
                const float u = k[3 * hidden + j];
                const float dh = dy[j] + c[j];
                const float dz = dh * (old[j] - n) * z * (1.0F - z);
                const float dn = dh * (1.0F - z) * (1.0F - n * n);
                const float dr = dn * u * r * (1.0F - r);
                a[j] = b[j] = dr;
                a[hidden + j] = b[hidden + j] = dz;
                a[2 * hidden + j] = dn;
                b[2 * hidden + j] = dn * r;
                c[j] = dh * z;
            }
        }
    }
}

}  // namespace rivlen
