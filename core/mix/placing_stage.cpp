// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/placing_stage.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/dsp/glide.h"

namespace rivlen {

namespace {

constexpr double kPlacingMuteSeconds = 0.005, kPlacingGlideSeconds = 0.01;
constexpr double kThere = 1e-6;  // nearer to its target than this a gain is there

double value(const Strip& strip, LaneTarget target, std::int64_t frame) {
    return value_at(strip, {target, 0, 0, {}}, frame);
}

double linear(double db) {
    return db <= kLowestGainDb ? 0.0 : amplitude_of_db(db);
}

}  // namespace

StripPlacing::StripPlacing(Layout from, Layout to)
    : from_(from),
      to_(to),
      places_(channels_of(from) <= 2 && channels_of(to) > 2),
      conversion_(places_ ? ChannelMatrix() : conversion(from, to)) {
    if (places_) panner_.emplace(to);
}

bool StripPlacing::moves(const Strip& strip) const {
    return std::ranges::any_of(strip.lines, [this](const StripLane& line) {
        switch (line.target) {
            case LaneTarget::Gain:
                return true;
            case LaneTarget::Pan:
                return from_ == Layout::Mono && to_ == Layout::Stereo;
            case LaneTarget::Azimuth:
            case LaneTarget::Elevation:
            case LaneTarget::Spread:
            case LaneTarget::Lfe:
                return places_;
            case LaneTarget::Width:
                return places_ && from_ == Layout::Stereo;
            default:
                return false;
        }
    });
}

// One side of the strip, or all of it.
void StripPlacing::place_source(const Strip& strip, std::int64_t frame, Direction direction,
                                std::size_t column, ChannelMatrix& out) const {
    const double spread = value(strip, LaneTarget::Spread, frame);
    const auto channels = out.to();
    std::array<double, kMostLayoutChannels> gains{};
    const auto used = std::span(gains).first(channels);
    panner_->gains(direction, spread, used);
    for (std::size_t k = 0; k < channels; ++k) out(k, column) = used[k];
}

void StripPlacing::gains(const Strip& strip, std::int64_t frame, ChannelMatrix& out) const {
    const double gain =
        linear(value(strip, LaneTarget::Gain, frame)) * (strip.polarity_inverted ? -1.0 : 1.0);
    if (places_) {
        const Direction at = {value(strip, LaneTarget::Azimuth, frame),
                              value(strip, LaneTarget::Elevation, frame)};
        if (lfe_alone_) {
            std::ranges::fill(out.row_by_row(), 0.0);
        } else if (from_ == Layout::Mono) {
            place_source(strip, frame, at, 0, out);
        } else {
            const double aside = value(strip, LaneTarget::Width, frame) / 100 * kSideDeg;
            place_source(strip, frame, {at.azimuth_deg + aside, at.elevation_deg}, 0, out);
            place_source(strip, frame, {at.azimuth_deg - aside, at.elevation_deg}, 1, out);
        }
        if (const auto lfe = lfe_channel(to_)) {
            const double level =
                linear(value(strip, LaneTarget::Lfe, frame)) / static_cast<double>(out.from());
            for (std::size_t c = 0; c < out.from(); ++c) out(*lfe, c) = level;
        }
    } else if (from_ == Layout::Mono && to_ == Layout::Stereo) {
        const double place = std::clamp(value(strip, LaneTarget::Pan, frame), -100.0, 100.0);
        const double angle = (place + 100) / 200 * std::numbers::pi / 2;
        out(0, 0) = std::cos(angle);
        out(1, 0) = std::sin(angle);
    } else {
        out = conversion_;
    }
    for (std::size_t t = 0; t < out.to(); ++t) {
        for (std::size_t f = 0; f < out.from(); ++f) out(t, f) *= gain;
    }
}

PlacingStage::PlacingStage(Layout from, Layout to, int sample_rate)
    : placing_(from, to),
      now_(channels_of(to), channels_of(from)),
      target_(now_),
      step_(now_),
      open_step_(static_cast<float>(1.0 / (kPlacingMuteSeconds * sample_rate))),
      glide_(glide_part(kPlacingGlideSeconds, sample_rate)) {}

void PlacingStage::seek(const Strip& strip, bool audible, std::int64_t frame) {
    placing_.gains(strip, frame, now_);
    open_ = audible && value(strip, LaneTarget::Mute, frame) < 0.5 ? 1.0F : 0.0F;
    fresh_ = true;
}

// The steps of the next frames, up to a place of the grid.
void PlacingStage::set_out(const Strip& strip, bool moving, std::int64_t frame, std::int64_t frames) {
    fresh_ = false;
    placing_.gains(strip, moving ? frame + frames : frame, target_);
    const auto count = static_cast<double>(frames);
    const double part = moving ? 1 / count : (1 - std::pow(1 - glide_, count)) / count;
    for (std::size_t t = 0; t < now_.to(); ++t) {
        for (std::size_t f = 0; f < now_.from(); ++f) {
            const double way = target_(t, f) - now_(t, f);
            if (std::abs(way) < kThere) now_(t, f) = target_(t, f);
            step_(t, f) = now_(t, f) == target_(t, f) ? 0.0 : way * part;
        }
    }
}

// From now_ by step_ a frame.
void PlacingStage::mix(const ChannelBlock& in, const ChannelBlock& out) {
    const std::size_t frames = in.frames();
    for (std::size_t t = 0; t < out.size(); ++t) {
        float* to = out[t].data();
        std::fill_n(to, frames, 0.0F);
        for (std::size_t f = 0; f < in.size(); ++f) {
            const auto gain = static_cast<float>(now_(t, f)), step = static_cast<float>(step_(t, f));
            const float* from = in[f].data();
            if (step == 0.0F) {
                if (gain == 0.0F) continue;
                for (std::size_t i = 0; i < frames; ++i) to[i] += gain * from[i];
            } else {
                for (std::size_t i = 0; i < frames; ++i)
                    to[i] += (gain + step * static_cast<float>(i)) * from[i];
            }
        }
    }
}

void PlacingStage::apply(const Strip& strip, bool audible, std::int64_t frame, const ChannelBlock& in,
                         const ChannelBlock& out) {
    const StripLane* mute_line = find_lane(strip, {LaneTarget::Mute, 0, 0, {}});
    const bool moving = placing_.moves(strip);
    const bool open = audible && value(strip, LaneTarget::Mute, frame) < 0.5;
    for (std::size_t done = 0; done < in.frames();) {
        const std::int64_t at = frame + static_cast<std::int64_t>(done);
        const std::int64_t since = (at % kGrid + kGrid) % kGrid;
        const std::size_t count = std::min(in.frames() - done, static_cast<std::size_t>(kGrid - since));
        if (fresh_ || since == 0) set_out(strip, moving, at, kGrid - since);
        const ChannelBlock piece = out.subblock(done, count);
        mix(in.subblock(done, count), piece);
        for (std::size_t t = 0; t < now_.to(); ++t) {
            for (std::size_t f = 0; f < now_.from(); ++f)
                now_(t, f) += step_(t, f) * static_cast<double>(count);
        }
        if (mute_line != nullptr || open_ != (open ? 1.0F : 0.0F)) {
            for (std::size_t i = 0; i < count; ++i) {
                const bool wanted =
                    mute_line == nullptr
                        ? open
                        : audible && lane_value(mute_line->points, at + static_cast<std::int64_t>(i)) < 0.5;
                open_ = wanted ? std::min(1.0F, open_ + open_step_) : std::max(0.0F, open_ - open_step_);
                for (const auto& channel : piece) channel[i] *= open_;
            }
        } else if (open_ == 0.0F) {
            piece.fill(0.0F);
        }
        done += count;
    }
}

}  // namespace rivlen
