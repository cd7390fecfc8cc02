// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/engine.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/dsp/denormals.h"
#include "core/dsp/glide.h"

namespace rivlen {

namespace {
constexpr double kMuteSeconds = 0.005;  // over which a strip falls silent
constexpr double kGlideSeconds = 0.01;  // over which a moved fader is followed
constexpr StripLane kGainLine{LaneTarget::Gain, 0, 0, {}};
constexpr StripLane kPanLine{LaneTarget::Pan, 0, 0, {}};
constexpr StripLane kMuteLine{LaneTarget::Mute, 0, 0, {}};
constexpr std::size_t kRenderBlock = 4096;
}  // namespace

FaderStage::FaderStage(int sample_rate)
    : open_step_(static_cast<float>(1.0 / (kMuteSeconds * sample_rate))),
      glide_(static_cast<float>(glide_part(kGlideSeconds, sample_rate))) {}

std::array<float, kMixChannels> FaderStage::gains(double gain_db, double pan_percent,
                                                  bool polarity_inverted) {
    const double gain =
        (gain_db <= kLowestGainDb ? 0.0 : amplitude_of_db(gain_db)) * (polarity_inverted ? -1.0 : 1.0);
    if (pan_percent == 0) return {static_cast<float>(gain), static_cast<float>(gain)};  // exactly
    const double angle = (pan_percent + 100) / 200 * std::numbers::pi / 2;
    return {static_cast<float>(gain * std::numbers::sqrt2 * std::cos(angle)),
            static_cast<float>(gain * std::numbers::sqrt2 * std::sin(angle))};
}

void FaderStage::seek(const Strip& strip, bool audible, std::int64_t frame) {
    now_ =
        gains(value_at(strip, kGainLine, frame), value_at(strip, kPanLine, frame), strip.polarity_inverted);
    open_ = audible && value_at(strip, kMuteLine, frame) < 0.5 ? 1.0F : 0.0F;
}

void FaderStage::apply(const Strip& strip, bool audible, std::int64_t frame, StereoBlock block) {
    const StripLane* gain_line = find_lane(strip, kGainLine);
    const StripLane* pan_line = find_lane(strip, kPanLine);
    const StripLane* mute_line = find_lane(strip, kMuteLine);
    const auto target =
        gains(value_at(strip, kGainLine, frame), value_at(strip, kPanLine, frame), strip.polarity_inverted);
    const bool moving = gain_line != nullptr || pan_line != nullptr;
    const bool open = audible && value_at(strip, kMuteLine, frame) < 0.5;
    if (!moving && mute_line == nullptr && now_ == target && open_ == (open ? 1.0F : 0.0F)) {
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            const float gain = open ? target[c] : 0.0F;
            if (gain == 1.0F) continue;
            for (float& x : block[c]) x *= gain;
        }
        return;
    }
    for (std::size_t i = 0; i < block[0].size(); ++i) {
        const std::int64_t at = frame + static_cast<std::int64_t>(i);
        if (moving) {
            now_ =
                gains(value_at(strip, kGainLine, at), value_at(strip, kPanLine, at), strip.polarity_inverted);
        } else {
            for (std::size_t c = 0; c < kMixChannels; ++c) now_[c] = glided(now_[c], target[c], glide_);
        }
        const bool wanted = mute_line == nullptr ? open : audible && lane_value(mute_line->points, at) < 0.5;
        open_ = wanted ? std::min(1.0F, open_ + open_step_) : std::max(0.0F, open_ - open_step_);
        for (std::size_t c = 0; c < kMixChannels; ++c) block[c][i] *= now_[c] * open_;
    }
}

MixEngine::MixEngine(std::shared_ptr<const MixPlan> plan) : plan_(std::move(plan)) {
    build();
    seek(0);
}

