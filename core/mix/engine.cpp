// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/engine.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

#include "core/dsp/decibels.h"
#include "core/dsp/denormals.h"

namespace rivlen {

namespace {
constexpr std::size_t kRenderBlock = 4096;
}  // namespace

void MixEngine::Output::write(std::int64_t frame, StereoBlock block) {
    const std::size_t mask = ring[0].size() - 1;
    for (std::size_t c = 0; c < kMixChannels; ++c) {
        for (std::size_t i = 0; i < block[c].size(); ++i)
            ring[c][(static_cast<std::size_t>(frame) + i) & mask] = block[c][i];
    }
}

void MixEngine::Output::read(std::int64_t frame, StereoBlock block) const {
    const std::size_t mask = ring[0].size() - 1;
    for (std::size_t c = 0; c < kMixChannels; ++c) {
        for (std::size_t i = 0; i < block[c].size(); ++i)
            block[c][i] = ring[c][(static_cast<std::size_t>(frame) + i) & mask];
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
        lane.sends.resize(strip.sends.size(), SendStage(r.sample_rate));
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            for (auto* buffer : {&lane.piece, &lane.input, &lane.sent}) (*buffer)[c].resize(kPiece);
        }
        lanes_.push_back(std::move(lane));
    };
    for (std::size_t t = 0; t < r.tracks.size(); ++t) add(r.tracks[t].id, false, t, r.tracks[t].strip);
    for (std::size_t b = r.buses.size(); b-- > 0;)
        add(r.buses[b].id, true, b, r.buses[b].strip);  // main last
    connect_lanes();
}

// Who reads what, and how long what has left is kept: a bus reads as much earlier as its chain is late, so
// that ways of different latencies to the main bus read the same track at places that lie that far apart.
void MixEngine::connect_lanes() {
    const Timeline& r = plan_->timeline();
    std::int64_t apart = static_cast<std::int64_t>(kPiece * (r.buses.size() + 2));
    for (const auto& lane : lanes_) {
        if (lane.is_bus) apart += lane.chain->latency() + static_cast<std::int64_t>(kPiece);
    }
    const std::size_t kept = std::bit_ceil(static_cast<std::size_t>(apart));
    for (std::size_t k = 0; k < lanes_.size(); ++k) {
        Lane& lane = lanes_[k];
        lane.outputs.resize(1 + lane.sends.size());
        for (auto& output : lane.outputs) {
            for (auto& channel : output.ring) channel.assign(kept, 0.0F);
        }
        const auto goes_to = [&](int bus, std::size_t output) {
            for (auto& into : lanes_) {
                if (into.is_bus && into.id == bus) into.inputs.push_back({k, output});
            }
        };
        goes_to(lane.is_bus ? r.buses[lane.place].bus : r.tracks[lane.place].bus, 0);
        for (std::size_t s = 0; s < lane.sends.size(); ++s) goes_to(strip(lane).sends[s].bus, 1 + s);
    }
}

const Strip& MixEngine::strip(const Lane& lane) const {
    const Timeline& r = plan_->timeline();
    return lane.is_bus ? r.buses[lane.place].strip : r.tracks[lane.place].strip;
}

bool MixEngine::audible(const Lane& lane) const {
    return lane.is_bus || plan_->audible(plan_->timeline().tracks[lane.place]);
}

