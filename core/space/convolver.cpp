// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/convolver.h"

#include <algorithm>

namespace rivlen {

namespace {
constexpr std::size_t kBins = StereoConvolver::kBlock + 1;
}  // namespace

StereoConvolver::StereoConvolver(std::span<const Responses> channels)
    : fft_(2 * kBlock), left_(kBins), right_(kBins) {
    for (const auto& c : channels)
        partitions_ = std::max(
            {partitions_, (c.left.size() + kBlock - 1) / kBlock, (c.right.size() + kBlock - 1) / kBlock});
    const auto spectra_of = [this](std::span<const float> response) {
        std::vector<Spectrum> all(partitions_, Spectrum(kBins));
        for (std::size_t p = 0; p * kBlock < response.size(); ++p) {
            fft_.forward(response.subspan(p * kBlock, std::min(kBlock, response.size() - p * kBlock)));
            std::ranges::copy(fft_.bins(), all[p].begin());
        }
        return all;
    };
    for (const auto& c : channels) {
        Channel channel;
        channel.left = spectra_of(c.left);
        channel.right = spectra_of(c.right);
        channel.heard.assign(partitions_, Spectrum(kBins));
        channel.last.assign(kBlock, 0.0F);
        channels_.push_back(std::move(channel));
    }
}

void StereoConvolver::reset() {
    for (auto& c : channels_) {
        for (auto& spectrum : c.heard) std::ranges::fill(spectrum, 0.0F);
        std::ranges::fill(c.last, 0.0F);
    }
}

void StereoConvolver::process(const ChannelBlock& in, std::span<float> left, std::span<float> right) {
    std::ranges::fill(left_, 0.0F);
    std::ranges::fill(right_, 0.0F);
    at_ = (at_ + 1) % partitions_;
    for (std::size_t c = 0; c < channels_.size(); ++c) {
        Channel& channel = channels_[c];
        const auto time = fft_.time();
        std::ranges::copy(channel.last, time.begin());
        std::ranges::copy(in[c], time.begin() + static_cast<std::ptrdiff_t>(kBlock));
        std::ranges::copy(in[c], channel.last.begin());
        fft_.forward();
        std::ranges::copy(fft_.bins(), channel.heard[at_].begin());
        for (std::size_t p = 0; p < partitions_; ++p) {
            const Spectrum& heard = channel.heard[(at_ + partitions_ - p) % partitions_];
            for (std::size_t b = 0; b < kBins; ++b) {
                left_[b] += heard[b] * channel.left[p][b];
                right_[b] += heard[b] * channel.right[p][b];
            }
        }
    }
    const auto give = [this](const Spectrum& spectrum, std::span<float> out) {
        std::ranges::copy(spectrum, fft_.bins().begin());
        fft_.inverse();
        const auto time = fft_.time();
        for (std::size_t i = 0; i < kBlock; ++i) out[i] = time[kBlock + i] / static_cast<float>(2 * kBlock);
    };
    give(left_, left);
    give(right_, right);
}

}  // namespace rivlen