void MixEngine::build() {
    const Timeline& r = plan_->timeline();
    lanes_.clear();
    lanes_.reserve(r.tracks.size() + r.buses.size());
    const auto add = [&](int id, bool is_bus, std::size_t place, const Strip& strip) {
        Lane lane;
        lane.id = id;
        lane.is_bus = is_bus;
        lane.place = place;
        lane.chain = std::make_unique<Chain>(strip.chain, r.sample_rate);
        lane.fader.emplace(r.sample_rate);
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            lane.ready[c].resize(kPiece);
            lane.piece[c].resize(kPiece);
            lane.input[c].resize(kPiece);
        }
        lanes_.push_back(std::move(lane));
    };
    for (std::size_t t = 0; t < r.tracks.size(); ++t) add(r.tracks[t].id, false, t, r.tracks[t].strip);
    for (std::size_t b = r.buses.size(); b-- > 0;) {  // the main bus last
        add(r.buses[b].id, true, b, r.buses[b].strip);
        Lane& lane = lanes_.back();
        for (std::size_t t = 0; t < r.tracks.size(); ++t) {
            if (r.tracks[t].bus == lane.id) lane.inputs.push_back(t);
        }
        if (b == 0) {
            for (std::size_t k = r.tracks.size(); k + 1 < lanes_.size(); ++k) lane.inputs.push_back(k);
        }
    }
}

const Strip& MixEngine::strip(const Lane& lane) const {
    const Timeline& r = plan_->timeline();
    return lane.is_bus ? r.buses[lane.place].strip : r.tracks[lane.place].strip;
}

namespace {

bool same_parts(const Strip& a, const Strip& b) {
    return std::ranges::equal(
        a.chain, b.chain, [](const Insert& x, const Insert& y) { return x.id == y.id && x.kind == y.kind; });
}

bool same_routes(const Timeline& a, const Timeline& b) {
    return a.sample_rate == b.sample_rate &&
           std::ranges::equal(a.tracks, b.tracks,
                              [](const Track& x, const Track& y) {
                                  return x.id == y.id && x.bus == y.bus && same_parts(x.strip, y.strip);
                              }) &&
           std::ranges::equal(a.buses, b.buses, [](const Bus& x, const Bus& y) {
               return x.id == y.id && same_parts(x.strip, y.strip);
           });
}

}  // namespace

bool MixEngine::set_plan(std::shared_ptr<const MixPlan> plan) {
    const bool same = same_routes(plan->timeline(), plan_->timeline());
    plan_ = std::move(plan);
    if (same) return false;
    build();
    seek(position_);
    return true;
}

void MixEngine::seek(std::int64_t frame) {
    position_ = frame;
    for (auto& lane : lanes_) {
        lane.chain->reset();
        lane.in_frame = lane.out_frame = std::numeric_limits<std::int64_t>::min();
        lane.ready_count = 0;
    }
}

void MixEngine::run_chain(Lane& lane, StereoBlock block) {
    const Strip& s = strip(lane);
    if (s.chain.empty()) return;
    const bool moving =
        std::ranges::any_of(s.lines, [](const StripLane& l) { return l.target == LaneTarget::Part; });
    std::vector<double> values;
    std::size_t done = 0;
    while (done < block[0].size()) {
        const std::int64_t at = lane.in_frame + static_cast<std::int64_t>(done);
        std::size_t count = block[0].size() - done;
        if (moving) count = std::min(count, static_cast<std::size_t>(kLineGrid - at % kLineGrid));
        for (std::size_t p = 0; p < s.chain.size(); ++p) {
            values = s.chain[p].values;
            for (const auto& line : s.lines) {
                if (line.target == LaneTarget::Part && line.part == s.chain[p].id &&
                    static_cast<std::size_t>(line.parameter) < values.size() && !line.points.empty())
                    values[static_cast<std::size_t>(line.parameter)] = lane_value(line.points, at);
            }
            lane.chain->set(p, s.chain[p], values);
            lane.chain->hear(p, plan_->heard_as(s.chain[p].id));
            lane.chain->watch(p, plan_->removed_tap_of(s.chain[p].id));
        }
        lane.chain->process({block[0].subspan(done, count), block[1].subspan(done, count)});
        done += count;
    }
    for (std::size_t p = 0; p < s.chain.size(); ++p) {
        if (auto* meter = plan_->reduction(s.chain[p].id))
            meter->store(std::min(meter->load(std::memory_order_relaxed),
                                  static_cast<float>(lane.chain->reduction_db(p))),
                         std::memory_order_relaxed);
    }
}

