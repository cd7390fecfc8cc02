// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/space/space_monitor.h"

namespace rivlen {

SpaceMonitor SpaceMonitor::fold_down(Layout layout, const ConversionSettings& settings) {
    return loudspeakers(layout, Layout::Stereo, settings);
}

SpaceMonitor SpaceMonitor::loudspeakers(Layout layout, Layout device, const ConversionSettings& settings) {
    SpaceMonitor monitor(layout);
    const ChannelMatrix brought = conversion(layout, device, settings);
    monitor.mixed_ = ChannelMatrix(kMostDeviceChannels, brought.from());
    for (std::size_t to = 0; to < brought.to(); ++to) {
        for (std::size_t from = 0; from < brought.from(); ++from)
            monitor.mixed_(place_at_device(device, to), from) = brought(to, from);
    }
    return monitor;
}

SpaceMonitor SpaceMonitor::headphones(Layout layout, const HeadResponses& head,
                                      const ConversionSettings& settings) {
    SpaceMonitor monitor(layout);
    monitor.ears_.emplace(binaural_responses(head, layout, settings));
    return monitor;
}

void SpaceMonitor::reset() {
    if (ears_) ears_->reset();
}

void SpaceMonitor::process(const ChannelBlock& in, const ChannelBlock& out) {
    if (!ears_) return mixed_.apply(in, out);
    ears_->process(in, out[0], out[1]);
    for (std::size_t c = kStereoChannels; c < out.size(); ++c) std::ranges::fill(out[c], 0.0F);
}

void SwitchedSpaceMonitor::take(std::unique_ptr<SpaceMonitor> monitor) {
    last_ = now_ && monitor && now_->layout() == monitor->layout() ? std::move(now_) : nullptr;
    if (!last_) {
        for (auto& block : heard_) block.clear();
    }
    now_ = std::move(monitor);
    if (!last_) return;
    for (std::size_t k = 0; k < kRemembered; ++k) {
        auto& block = heard_[(at_ + k) % kRemembered];
        if (!block.empty())
            now_->process(ChannelBlock(block, SpaceMonitor::kFrames),
                          ChannelBlock(before_, SpaceMonitor::kFrames));
    }
}

void SwitchedSpaceMonitor::remember(const ChannelBlock& in) {
    auto& block = heard_[at_];
    block.resize(in.size());
    for (std::size_t c = 0; c < in.size(); ++c) block[c].assign(in[c].begin(), in[c].end());
    at_ = (at_ + 1) % kRemembered;
}

void SwitchedSpaceMonitor::reset() {
    last_.reset();
    for (auto& block : heard_) block.clear();
    if (now_) now_->reset();
}

void SwitchedSpaceMonitor::process(const ChannelBlock& in, const ChannelBlock& out) {
    if (!now_) return out.fill(0.0F);
    now_->process(in, out);
    if (!last_) return remember(in);
    const ChannelBlock before(before_, out.frames());
    last_->process(in, before);
    for (std::size_t c = 0; c < out.size(); ++c) {
        for (std::size_t i = 0; i < out.frames(); ++i) {
            const float part = (static_cast<float>(i) + 0.5F) / static_cast<float>(out.frames());
            out[c][i] = before[c][i] + part * (out[c][i] - before[c][i]);
        }
    }
    last_.reset();
    remember(in);
}

}  // namespace rivlen
