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

void MixEngine::Output::write(std::int64_t frame, const ChannelBlock& block) {
    const std::size_t mask = ring[0].size() - 1;
    for (std::size_t c = 0; c < ring.size(); ++c) {
        for (std::size_t i = 0; i < block[c].size(); ++i)
            ring[c][(static_cast<std::size_t>(frame) + i) & mask] = block[c][i];
    }
}

void MixEngine::Output::read(std::int64_t frame, const ChannelBlock& block) const {
    const std::size_t mask = ring[0].size() - 1;
    for (std::size_t c = 0; c < ring.size(); ++c) {
        for (std::size_t i = 0; i < block[c].size(); ++i)
            block[c][i] = ring[c][(static_cast<std::size_t>(frame) + i) & mask];
    }
}

MixEngine::MixEngine(std::shared_ptr<const MixPlan> plan) : plan_(std::move(plan)) {
    build();
    seek(0);
}

namespace {
std::vector<std::vector<float>> buffers(Layout layout, std::size_t frames) {
    return std::vector<std::vector<float>>(channels_of(layout), std::vector<float>(frames));
}
}  // namespace

void MixEngine::add_lane(int id, bool is_bus, std::size_t place, const Strip& strip) {
    const Timeline& r = plan_->timeline();
    const Layout own = r.layout_of(id), behind = r.layout_behind(id);
    Lane lane;
    lane.id = id;
    lane.is_bus = is_bus;
    lane.place = place;
    lane.chain = std::make_unique<Chain>(strip.chain, r.sample_rate, channels_of(own));
    if (own == Layout::Stereo && behind == Layout::Stereo) {
        lane.way_out.fader.emplace(r.sample_rate);
    } else {
        lane.way_out.placing.emplace(own, behind, r.sample_rate);
    }
    if (!is_bus && plan_->diverted(id) != nullptr) {
        lane.object = ObjectOut{PlacingStage(own, own, r.sample_rate), PlacingStage(own, own, r.sample_rate),
                                buffers(own, kPiece), buffers(own, kPiece)};
        lane.way_out.placing->give_lfe_alone();
    }
    for (const auto& send : strip.sends) {
        const Layout from = send.before_fader ? own : behind, to = r.layout_of(send.bus);
        lane.sends.push_back({SendStage(r.sample_rate), {}, buffers(from, kPiece), {}});
        if (from == to) continue;
        lane.sends.back().conversion = conversion(from, to);
        lane.sends.back().brought = buffers(to, kPiece);
    }
    lane.piece = buffers(own, kPiece);
    lane.input = buffers(own, kPiece);
    lane.placed = buffers(behind, kPiece);
    lanes_.push_back(std::move(lane));
}