// Behind the fader, frame by frame in order; the first pull after a seek decides where a lane begins.
void MixEngine::pull(Lane& lane, std::int64_t frame, StereoBlock out) {
    const Timeline& r = plan_->timeline();
    const bool audible = lane.is_bus || plan_->audible(r.tracks[lane.place]);
    if (lane.out_frame != frame) {
        lane.in_frame = lane.out_frame = frame;
        lane.discard = lane.chain->latency();
        lane.ready_count = 0;
        lane.fader->seek(strip(lane), audible, frame);
        if (!lane.is_bus) lane.duck.seek(*plan_, lane.place, frame);
    }
    std::size_t done = 0;
    while (done < out[0].size()) {
        if (lane.ready_count == 0) {
            const StereoBlock piece = {lane.piece[0], lane.piece[1]};
            if (lane.is_bus) {
                for (auto& channel : piece) std::ranges::fill(channel, 0.0F);
                const StereoBlock input = {lane.input[0], lane.input[1]};
                for (const std::size_t k : lane.inputs) {
                    pull(lanes_[k], lane.in_frame, input);
                    for (std::size_t c = 0; c < kMixChannels; ++c) {
                        for (std::size_t i = 0; i < kPiece; ++i) piece[c][i] += input[c][i];
                    }
                }
            } else {
                lane.reader.read(*plan_, lane.place, lane.in_frame, piece);
            }
            run_chain(lane, piece);
            if (Tap* tap = plan_->tap_of(lane.id)) tap->write(piece);
            lane.in_frame += kPiece;
            const auto drop = static_cast<std::size_t>(std::min<std::int64_t>(lane.discard, kPiece));
            lane.discard -= static_cast<std::int64_t>(drop);
            lane.ready_count = kPiece - drop;
            if (lane.ready_count == 0) continue;
            std::swap(lane.ready, lane.piece);
        }
        const std::size_t from = kPiece - lane.ready_count;
        const std::size_t count = std::min(lane.ready_count, out[0].size() - done);
        for (std::size_t c = 0; c < kMixChannels; ++c)
            std::copy_n(lane.ready[c].begin() + static_cast<std::ptrdiff_t>(from), count,
                        out[c].begin() + static_cast<std::ptrdiff_t>(done));
        lane.ready_count -= count;
        done += count;
    }
    StripMeter* meter = plan_->meter(lane.id);
    if (!lane.is_bus) {
        const double lowest = lane.duck.apply(*plan_, lane.place, out);
        meter->reduction_db.store(
            std::min(meter->reduction_db.load(std::memory_order_relaxed), static_cast<float>(lowest)),
            std::memory_order_relaxed);
    }
    lane.fader->apply(strip(lane), audible, frame, out);
    lane.out_frame = frame + static_cast<std::int64_t>(out[0].size());
    float peak = meter->peak.load(std::memory_order_relaxed);
    for (const auto& channel : out) {
        for (const float x : channel) peak = std::max(peak, std::abs(x));
    }
    meter->peak.store(peak, std::memory_order_relaxed);
}

void MixEngine::next(StereoBlock out) {
    const FlushDenormals fast;
    if (lanes_.empty() || !lanes_.back().is_bus) {
        for (auto& channel : out) std::ranges::fill(channel, 0.0F);
    } else {
        pull(lanes_.back(), position_, out);
    }
    position_ += static_cast<std::int64_t>(out[0].size());
}

Status render_mix(const std::shared_ptr<const MixPlan>& plan, std::int64_t first, std::int64_t last,
                  const JobControl& job, const TakeMix& take) {
    MixEngine engine(plan);
    engine.seek(first);
    AudioBlock block(plan->timeline().sample_rate, kMixChannels);
    while (engine.position() < last) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const std::int64_t start = engine.position();
        const auto count = static_cast<std::size_t>(std::min<std::int64_t>(kRenderBlock, last - start));
        block.resize(count);
        engine.next({block[0], block[1]});
        if (auto status = plan->intact(); !status) return status;
        if (auto status = take(start, block); !status) return status;
        job.report(static_cast<double>(engine.position() - first) / static_cast<double>(last - first));
    }
    return {};
}

}  // namespace rivlen
