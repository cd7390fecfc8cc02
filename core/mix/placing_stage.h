// SPDX-License-Identifier: GPL-3.0-or-later
// Level and place of a strip in the channels of what it goes to.
#pragma once

#include <cstdint>
#include <optional>

#include "core/base/channel_block.h"
#include "core/project/timeline.h"
#include "core/space/conversion.h"
#include "core/space/source_panner.h"

namespace rivlen {

// What a strip's channels give to those of its bus at a frame: gain, phase and lines in it, mute not.
//
// Mono and stereo strips in a layout of more than two channels are sources: a mono strip at its place, a
// stereo strip's sides at its azimuth plus and minus width times 30 degrees. On loudspeakers by amplitude
// panning; in ambisonics by spherical harmonics, each order weighted as an evenly filled cap of the spread's
// size has it. The LFE gets the mean of the sides at a level of its own. A mono strip in stereo has constant
// power pan, -3 dB to both sides in the middle. All others are brought to the bus's layout
// (core/space/conversion.h).
class StripPlacing {
  public:
    StripPlacing(Layout from, Layout to);
    [[nodiscard]] Layout from() const { return from_; }
    [[nodiscard]] Layout to() const { return to_; }
    // From now on a source gives to the LFE alone: the rest of it is handed over as an object.
    void give_lfe_alone() { lfe_alone_ = true; }
    // Whether the gains follow lines.
    [[nodiscard]] bool moves(const Strip& strip) const;
    // out: made for it (ChannelMatrix(channels_of(to), channels_of(from))).
    void gains(const Strip& strip, std::int64_t frame, ChannelMatrix& out) const;

  private:
    void place_source(const Strip& strip, std::int64_t frame, Direction direction, std::size_t column,
                      ChannelMatrix& out) const;
    Layout from_, to_;
    bool places_;
    bool lfe_alone_ = false;
    std::optional<SourcePanner> panner_;  // where it is a source
    ChannelMatrix conversion_;            // where it is no source
};

// The same as sound, with the mute. Gains go straight from one multiple of kGrid frames to the next: along
// lines to what these say there, after other changes by a glide of 10 ms.
class PlacingStage {
  public:
    PlacingStage(Layout from, Layout to, int sample_rate);
    void give_lfe_alone() { placing_.give_lfe_alone(); }
    void seek(const Strip& strip, bool audible, std::int64_t frame);
    // in: of the strip, out: of the bus, as long; out is overwritten.
    void apply(const Strip& strip, bool audible, std::int64_t frame, const ChannelBlock& in,
               const ChannelBlock& out);

  private:
    static constexpr std::int64_t kGrid = 64;
    void set_out(const Strip& strip, bool moving, std::int64_t frame, std::int64_t frames);
    void mix(const ChannelBlock& in, const ChannelBlock& out);
    StripPlacing placing_;
    ChannelMatrix now_, target_, step_;
    bool fresh_ = true;  // set out from here, not only at the next place of the grid
    float open_ = 1, open_step_;
    double glide_;
};

}  // namespace rivlen
