// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/channel_filter.h"

#include "core/base/vector_code.h"

namespace rivlen {

namespace {

constexpr float kSpread = 0.02F;   // eps above: no stem comes from one direction only
constexpr float kUnknown = 0.05F;  // weight, in frames, of "from everywhere" before anything was seen
constexpr float kSilence = 1e-12F;

// sum += weight x covariance of one frame, for every row of masks; covariance: its four figures, each kBands
// values.
RIVLEN_VECTOR_CODE void add_weighted(const std::size_t rows, const float* __restrict masks,
                                     const float* __restrict covariance, float* __restrict sum) {
    for (std::size_t s = 0; s < rows; ++s) {
        for (std::size_t f = 0; f < 4; ++f) {
            float* to = sum + (s * 4 + f) * kBands;
            for (std::size_t b = 0; b < kBands; ++b) {
                const float m = masks[s * kBands + b];
                to[b] += m * m * covariance[f * kBands + b];
            }
        }
    }
}

RIVLEN_VECTOR_CODE void add_scaled(const std::size_t count, const float scale, const float* __restrict x,
                                   float* __restrict sum) {
    for (std::size_t i = 0; i < count; ++i) sum[i] += scale * x[i];
}

// T = sum of w V, S = sum of V, gain = sum of w m, in every band: left, right, and real and imaginary part of
// what is above the diagonal.
struct Sums {
    std::array<float, kBands> t_left{}, t_right{}, t_re{}, t_im{}, s_left{}, s_right{}, s_re{}, s_im{},
        gain{};
};

// around: the covariance of a sound, its four figures.
RIVLEN_VECTOR_CODE void add_sound(const float* __restrict weight, const float* __restrict mask,
                                  const float* __restrict around, Sums& __restrict sums) {
    for (std::size_t b = 0; b < kBands; ++b) {
        const float* c = around + b;
        const float m = mask[b];
        const float w = weight[b];
        const float part = m / (c[0] + c[kBands] + kUnknown);
        const float left = part * (c[0] + 0.5F * kUnknown) + m * kSpread;
        const float right = part * (c[kBands] + 0.5F * kUnknown) + m * kSpread;
        const float re = part * c[2 * kBands];
        const float im = part * c[3 * kBands];
        sums.s_left[b] += left, sums.s_right[b] += right, sums.s_re[b] += re, sums.s_im[b] += im;
        sums.t_left[b] += w * left, sums.t_right[b] += w * right, sums.t_re[b] += w * re,
            sums.t_im[b] += w * im;
        sums.gain[b] += w * m;
    }
}

// correction = amount (T S^-1 - gain I), where S^-1 = [s_right, -s; -conj(s), s_left] / det and s is the
// element above the diagonal.
RIVLEN_VECTOR_CODE void correct(const Sums& __restrict sums, const float amount, float* __restrict out) {
    for (std::size_t b = 0; b < kBands; ++b) {
        const float t_left = sums.t_left[b], t_right = sums.t_right[b], t_re = sums.t_re[b],
                    t_im = sums.t_im[b];
        const float s_left = sums.s_left[b], s_right = sums.s_right[b], s_re = sums.s_re[b],
                    s_im = sums.s_im[b];
        const float scale = amount / (s_left * s_right - s_re * s_re - s_im * s_im);
        const float diagonal = amount * sums.gain[b];
        const float cross = t_re * s_re + t_im * s_im;  // real part of t conj(s)
        const float twist = t_im * s_re - t_re * s_im;  // its imaginary part
        out[0 * kBands + b] = scale * (t_left * s_right - cross) - diagonal;
        out[1 * kBands + b] = -scale * twist;
        out[2 * kBands + b] = scale * (t_re * s_left - t_left * s_re);
        out[3 * kBands + b] = scale * (t_im * s_left - t_left * s_im);
        out[4 * kBands + b] = scale * (t_re * s_right - t_right * s_re);
        out[5 * kBands + b] = scale * (t_right * s_im - t_im * s_right);
        out[6 * kBands + b] = scale * (t_right * s_left - cross) - diagonal;
        out[7 * kBands + b] = scale * twist;
    }
}

// Floats of a nested array, one after another.
template <typename T>
float* flat(T& x) {
    return reinterpret_cast<float*>(&x);
}
template <typename T>
const float* flat(const T& x) {
    return reinterpret_cast<const float*>(&x);
}

std::int64_t floor_divided(std::int64_t x, std::int64_t by) {
    return x >= 0 ? x / by : -((-x + by - 1) / by);
}

}  // namespace

ChannelFilter::ChannelFilter(const Source& source, const MaskMap& map, ChannelGroup group, FrameMasks masks,
                             const Stft& stft, std::span<const BandRead> reads)
    : source_(source),
      map_(map),
      group_(group),
      masks_(std::move(masks)),
      blocks_(kKept),
      time_(static_cast<std::size_t>(stft.fft_size())) {
    for (const auto& read : reads)
        band_of_bin_.push_back(static_cast<std::size_t>(read.part < 0.5F ? read.low : read.high));
    for (auto& spectrum : spectra_) spectrum.resize(reads.size());
    block_of_.fill(std::numeric_limits<std::int64_t>::min());
}

void ChannelFilter::add_frame(std::int64_t frame, Stft& stft, Covariances& sum) {
    const std::int64_t hop = stft.hop();
    for (std::size_t c = 0; c < 2; ++c) {
        const int channel = group_.first + static_cast<int>(c);
        source_.read(channel, (frame - 2) * hop, time_);
        map_.add_fills(channel, (frame - 2) * hop, time_);
        stft.forward(time_, spectra_[c]);
    }
    std::array<std::array<float, kBands>, kFigures> covariance{};
    auto& [left, right, re, im] = covariance;
    for (std::size_t k = 0; k < band_of_bin_.size(); ++k) {
        const std::size_t b = band_of_bin_[k];
        const Complex l = spectra_[0][k];
        const Complex r = spectra_[1][k];
        left[b] += l.real() * l.real() + l.imag() * l.imag();
        right[b] += r.real() * r.real() + r.imag() * r.imag();
        re[b] += l.real() * r.real() + l.imag() * r.imag();
        im[b] += l.imag() * r.real() - l.real() * r.imag();
    }
    // Every frame counts alike, however loud: it is the direction that is asked for.
    for (std::size_t b = 0; b < kBands; ++b) {
        const float scale = 1.0F / (left[b] + right[b] + kSilence);
        left[b] *= scale, right[b] *= scale, re[b] *= scale, im[b] *= scale;
    }
    const auto masks = masks_.plain(frame);
    add_weighted(masks.size() / kBands, masks.data(), flat(covariance), flat(sum));
}

const ChannelFilter::Covariances& ChannelFilter::block(std::int64_t index, Stft& stft) {
    const auto slot = static_cast<std::size_t>(((index % kKept) + kKept) % kKept);
    if (block_of_[slot] != index) {
        blocks_[slot] = {};
        for (std::int64_t frame = index * kBlock; frame < (index + 1) * kBlock; ++frame)
            add_frame(frame, stft, blocks_[slot]);
        block_of_[slot] = index;
    }
    return blocks_[slot];
}

// A window of 11 blocks that moves evenly: between the middles of two blocks the outermost ones go over.
void ChannelFilter::look_around(std::int64_t frame, Stft& stft) {
    const std::size_t count = map_.row_size() * kFigures;
    const std::int64_t doubled =
        2 * frame - (kBlock - 1);  // twice the distance from the first block's middle
    const std::int64_t low = floor_divided(doubled, 2 * kBlock);
    const float past = static_cast<float>(doubled - low * 2 * kBlock) / static_cast<float>(2 * kBlock);
    if (inner_of_ != low) {
        inner_ = {};
        for (std::int64_t k = low - kReach + 1; k <= low + kReach; ++k)
            add_scaled(count, 1.0F, flat(block(k, stft)), flat(inner_));
        inner_of_ = low;
    }
    around_ = inner_;
    add_scaled(count, 1.0F - past, flat(block(low - kReach, stft)), flat(around_));
    add_scaled(count, past, flat(block(low + kReach + 1, stft)), flat(around_));
}

void ChannelFilter::correction(const MaskWeights& weights, std::span<const float> masks,
                               BandMatrices& out) const {
    Sums sums;
    const std::size_t rows = masks.size() / kBands;
    for (std::size_t s = 0; s < rows; ++s) {
        if (s == kMusicSound && rows > kStems) continue;  // its parts are there
        add_sound(weights.of(s).data(), masks.data() + s * kBands, flat(around_[s]), sums);
    }
    correct(sums, weights.both_channels, flat(out));
}

}  // namespace rivlen
