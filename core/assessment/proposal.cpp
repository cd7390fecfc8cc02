// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/proposal.h"

#include <fmt/format.h>

#include "core/dsp/decibels.h"

namespace rivlen {

namespace {

struct Aim {
    double dear;            // weight of what is bent against what leaks in
    double usual_percent;   // the most that practice settles on
    double free_of_damage;  // up to this damage more is taken
};
constexpr std::array<Aim, kPurposes> kAims = {{{6.0, 40, 4.0}, {1.5, 70, 8.0}, {0.35, 100, 100.0}}};

std::string reason_of(const TradeOff& from, const TradeOff& at, double percent, bool held, Purpose purpose) {
    const double down = from.bleed_db - at.bleed_db;
    if (from.own_db <= -60.0) return "There is next to nothing of this stem here: choose another stretch.";
    if (from.bleed_db <= -40.0) return "There is next to nothing else here: leave the source as it is.";
    if (held) {
        return fmt::format(
            "{:.0f} %: the rest comes down by {:.0f} dB; beyond that, {} usually loses more than it gains.",
            percent, down, purpose == Purpose::Natural ? "a natural sound" : "a voice on its own");
    }
    if (percent >= 99.5)
        return fmt::format("100 %: the rest goes down by {:.0f} dB and damage stays at {:.0f}.", down,
                           at.damage);
    return fmt::format(
        "{:.0f} %: the rest goes down by {:.0f} dB; beyond that, damage grows faster than it falls.", percent,
        down);
}

constexpr double kTwitter = 0.3;  // musical noise from which steadiness is proposed
constexpr double kSteadiness = 5.0;

}  // namespace

void take(const Proposal& proposal, StemSettings& settings) {
    settings.set(Setting::Isolation, proposal.isolation_percent);
    if (proposal.temporal_smoothing_percent <= 0.0 || settings.acts(Setting::TemporalSmoothing)) return;
    settings.set(Setting::TemporalSmoothing, proposal.temporal_smoothing_percent);
    settings.set_on(Setting::TemporalSmoothing, true);
}

Proposal propose(std::span<const TradeOff> curve, Purpose purpose) {
    const Aim& aim = kAims[static_cast<std::size_t>(purpose)];
    Proposal out;
    if (curve.size() < 2) return out;
    const auto percent_of = [&](std::size_t i) {
        return 100.0 * static_cast<double>(i) / static_cast<double>(curve.size() - 1);
    };
    const auto cost = [&](const TradeOff& t) {
        return power_of_db(t.bleed_db) + aim.dear * t.parts.loss * power_of_db(t.own_db);
    };
    std::size_t best = 0;
    for (std::size_t i = 1; i < curve.size(); ++i) {
        if (cost(curve[i]) < cost(curve[best])) best = i;
    }
    bool held = false;
    while (best > 0 && percent_of(best) > aim.usual_percent && curve[best].damage > aim.free_of_damage) {
        --best;
        held = true;
    }
    if (curve.front().own_db <= -60.0 || curve.front().bleed_db <= -40.0) best = 0;
    out.isolation_percent = percent_of(best);
    out.figures = curve[best];
    if (best > 0 && curve[best].parts.musical_noise > kTwitter) out.temporal_smoothing_percent = kSteadiness;
    out.reason = reason_of(curve.front(), curve[best], out.isolation_percent, held, purpose);
    if (out.temporal_smoothing_percent > 0.0) {
        out.reason.pop_back();
        out.reason +=
            fmt::format("; {:.0f} % steadiness calms what flickers.", out.temporal_smoothing_percent);
    }
    return out;
}

}  // namespace rivlen