namespace {

bool same_parts(const Strip& a, const Strip& b) {
    return std::ranges::equal(
        a.chain, b.chain, [](const Insert& x, const Insert& y) { return x.id == y.id && x.kind == y.kind; });
}

bool same_sends(const Strip& a, const Strip& b) {
    return std::ranges::equal(a.sends, b.sends, [](const Send& x, const Send& y) {
        return x.bus == y.bus && x.before_fader == y.before_fader;
    });
}

bool same_routes(const Timeline& a, const Timeline& b) {
    return a.sample_rate == b.sample_rate &&
           std::ranges::equal(a.tracks, b.tracks,
                              [](const Track& x, const Track& y) {
                                  return x.id == y.id && x.bus == y.bus && same_parts(x.strip, y.strip) &&
                                         same_sends(x.strip, y.strip);
                              }) &&
           std::ranges::equal(a.buses, b.buses, [](const Bus& x, const Bus& y) {
               return x.id == y.id && x.bus == y.bus && same_parts(x.strip, y.strip);
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
    position_ = begins_at_ = frame;
    for (auto& lane : lanes_) {
        lane.chain->reset();
        lane.begun = false;
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

void MixEngine::begin(Lane& lane) {
    lane.begun = true;
    lane.in_frame = lane.out_frame = begins_at_;
    lane.discard = lane.chain->latency();
    const Strip& s = strip(lane);
    lane.fader->seek(s, audible(lane), begins_at_);
    for (std::size_t k = 0; k < lane.sends.size(); ++k)
        lane.sends[k].seek(s, s.sends[k], audible(lane), begins_at_);
    if (!lane.is_bus) lane.duck.seek(*plan_, lane.place, begins_at_);
}

// What goes into the chain next.
void MixEngine::fill(Lane& lane, StereoBlock piece) {
    if (!lane.is_bus) return lane.reader.read(*plan_, lane.place, lane.in_frame, piece);
    for (auto& channel : piece) std::ranges::fill(channel, 0.0F);
    const StereoBlock input = {lane.input[0], lane.input[1]};
    for (const Feed feed : lane.inputs) {
        pull(feed, lane.in_frame, input);
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            for (std::size_t i = 0; i < kPiece; ++i) piece[c][i] += input[c][i];
        }
    }
}

// What has come out of the chain leaves by all ways out.
void MixEngine::leave(Lane& lane, StereoBlock piece) {
    const Strip& s = strip(lane);
    const bool heard = audible(lane);
    const StereoBlock sent = {std::span(lane.sent[0]).first(piece[0].size()),
                              std::span(lane.sent[1]).first(piece[0].size())};
    const auto send = [&](bool before_fader) {
        for (std::size_t k = 0; k < lane.sends.size(); ++k) {
            if (s.sends[k].before_fader != before_fader) continue;
            for (std::size_t c = 0; c < kMixChannels; ++c) std::ranges::copy(piece[c], sent[c].begin());
            lane.sends[k].apply(s, s.sends[k], heard, lane.out_frame, sent);
            lane.outputs[1 + k].write(lane.out_frame, sent);
        }
    };
    send(true);
    StripMeter* meter = plan_->meter(lane.id);
    if (!lane.is_bus) {
        const double lowest = lane.duck.apply(*plan_, lane.place, piece);
        meter->reduction_db.store(
            std::min(meter->reduction_db.load(std::memory_order_relaxed), static_cast<float>(lowest)),
            std::memory_order_relaxed);
    }
    lane.fader->apply(s, heard, lane.out_frame, piece);
    send(false);
    lane.outputs[0].write(lane.out_frame, piece);
    lane.out_frame += static_cast<std::int64_t>(piece[0].size());
    float peak = meter->peak.load(std::memory_order_relaxed);
    for (const auto& channel : piece) {
        for (const float x : channel) peak = std::max(peak, std::abs(x));
    }
    meter->peak.store(peak, std::memory_order_relaxed);
}

void MixEngine::produce(Lane& lane) {
    const StereoBlock piece = {lane.piece[0], lane.piece[1]};
    fill(lane, piece);
    run_chain(lane, piece);
    if (Tap* tap = plan_->tap_of(lane.id)) tap->write(piece);
    lane.in_frame += kPiece;
    const auto drop = static_cast<std::size_t>(std::min<std::int64_t>(lane.discard, kPiece));
    lane.discard -= static_cast<std::int64_t>(drop);
    if (drop < kPiece) leave(lane, {piece[0].subspan(drop), piece[1].subspan(drop)});
}

// Up to kPiece frames; frames are asked for in order by each who asks.
void MixEngine::pull(Feed feed, std::int64_t frame, StereoBlock out) {
    Lane& lane = lanes_[feed.lane];
    if (!lane.begun) begin(lane);
    while (lane.out_frame < frame + static_cast<std::int64_t>(out[0].size())) produce(lane);
    lane.outputs[feed.output].read(frame, out);
}

void MixEngine::next(StereoBlock out) {
    const FlushDenormals fast;
    const bool silent = lanes_.empty() || !lanes_.back().is_bus;
    for (std::size_t done = 0; done < out[0].size();) {
        const std::size_t count = std::min(kPiece, out[0].size() - done);
        const StereoBlock piece = {out[0].subspan(done, count), out[1].subspan(done, count)};
        if (silent) {
            for (auto& channel : piece) std::ranges::fill(channel, 0.0F);
        } else {
            pull({lanes_.size() - 1, 0}, position_, piece);
        }
        position_ += static_cast<std::int64_t>(count);
        done += count;
    }
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