void MixEngine::build() {
    const Timeline& r = plan_->timeline();
    lanes_.clear();
    lanes_.reserve(r.tracks.size() + r.buses.size());
    for (std::size_t t = 0; t < r.tracks.size(); ++t) add_lane(r.tracks[t].id, false, t, r.tracks[t].strip);
    for (std::size_t b = r.buses.size(); b-- > 0;)
        add_lane(r.buses[b].id, true, b, r.buses[b].strip);  // main last
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
        lane.outputs[0].ring = buffers(r.layout_behind(lane.id), kept);
        for (std::size_t s = 0; s < lane.sends.size(); ++s)
            lane.outputs[1 + s].ring = buffers(r.layout_of(strip(lane).sends[s].bus), kept);
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
                                  return x.id == y.id && x.bus == y.bus && x.layout == y.layout &&
                                         same_parts(x.strip, y.strip) && same_sends(x.strip, y.strip);
                              }) &&
           std::ranges::equal(a.buses, b.buses, [](const Bus& x, const Bus& y) {
               return x.id == y.id && x.bus == y.bus && x.layout == y.layout && same_parts(x.strip, y.strip);
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

void MixEngine::run_chain(Lane& lane, const ChannelBlock& block) {
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
        lane.chain->process(block.subblock(done, count));
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
    if (lane.way_out.fader) lane.way_out.fader->seek(s, audible(lane), begins_at_);
    if (lane.way_out.placing) lane.way_out.placing->seek(s, audible(lane), begins_at_);
    if (lane.object) {
        lane.object->own.seek(s, audible(lane), begins_at_);
        lane.object->main.seek(plan_->timeline().buses.front().strip, true, begins_at_);
    }
    for (std::size_t k = 0; k < lane.sends.size(); ++k)
        lane.sends[k].level.seek(s, s.sends[k], audible(lane), begins_at_);
    if (!lane.is_bus) lane.duck.seek(*plan_, lane.place, begins_at_);
}

// What goes into the chain next.
void MixEngine::fill(Lane& lane, const ChannelBlock& piece) {
    if (!lane.is_bus) return lane.reader.read(*plan_, lane.place, lane.in_frame, piece);
    piece.fill(0.0F);
    const ChannelBlock input(lane.input, kPiece);
    for (const Feed feed : lane.inputs) {
        pull(feed, lane.in_frame, input);
        for (std::size_t c = 0; c < piece.size(); ++c) {
            for (std::size_t i = 0; i < kPiece; ++i) piece[c][i] += input[c][i];
        }
    }
}

void MixEngine::hand_over(Lane& lane, const ChannelBlock& piece) {
    ObjectOut& object = *lane.object;
    const ChannelBlock levelled(object.levelled, piece.frames()), out(object.handed_over, piece.frames());
    object.own.apply(strip(lane), audible(lane), lane.out_frame, piece, levelled);
    object.main.apply(plan_->timeline().buses.front().strip, true, lane.out_frame, levelled, out);
    (*plan_->diverted(lane.id))(out);
}

void MixEngine::send(Lane& lane, bool before_fader, const ChannelBlock& piece) {
    const Strip& s = strip(lane);
    for (std::size_t k = 0; k < lane.sends.size(); ++k) {
        if (s.sends[k].before_fader != before_fader) continue;
        SendOut& out = lane.sends[k];
        ChannelBlock sent(out.sent, piece.frames());
        for (std::size_t c = 0; c < sent.size(); ++c) std::ranges::copy(piece[c], sent[c].begin());
        out.level.apply(s, s.sends[k], audible(lane), lane.out_frame, sent);
        if (out.conversion) {
            const ChannelBlock brought(out.brought, piece.frames());
            out.conversion->apply(sent, brought);
            sent = brought;
        }
        lane.outputs[1 + k].write(lane.out_frame, sent);
    }
}

// What has come out of the chain leaves by all ways out.
void MixEngine::leave(Lane& lane, const ChannelBlock& piece) {
    const Strip& s = strip(lane);
    send(lane, true, piece);
    StripMeter* meter = plan_->meter(lane.id);
    if (!lane.is_bus) {
        const double lowest = lane.duck.apply(*plan_, lane.place, piece);
        meter->reduction_db.store(
            std::min(meter->reduction_db.load(std::memory_order_relaxed), static_cast<float>(lowest)),
            std::memory_order_relaxed);
    }
    if (lane.object) hand_over(lane, piece);
    ChannelBlock out = piece;
    if (lane.way_out.fader) {
        lane.way_out.fader->apply(s, audible(lane), lane.out_frame, piece);
    } else {
        out = ChannelBlock(lane.placed, piece.frames());
        lane.way_out.placing->apply(s, audible(lane), lane.out_frame, piece, out);
    }
    send(lane, false, out);
    lane.outputs[0].write(lane.out_frame, out);
    lane.out_frame += static_cast<std::int64_t>(out.frames());
    meter->take(out);
    plan_->watch_field(lane.id, out);
}

void MixEngine::produce(Lane& lane) {
    const ChannelBlock piece(lane.piece, kPiece);
    fill(lane, piece);
    run_chain(lane, piece);
    if (Tap* tap = plan_->tap_of(lane.id)) tap->write(piece);
    lane.in_frame += kPiece;
    const auto drop = static_cast<std::size_t>(std::min<std::int64_t>(lane.discard, kPiece));
    lane.discard -= static_cast<std::int64_t>(drop);
    if (drop < kPiece) leave(lane, piece.subblock(drop, kPiece - drop));
}

// Up to kPiece frames; frames are asked for in order by each who asks.
void MixEngine::pull(Feed feed, std::int64_t frame, const ChannelBlock& out) {
    Lane& lane = lanes_[feed.lane];
    if (!lane.begun) begin(lane);
    while (lane.out_frame < frame + static_cast<std::int64_t>(out[0].size())) produce(lane);
    lane.outputs[feed.output].read(frame, out);
}

void MixEngine::next(ChannelBlock out) {
    const FlushDenormals fast;
    const bool silent = lanes_.empty() || !lanes_.back().is_bus;
    for (std::size_t done = 0; done < out[0].size();) {
        const std::size_t count = std::min(kPiece, out[0].size() - done);
        const ChannelBlock piece = out.subblock(done, count);
        if (silent) {
            piece.fill(0.0F);
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
    AudioBlock block(plan->timeline().sample_rate, channels_of(engine.layout()));
    while (engine.position() < last) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const std::int64_t start = engine.position();
        const auto count = static_cast<std::size_t>(std::min<std::int64_t>(kRenderBlock, last - start));
        block.resize(count);
        engine.next(block.view());
        if (auto status = plan->intact(); !status) return status;
        if (auto status = take(start, block); !status) return status;
        job.report(static_cast<double>(engine.position() - first) / static_cast<double>(last - first));
    }
    return {};
}

}  // namespace rivlen
