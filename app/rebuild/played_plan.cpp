// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/played_plan.h"

namespace rivlen::app {

namespace {
constexpr int kTicksBetweenSpectra = 3;
}  // namespace

PlayedPlan::PlayedPlan(Document& document, MixPlayer& player, const Selection& selection)
    : document_(document), player_(player), selection_(selection) {
    timer_.setSingleShot(true);
    timer_.setInterval(0);
    connect(&timer_, &QTimer::timeout, this, &PlayedPlan::make);
    connect(&document_, &Document::material_changed, this, &PlayedPlan::make_soon);
}

void PlayedPlan::make() {
    auto plan = std::make_shared<MixPlan>(document_.session(), document_.mix_media());
    watched_ = selection_.strip();
    plan->tap(watched_, tap_);
    removed_taps_.clear();
    if (const Strip* strip = plan->timeline().strip(watched_)) {
        for (const auto& part : strip->chain) {
            if (!is_repair(part.kind)) continue;
            auto& tap = removed_taps_[part.id];
            tap = std::make_shared<Tap>();
            plan->tap_removed(part.id, tap);
        }
    }
    watch_field(*plan);
    plan->hear(heard_part_, heard_as_);
    plan_ = plan;
    player_.set_plan(document_.timeline().sample_rate > 0 ? plan_ : nullptr);
    emit made();
}

// What leaves the chosen strip, over the time that the map looks back.
void PlayedPlan::watch_field(MixPlan& plan) {
    const Timeline& r = plan.timeline();
    if (r.strip(watched_) == nullptr || r.sample_rate <= 0) return;
    const Layout layout = r.layout_behind(watched_);
    const auto frames = static_cast<std::size_t>(FieldMap::kSeconds * r.sample_rate);
    if (!field_tap_ || field_layout_ != layout || field_rate_ != r.sample_rate) {
        field_tap_ = std::make_shared<FieldTap>(channels_of(layout), frames);
        field_ = std::make_unique<FieldMap>(layout, r.sample_rate);
        field_layout_ = layout;
        field_rate_ = r.sample_rate;
        field_shown_ = 0;
    }
    plan.tap_field(watched_, field_tap_);
}

void PlayedPlan::show_space(SpaceSection& space) {
    if (!plan_ || !field_tap_) return;
    StripMeter* meter = plan_->meter(watched_);
    if (meter == nullptr) return;
    std::vector<float> peaks(channels_of(field_layout_));
    for (std::size_t c = 0; c < peaks.size(); ++c)
        peaks[c] = meter->channel_peaks[c].exchange(0.0F, std::memory_order_relaxed);
    space.show_levels(field_layout_, peaks);
    const std::size_t written = field_tap_->written();
    if (!space.wants_field() || written == field_shown_ || ticks_ % kTicksBetweenSpectra != 0) return;
    auto sound = field_tap_->last(written - field_shown_);
    field_shown_ = written;
    field_->add(std::vector<std::span<const float>>(sound.begin(), sound.end()));
    space.show_field(field_->power());
}

void PlayedPlan::follow_selection() {
    if (selection_.strip() != watched_) make_soon();
}

void PlayedPlan::hear(int part, Chain::Audition what) {
    heard_part_ = part;
    heard_as_ = what;
    if (plan_) plan_->hear(part, what);
}

void PlayedPlan::show_levels(const std::vector<StripHeader*>& headers, ChainRow& chain) {
    if (plan_) {
        const auto since_last = [](std::atomic<float>& level) {
            return level.exchange(0.0F, std::memory_order_relaxed);
        };
        for (auto* header : headers) {
            StripMeter* meter = plan_->meter(header->strip());
            if (meter != nullptr) header->show_peak(since_last(meter->peak), since_last(meter->reduction_db));
        }
        chain.show_reduction([&](int part) {
            auto* reduction = plan_->reduction(part);
            return reduction != nullptr ? static_cast<double>(since_last(*reduction)) : 0.0;
        });
    }
    ++ticks_;
    if (chain.wants_spectrum() && ticks_ % kTicksBetweenSpectra == 0 && tap_->written() != tap_shown_)
        show_spectra(chain);
}

void PlayedPlan::show_spectra(ChainRow& chain) {
    tap_shown_ = tap_->written();
    const int rate = std::max(1, document_.timeline().sample_rate);
    chain.show_spectrum(spectrum_of(tap_->read(), rate));
    for (const auto& [part, tap] : removed_taps_) chain.show_removed(part, spectrum_of(tap->read(), rate));
}

}  // namespace rivlen::app
