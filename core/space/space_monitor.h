// SPDX-License-Identifier: GPL-3.0-or-later
// Any layout as it is heard: folded down, on headphones through measured heads, or on the device's own
// loudspeakers.
#pragma once

#include <array>
#include <memory>
#include <optional>
#include <vector>

#include "core/base/channel_block.h"
#include "core/space/binaural.h"
#include "core/space/conversion.h"
#include "core/space/device_channels.h"

namespace rivlen {

enum class Monitoring { FoldDown, Headphones, Loudspeakers };

// What is heard of a layout. Made away from the thread that plays, as head responses are worked out here.
class SpaceMonitor {
  public:
    static constexpr std::size_t kFrames = StereoConvolver::kBlock;
    // Ambisonics are folded down by decoding them to stereo.
    [[nodiscard]] static SpaceMonitor fold_down(Layout layout, const ConversionSettings& settings = {});
    [[nodiscard]] static SpaceMonitor headphones(Layout layout, const HeadResponses& head,
                                                 const ConversionSettings& settings = {});
    // device: what its loudspeakers are.
    [[nodiscard]] static SpaceMonitor loudspeakers(Layout layout, Layout device,
                                                   const ConversionSettings& settings = {});
    [[nodiscard]] Layout layout() const { return layout_; }
    void reset();
    // in: kFrames of the layout; out: as many of kMostDeviceChannels channels, in step with it: the first
    // two, or those of the device's layout, the others silent. Does not allocate.
    void process(const ChannelBlock& in, const ChannelBlock& out);

  private:
    explicit SpaceMonitor(Layout layout) : layout_(layout) {}
    Layout layout_;
    ChannelMatrix mixed_;  // without ears; a row a channel that goes out
    std::optional<StereoConvolver> ears_;
};

// From one monitor to the next over a block, so that switching makes no gap and no click.
class SwitchedSpaceMonitor {
  public:
    SwitchedSpaceMonitor() : before_(kMostDeviceChannels, std::vector<float>(SpaceMonitor::kFrames)) {}
    // Of the same layout as before it is faded to; of another one it begins at once.
    void take(std::unique_ptr<SpaceMonitor> monitor);
    [[nodiscard]] bool fits(Layout layout) const { return now_ && now_->layout() == layout; }
    void reset();
    void process(const ChannelBlock& in, const ChannelBlock& out);

  private:
    static constexpr std::size_t kRemembered = 4;  // blocks: longer than the responses of a head
    void remember(const ChannelBlock& in);
    std::unique_ptr<SpaceMonitor> now_, last_;
    std::vector<std::vector<float>> before_;
    // What came in last, oldest first from at_ on, so that a new monitor does not begin in the middle of a
    // sound.
    std::array<std::vector<std::vector<float>>, kRemembered> heard_;
    std::size_t at_ = 0;
};

}  // namespace rivlen
